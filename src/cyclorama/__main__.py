"""`python -m cyclorama`."""

from .cli import app

app()
