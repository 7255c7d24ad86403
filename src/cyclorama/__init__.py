"""Cyclorama: a photo studio in a browser."""

__version__ = "0.1.0"
