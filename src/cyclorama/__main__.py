"""`python -m cyclorama`."""

from .cli.main import app

app()
