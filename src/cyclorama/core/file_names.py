"""Names of files that somebody sent: relative paths that stay below the folder they are put into."""

from pathlib import PurePosixPath

from .errors import IntakeError

MOST_BYTES, MOST_PART_BYTES = 1000, 240
"""Longest file name that every file system takes, less room for an ending."""
UNNAMED = "model"


def relative_name(name: str) -> str:
    """A sent name as a relative path with forward slashes; what cannot be printed is left out.

    Raises IntakeError for a path that is absolute, leads upwards, or is too long for a file system.
    """
    printable = "".join(c for c in name.replace("\\", "/") if c.isprintable())
    path = PurePosixPath(printable)
    if path.is_absolute() or ".." in path.parts or (path.parts and ":" in path.parts[0]):
        raise IntakeError(
            f"‘{printable[:80]}’ leads outside of the files that were sent. Send it under its plain name."
        )
    if len(printable.encode()) > MOST_BYTES or any(len(p.encode()) > MOST_PART_BYTES for p in path.parts):
        raise IntakeError(f"The name ‘{printable[:40]}…’ is too long. Give the file a shorter one.")
    return path.as_posix() if path.parts else UNNAMED
