"""A copy of the database a day, beside it, and the way back to one."""

import sqlite3
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from datetime import date, datetime
from pathlib import Path

from ..core.errors import CycloramaError, DamagedError, NotFoundError
from .assets import PART, put_in_place
from .database import BEFORE, DATABASE
from .file_lock import FolderLock
from .repeating import Repeating

FOLDER = "backups"
KEPT = 7
LOOK_EVERY_S = 1800.0
_REPLACED = f"{DATABASE}{BEFORE}"


class InUseError(CycloramaError):
    """Somebody has the data folder open."""


@dataclass(frozen=True, slots=True)
class Restored:
    """The outcome of going back to a copy."""

    copy: Path
    replaced: Path | None
    """the database that it replaced, under its new name; None: there was none"""
    notes: tuple[str, ...]
    """sentences: copies that were skipped as damaged, and what is not in the one that was taken"""


def backups(folder: Path) -> list[Path]:
    """Daily copies of a data folder's database, oldest first."""
    return sorted((folder / FOLDER).glob("studio-*.sqlite"))


def latest_backup(folder: Path) -> Path | None:
    """The newest copy, None when there is none."""
    return next(reversed(backups(folder)), None)


def day_of(copy: Path) -> str:
    """The day of a daily copy, as 2026-01-31."""
    return copy.stem.removeprefix("studio-")


def kept_databases(folder: Path) -> list[Path]:
    """All databases of a data folder besides the one in use: daily copies, and earlier states beside it."""
    replaced = [p for p in folder.glob(f"{_REPLACED}*") if not p.name.endswith(("-wal", "-shm"))]
    return [*backups(folder), *sorted(replaced)]


def open_copy(path: Path) -> sqlite3.Connection:
    """A connection that only reads a database that nobody writes. Raises sqlite3.DatabaseError."""
    unchanging = "" if path.with_name(f"{path.name}-wal").exists() else "&immutable=1"
    return sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro{unchanging}", uri=True)


def back_up(folder: Path, day: date) -> Path | None:
    """Copy the database by SQLite's own means, while others use it, unless there is a copy of the day already; the
    oldest copies go. Returns the copy of the day.

    An empty studio is not copied (None), and a damaged database neither (sqlite3.DatabaseError): the copies that are
    there are better.
    """
    target = folder / FOLDER / f"studio-{day.isoformat()}.sqlite"
    if target.exists():
        return target
    target.parent.mkdir(exist_ok=True)
    part = target.with_suffix(PART)
    part.unlink(missing_ok=True)
    try:
        with closing(sqlite3.connect(folder / DATABASE)) as source, closing(sqlite3.connect(part)) as copy:
            if _is_empty(source):
                return None
            source.backup(copy, pages=500)
            _insist_on_sound(copy)
        put_in_place(part, target)
    finally:
        part.unlink(missing_ok=True)
    for old in backups(folder)[:-KEPT]:
        old.unlink()
    return target


def restore(folder: Path, day: date | None = None) -> Restored:
    """Put the newest sound copy, or that of `day`, in the database's place, which is kept under another name.

    Raises InUseError while anybody has the folder open, NotFoundError when there is no copy, DamagedError when none
    (or that of the day) is sound.
    """
    if not folder.is_dir():
        raise NotFoundError(f"There is no folder {folder}.")
    with FolderLock.exclusive(folder) as free:
        if not free:
            raise InUseError(f"The studio in {folder} is open, or a take is being shot. Close it and try again.")
        copy, notes = _choose_copy(folder, day)
        path = folder / DATABASE
        notes += _losses(path, copy)
        replaced = _set_aside(path)
        part = path.with_suffix(PART)
        part.write_bytes(copy.read_bytes())
        put_in_place(part, path)
    return Restored(copy, replaced, tuple(notes))


def daily_backup(folder: Path) -> Repeating:
    """Sees to a copy a day as long as the studio is open."""

    def look() -> None:
        back_up(folder, date.today())

    return Repeating("backup", look, LOOK_EVERY_S)


def _choose_copy(folder: Path, day: date | None) -> tuple[Path, list[str]]:
    """The copy to go back to, and a sentence for each newer one that is damaged."""
    copies = backups(folder)
    if not copies:
        raise NotFoundError(f"There is no copy of a database in {folder / FOLDER}.")
    if day is not None:
        copies = [c for c in copies if day_of(c) == day.isoformat()]
        if not copies:
            days = ", ".join(map(day_of, backups(folder)))
            raise NotFoundError(f"There is no copy of {day.isoformat()}. There are copies of {days}.")
    notes: list[str] = []
    for copy in reversed(copies):
        if is_sound(copy):
            return copy, notes
        notes.append(f"The copy of {day_of(copy)} is damaged and was not used.")
    raise DamagedError(f"No copy in {folder / FOLDER} can be used: {' '.join(notes)}")


def is_sound(path: Path) -> bool:
    """True when a database passes SQLite's quick check and is one of a studio."""
    try:
        with closing(open_copy(path)) as connection:
            _insist_on_sound(connection)
            connection.execute("SELECT count(*) FROM project")
    except sqlite3.DatabaseError:
        return False
    return True


def _insist_on_sound(connection: sqlite3.Connection) -> None:
    (verdict,) = connection.execute("PRAGMA quick_check(1)").fetchone()
    if verdict != "ok":
        raise sqlite3.DatabaseError(verdict)


def _is_empty(connection: sqlite3.Connection) -> bool:
    return connection.execute("SELECT 1 FROM project LIMIT 1").fetchone() is None


def _losses(present: Path, copy: Path) -> list[str]:
    """Sentences on what the present database has and a copy lacks."""
    if not present.exists():
        return []
    try:
        with closing(sqlite3.connect(f"{present.resolve().as_uri()}?mode=ro", uri=True)) as now:
            names = dict(now.execute("SELECT id, name FROM project"))
            versions = dict(now.execute("SELECT id, version FROM project"))
            takes = dict(now.execute("SELECT id, name FROM take"))
    except sqlite3.DatabaseError:
        return ["The database that was replaced cannot be read, so it cannot be told what the copy lacks."]
    with closing(open_copy(copy)) as then:
        before = dict(then.execute("SELECT id, version FROM project"))
        known = {take for (take,) in then.execute("SELECT id FROM take")}
    notes = [f"‘{names[i]}’ is not in it." for i in names if i not in before]
    notes += [
        f"‘{names[i]}’ is as it was {versions[i] - before[i]} changes ago."
        for i in names
        if before.get(i, versions[i]) < versions[i]
    ]
    notes += [
        f"The take ‘{takes[i]}’ is not in it; if its frames are still there, the next start adopts it."
        for i in takes
        if i not in known
    ]
    return notes


def _set_aside(path: Path) -> Path | None:
    """Rename a database with its log; its new name, None where it was not there."""
    aside = path.with_name(f"{_REPLACED}{datetime.now():%Y-%m-%d-%H%M%S}")
    there = [old for old in _with_log(path) if old.exists()]
    for old in there:
        old.rename(aside.with_name(aside.name + old.name.removeprefix(path.name)))
    return aside if there else None


def _with_log(path: Path) -> Iterator[Path]:
    return (path.with_name(path.name + suffix) for suffix in ("", "-wal", "-shm"))
