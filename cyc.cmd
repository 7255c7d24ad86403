@echo off
rem Start Cyclorama on Windows: the same as ./cyc elsewhere.
py -3 "%~dp0cyc" %* || exit /b
