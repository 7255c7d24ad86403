"""Removing what nothing refers to any more: files of models that were replaced and forgotten, old posters, what
crashes and cancelled intakes left behind.

Every kept state counts, also those that only undo or redo can reach, and every take; documents are searched as text,
so that damaged ones keep their files too. Folders of takes without a record are left alone: they may be the frames of
a night, and the record only lost.
"""

import re
import shutil
import time
from dataclasses import dataclass
from pathlib import Path

from .assets import PART
from .proofs import FOLDER
from .studio import Studio

REST_S = 86_400.0
SWATCH_S = 30 * 86_400.0
"""Swatches are developed anew when they are wanted again."""
"""What is younger may belong to something that is just coming in."""
_KEY = re.compile(r"(?<![0-9a-f])[0-9a-f]{32}(?![0-9a-f])")


@dataclass(slots=True)
class Collected:
    """What was removed."""

    files: int = 0
    bytes: int = 0

    def remove(self, path: Path) -> None:
        size = path.stat().st_size
        path.unlink()
        self.files += 1
        self.bytes += size


def keys_in(document: str) -> set[str]:
    """Names of all kept files that a document refers to."""
    return set(_KEY.findall(document))


def collect_garbage(studio: Studio, rest_s: float = REST_S) -> Collected:
    """Remove what nothing refers to and what was not touched for `rest_s`."""
    collected, before = Collected(), time.time() - rest_s
    needed = studio.projects.everything_in_documents(keys_in) | studio.takes.everything_in_documents(keys_in)
    needed |= set().union(*map(keys_in, (*studio.screening.finish_documents(), *studio.cuts.documents())))
    for shelf in (studio.materials, studio.rigs, studio.stock):
        needed |= keys_in(shelf.text())
    for path in _files(studio.folder / "assets", before):
        if path.name.endswith(PART) or (path.parent.name + path.name.split(".")[0]) not in needed:
            collected.remove(path)
    versions = {f"{p.id}.{p.version}.jpg" for p in studio.projects.listed()}
    for path in _files(studio.folder / "posters", before):
        if path.name not in versions:
            collected.remove(path)
    for path in _files(studio.folder / "swatches", before - SWATCH_S):
        collected.remove(path)
    known = {p.id for p in studio.projects.listed()}
    for folder in (studio.folder / FOLDER).glob("*"):
        if folder.name.split(".")[0] not in known and folder.stat().st_mtime < before:
            _remove_all(folder, collected)
    for path in (studio.folder / "deliveries").glob("*/.*"):  # what died while it was made
        if path.stat().st_mtime < before:
            _remove_all(path, collected) if path.is_dir() else collected.remove(path)
    coming = studio.jobs.unfinished_specs()
    for folder in (studio.folder / "incoming").glob("*"):
        if folder.stat().st_mtime < before and not any(folder.name in spec for spec in coming):
            _remove_all(folder, collected)
    return collected


def _remove_all(folder: Path, collected: Collected) -> None:
    for path in _files(folder, time.time()):
        collected.remove(path)
    shutil.rmtree(folder, ignore_errors=True)


def _files(folder: Path, before: float) -> list[Path]:
    return [p for p in folder.rglob("*") if p.is_file() and p.stat().st_mtime < before]
