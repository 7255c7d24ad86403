"""The bin: removed projects, takes, deliveries and saved things lie here for 30 days and come back whole."""

import shutil
from datetime import datetime, timedelta
from typing import get_args

from pydantic import BaseModel

from ..core.review.phrases import data_size
from ..shoot.finish.deliver import folder_of, remove_files
from ..store import Studio
from ..store.archive import ShelfName, shelves_of
from ..store.bin import KEPT_DAYS
from ..store.binned import BinnedRecord, RecordKind
from ..store.database import now
from ..store.repeating import Repeating
from ..store.slate_file import remove_slate

BinKind = RecordKind | ShelfName
LOOK_EVERY_S = 6 * 3600.0
_SHELF_TITLES = {"materials": "Material", "rigs": "Rig", "moves": "Move", "destinations": "Destination"}


class BinLine(BaseModel):
    """One thing in the bin."""

    kind: BinKind
    id: str
    name: str
    says: str
    """what it is: ‘Project with 3 takes’, ‘Take of Storm Glass’"""
    bytes: int
    size: str
    removed: datetime
    """UTC"""
    deleted: datetime
    """when it is deleted for good, UTC"""


def bin_lines(studio: Studio) -> list[BinLine]:
    """Everything in the bin, the last removed first."""
    lines = [_line(r.kind, r.id, r.name, _description(r), r.bytes, r.removed) for r in studio.binned.all()]
    for name, shelf in shelves_of(studio).items():
        for removed in shelf.removed():
            says = _SHELF_TITLES.get(name) or removed.one.content.kind.capitalize()
            lines.append(_line(name, removed.one.id, removed.one.name, says, removed.bytes, removed.at))
    return sorted(lines, key=lambda line: line.removed, reverse=True)


def _line(kind: str, identity: str, name: str, says: str, size: int, removed: datetime) -> BinLine:
    deleted = removed + timedelta(days=KEPT_DAYS)
    told = {"kind": kind, "id": identity, "name": name, "says": says, "bytes": size, "size": data_size(size)}
    return BinLine.model_validate(told | {"removed": removed, "deleted": deleted})


def _description(record: BinnedRecord) -> str:
    if record.kind == "project":
        return f"Project with {record.takes or 'no'} take{'' if record.takes == 1 else 's'}"
    return f"{record.kind.capitalize()} of {record.project}"


def put_back(studio: Studio, kind: BinKind, identity: str) -> None:
    """Bring a thing back from the bin. Raises NotFoundError, and ChangeError where its project is in the bin."""
    if kind in get_args(RecordKind):
        studio.binned.put_back(kind, identity)  # type: ignore[arg-type]
    else:
        shelves_of(studio)[kind].put_back(identity)


def delete(studio: Studio, kind: BinKind, identity: str) -> None:
    """Delete a thing in the bin for good, with its files. Raises NotFoundError."""
    if kind in ("project", "take"):
        folders = studio.binned.frame_folders(kind, identity)
        studio.binned.delete(kind, identity)
        for name in folders:
            remove_slate(studio.takes.root / name)  # without it nobody takes the folder for a lost take
            shutil.rmtree(studio.takes.root / name, ignore_errors=True)
        if kind == "project":
            shutil.rmtree(folder_of(studio, identity), ignore_errors=True)
    elif kind == "delivery":
        handed = studio.cuts.one(identity, binned=True)
        studio.binned.delete(kind, identity)
        remove_files(studio, handed)
    else:
        shelves_of(studio)[kind].delete(identity)


def delete_all(studio: Studio, before: datetime | None = None) -> int:
    """Empty the bin, or only of things removed before a time (UTC); returns the bytes freed.

    Projects go last: their takes and deliveries are gone with them, also those that have a line of their own.
    """
    old = [line for line in bin_lines(studio) if before is None or line.removed < before]
    for line in sorted(old, key=lambda line: line.kind == "project"):
        delete(studio, line.kind, line.id)
    return sum(line.bytes for line in old)


def emptying_of_bin(studio: Studio) -> Repeating:
    """Deletes what has been in the bin for 30 days, now and then as long as the studio is open."""

    def empty() -> None:
        delete_all(studio, now() - timedelta(days=KEPT_DAYS))

    return Repeating("bin", empty, LOOK_EVERY_S)
