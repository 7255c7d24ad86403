"""A copy of the database a day, beside it."""

import sqlite3
from contextlib import closing
from datetime import date, datetime
from pathlib import Path

from ..core.errors import NotFoundError
from .assets import PART, put_in_place
from .database import DATABASE
from .repeating import Repeating

FOLDER = "backups"
KEPT = 7
LOOK_EVERY_S = 1800.0


def latest_backup(folder: Path) -> Path | None:
    """The newest copy, None when there is none."""
    return max((folder / FOLDER).glob("studio-*.sqlite"), default=None)


def back_up(folder: Path, day: date) -> Path:
    """Copy the database by SQLite's own means, while others use it, unless there is a copy of the day already; the
    oldest copies go. A damaged database is not copied: the copies that are there are better."""
    target = folder / FOLDER / f"studio-{day.isoformat()}.sqlite"
    if target.exists():
        return target
    target.parent.mkdir(exist_ok=True)
    part = target.with_suffix(PART)
    part.unlink(missing_ok=True)
    try:
        with closing(sqlite3.connect(folder / DATABASE)) as source, closing(sqlite3.connect(part)) as copy:
            source.backup(copy, pages=500)
            (verdict,) = copy.execute("PRAGMA quick_check(1)").fetchone()
            if verdict != "ok":
                raise sqlite3.DatabaseError(verdict)
        put_in_place(part, target)
    finally:
        part.unlink(missing_ok=True)
    for old in sorted((folder / FOLDER).glob("studio-*.sqlite"))[:-KEPT]:
        old.unlink()
    return target


def restore(folder: Path) -> tuple[Path, Path]:
    """Put the newest copy in the database's place, which is kept under another name; both paths.

    Raises NotFoundError when there is no copy.
    """
    backup, path = latest_backup(folder), folder / DATABASE
    if backup is None:
        raise NotFoundError(f"There is no copy of a database in {folder / FOLDER}.")
    aside = folder / f"{DATABASE}.before-{datetime.now():%Y-%m-%d-%H%M%S}"
    part = path.with_suffix(PART)
    part.write_bytes(backup.read_bytes())
    for suffix in ("", "-wal", "-shm"):
        old = path.with_name(path.name + suffix)
        if old.exists():
            old.rename(aside.with_name(aside.name + suffix))
    put_in_place(part, path)
    return backup, aside


def daily_backup(folder: Path) -> Repeating:
    """Sees to a copy a day as long as the studio is open."""

    def look() -> None:
        back_up(folder, date.today())

    return Repeating("backup", look, LOOK_EVERY_S)
