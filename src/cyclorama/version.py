"""The version of the program."""

PROGRAM_VERSION = "0.1.0"
