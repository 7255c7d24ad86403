"""Opening a data folder: what can be wrong with it, in a sentence that says what to do, before anything is written."""

import os
import secrets
import sqlite3
from contextlib import closing
from pathlib import Path

from sqlalchemy.exc import DatabaseError

from ..core.errors import CycloramaError, DamagedError
from .adopt import adopt_takes
from .backup import FOLDER as BACKUPS
from .backup import day_of, latest_backup
from .database import DATABASE
from .studio import Studio

CHECKED_BYTES = 200_000_000
"""Larger databases are not read as a whole each time; their daily copies are."""
_MAGIC = b"SQLite format 3\0"


class OpenError(CycloramaError):
    """A data folder cannot be used."""


def open_studio(folder: Path) -> Studio:
    """The studio in a data folder, which is made if it is not there.

    Raises OpenError when the folder cannot be used, NewerError and DamagedError when its database cannot.
    """
    _check_folder(folder)
    _check_database(folder)
    try:
        studio = Studio(folder)
        studio.findings = adopt_takes(studio)
        return studio
    except DatabaseError as error:
        raise _damaged(folder) from error
    except OSError as error:
        raise OpenError(f"The folder {folder} cannot be used: {error.strerror or error}.") from error


def _check_folder(folder: Path) -> None:
    if folder.exists() and not folder.is_dir():
        raise OpenError(f"{folder} is a file; the studio needs a folder. Choose another with --data.")
    try:
        folder.mkdir(parents=True, exist_ok=True)
        probe = folder / f".{secrets.token_hex(6)}.part"
        probe.touch()
        probe.unlink()
    except OSError as error:
        raise OpenError(
            f"The folder {folder} cannot be written to ({error.strerror or error}). Change its permissions, make room, "
            "or choose another with --data."
        ) from error


def _check_database(folder: Path) -> None:
    path = folder / DATABASE
    if not path.exists() or not path.stat().st_size:
        return _check_is_new(folder)  # an empty file is a new database too
    if not os.access(path, os.R_OK | os.W_OK):
        raise OpenError(f"The database {path} cannot be written to. Change its permissions.")
    with path.open("rb") as file:
        start = file.read(16)
    if start != _MAGIC:
        raise _damaged(folder)
    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as connection:
            if path.stat().st_size < CHECKED_BYTES:
                (verdict,) = connection.execute("PRAGMA quick_check(1)").fetchone()
                if verdict != "ok":
                    raise sqlite3.DatabaseError(verdict)
            tables = {name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    except sqlite3.DatabaseError as error:
        raise _damaged(folder) from error
    if tables and not tables >= {"alembic_version", "project"}:
        raise OpenError(f"{path} is a database of another program. Choose another folder with --data.")


def _check_is_new(folder: Path) -> None:
    """Raises OpenError where a folder without a database holds what one knew of: beginning a new one would be taken
    for having lost everything."""
    full = [name for name in ("assets", "takes", BACKUPS) if any(p.is_file() for p in (folder / name).rglob("*"))]
    if not full:
        return
    held = " and ".join(f"{name}/" for name in full)
    backup = latest_backup(folder)
    if backup is not None:
        raise OpenError(
            f"The database {folder / DATABASE} is missing or empty, but {held} beside it hold files. Go back to the "
            f"copy of {day_of(backup)} with:  ./cyc restore --data {folder}"
        )
    raise OpenError(
        f"The database {folder / DATABASE} is missing or empty, but {held} beside it hold files, and there is no copy "
        f"of it. Put {DATABASE} back, or choose another folder with --data."
    )


def _damaged(folder: Path) -> DamagedError:
    backup = latest_backup(folder)
    if backup is None:
        return DamagedError(
            f"The database {folder / DATABASE} is damaged, and there is no copy of it. Frames and models in the folder "
            "are whole; move the database away to begin a new one."
        )
    return DamagedError(
        f"The database {folder / DATABASE} is damaged. Go back to the copy of {day_of(backup)} "
        f"with:  ./cyc restore --data {folder}"
    )
