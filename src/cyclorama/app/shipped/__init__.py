"""Pictures that ship with the program, so that nothing is grey at first; made by tools/shipped_pictures.py."""

from pathlib import Path

SHIPPED = Path(__file__).parent


def shipped_or(path: Path) -> Path:
    """A picture of a data folder; while it is not there, the one of its name that ships, if any."""
    shipped = SHIPPED / path.name
    return shipped if shipped.exists() and not path.exists() else path
