"""Collecting garbage: files of a data folder that nothing refers to go into the bin, and from there after 30 days.

Every saved state counts as a reference, also those that only undo reaches, every take, every daily copy and every
database that was kept when an earlier copy was restored. Databases are searched as text, so that damaged documents
keep their files too. While there is any doubt about what is needed, nothing is moved and nothing deleted. Folders of
takes without a record are never touched: they may be the frames of a night, and the record only lost.
"""

import logging
import re
import shutil
import sqlite3
import time
from collections.abc import Iterable, Iterator
from contextlib import closing
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path, PurePath

from ..core.errors import CycloramaError
from .assets import PART
from .backup import kept_databases, open_copy
from .bin import Bin
from .database import DATABASE
from .proofs import FOLDER as PROOFS
from .repeating import Repeating
from .studio import Studio

REST_S = 86_400.0
"""Younger files may belong to work that is still under way."""
SWATCH_S = 30 * 86_400.0
"""Swatches are developed again when they are wanted."""
COLLECT_EVERY_S = 6 * 3600.0
_KEY = re.compile(r"(?<![0-9a-f])[0-9a-f]{32}(?![0-9a-f])")
_log = logging.getLogger(__name__)


class GarbageDoubt(CycloramaError):
    """It cannot be told which files are needed, so none is touched."""


@dataclass(slots=True)
class Collected:
    """The outcome of one collection."""

    bin: Bin
    day: date
    files: int = 0
    """moved into the bin"""
    bytes: int = 0
    put_back: int = 0
    """files that were needed again"""
    deleted_files: int = 0
    """that had been in the bin for 30 days"""
    deleted_bytes: int = 0
    emptied: list[Path] = field(default_factory=list)

    def discard(self, path: Path) -> None:
        self.bytes += self.bin.discard(path, self.day)
        self.files += 1

    def discard_folder(self, folder: Path) -> None:
        for path in _files(folder, time.time() + 1):
            self.discard(path)
        shutil.rmtree(folder, ignore_errors=True)


def keys_in(document: str) -> set[str]:
    """Keys of all assets that a document refers to."""
    return set(_KEY.findall(document))


def keys_in_database(connection: sqlite3.Connection) -> set[str]:
    """Keys of all assets that any text in any table of a database refers to. Raises sqlite3.DatabaseError."""
    tables = [name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
    found: set[str] = set()
    for table in tables:
        for row in connection.execute(f'SELECT * FROM "{table}"'):
            for value in row:
                if isinstance(value, str) and len(value) >= 32:
                    found |= keys_in(value)
    return found


def collect_garbage(studio: Studio, rest_s: float = REST_S) -> Collected:
    """Move files that nothing needs, untouched for `rest_s`, into the bin; empty the bin of what is 30 days old.

    Raises GarbageDoubt when it cannot be told which files are needed.
    """
    collected = Collected(Bin(studio.folder), date.today())
    before = time.time() - rest_s
    if (
        not studio.projects.ids(binned=True)
        and not studio.takes.ids(binned=True)
        and any(_files(studio.folder / "assets", before))
    ):
        raise GarbageDoubt("The database is empty, but there are models and pictures beside it: all files are left.")
    needed = _keys_needed_now(studio)
    for other in kept_databases(studio.folder):
        needed |= _keys_of_copy(other)
    collected.put_back = collected.bin.put_back(lambda path: _is_asset_of(path, needed))
    for path in _unneeded_files(studio, needed, before):
        collected.discard(path)
    for folder in _unneeded_folders(studio, before):
        collected.discard_folder(folder)
    collected.deleted_files, collected.deleted_bytes = collected.bin.empty(collected.day)
    return collected


def garbage_collection(studio: Studio) -> Repeating:
    """Collects garbage now and then as long as the studio is open, and says so in the log."""

    def collect() -> None:
        collected = collect_garbage(studio)
        if collected.files or collected.put_back or collected.deleted_files:
            _log.warning(
                "%d files (%d bytes) that nothing needs moved to %s, %d needed again put back, %d (%d bytes) deleted "
                "after 30 days there",
                collected.files,
                collected.bytes,
                collected.bin.folder,
                collected.put_back,
                collected.deleted_files,
                collected.deleted_bytes,
            )

    return Repeating("garbage", collect, COLLECT_EVERY_S)


def _keys_needed_now(studio: Studio) -> set[str]:
    with closing(sqlite3.connect(studio.folder / DATABASE)) as connection:
        needed = keys_in_database(connection)
    for shelf in (studio.materials, studio.rigs, studio.stock):
        needed |= keys_in(shelf.text())
    return needed


def _keys_of_copy(path: Path) -> set[str]:
    try:
        with closing(open_copy(path)) as connection:
            return keys_in_database(connection)
    except sqlite3.DatabaseError as error:
        raise GarbageDoubt(
            f"{path} cannot be read, so it cannot be told which files it needs: all files are left. "
            "Move it away if you do not need it."
        ) from error


def _is_asset_of(path: PurePath, needed: set[str]) -> bool:
    return path.parts[0] == "assets" and path.parent.name + path.name.split(".")[0] in needed


def _unneeded_files(studio: Studio, needed: set[str], before: float) -> Iterator[Path]:
    folder = studio.folder
    for path in _files(folder / "assets", before):
        if path.name.endswith(PART) or not _is_asset_of(path.relative_to(folder), needed):
            yield path
    posters = {f"{p.id}.{p.version}.jpg" for p in studio.projects.listed()}
    yield from (path for path in _files(folder / "posters", before) if path.name not in posters)
    yield from _files(folder / "swatches", before - SWATCH_S)
    yield from _old(folder.glob(f"takes/*/*/.*{PART}"), before, files=True)
    yield from _old(folder.glob("deliveries/*/.*"), before, files=True)


def _unneeded_folders(studio: Studio, before: float) -> Iterator[Path]:
    projects, asked = set(studio.projects.ids(binned=True)), studio.jobs.unfinished_specs()
    for path in _old((studio.folder / PROOFS).glob("*"), before):
        if path.name.split(".")[0] not in projects:
            yield path
    yield from _old(studio.folder.glob("deliveries/*/.*"), before)
    for path in _old((studio.folder / "incoming").glob("*"), before):
        if not any(path.name in spec for spec in asked):
            yield path


def _old(paths: Iterable[Path], before: float, files: bool = False) -> Iterator[Path]:
    return (p for p in paths if (p.is_file() if files else p.is_dir()) and p.stat().st_mtime < before)


def _files(folder: Path, before: float) -> list[Path]:
    return [p for p in folder.rglob("*") if p.is_file() and p.stat().st_mtime < before]
