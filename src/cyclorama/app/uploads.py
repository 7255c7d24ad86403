"""Files that arrived, each intake in a folder of its own."""

import secrets
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

from ..store import Studio
from ..store.jobs import WORKING, anybody_works

INCOMING = "incoming"


@dataclass(slots=True)
class Uploads:
    """Files that arrived, in a folder of their own; `clear` when they are not needed any more."""

    folder: Path
    paths: dict[str, Path] = field(default_factory=dict)
    """by the names their senders gave them, which may hold folders"""

    def clear(self) -> None:
        shutil.rmtree(self.folder, ignore_errors=True)


def sweep_incoming(studio: Studio) -> None:
    """Remove what a killed studio left of files that arrived, and no unfinished job needs. For a start, before anything
    arrives; nothing is removed while another studio works in the folder."""
    if anybody_works(studio.folder / WORKING):
        return
    needed = studio.jobs.unfinished_specs()
    for folder in (studio.folder / INCOMING).glob("*"):
        if not any(folder.name in spec for spec in needed):
            shutil.rmtree(folder, ignore_errors=True)


@contextmanager
def scratch_folder(data_folder: Path) -> Iterator[Path]:
    """A folder beside those of what arrives, for work on what is here already; it is gone afterwards."""
    folder = data_folder / INCOMING / secrets.token_hex(8)
    folder.mkdir(parents=True)
    try:
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)
