"""Things that are kept for all projects, a file each: moves, rigs, materials, sets, destinations and all else.

What is kept under a name that is there already takes its place; the one before is kept as an earlier version, to which
one can go back. How things are labelled (tags, favourites) lies beside them, so it stays from version to version.
"""

import logging
import os
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Generic, TypeVar

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from ..core.commands.names import free_name
from ..core.delivery.destinations import Destination
from ..core.errors import ChangeError, NotFoundError
from ..core.scene.saved_material import SavedMaterial
from ..core.scene.saved_move import SavedMove
from ..core.scene.saved_rig import SavedRig
from ..core.scene.stocked import Stocked
from ..core.scene.writing import revise
from .assets import write_whole

LABELS = "labels.json"
REMOVED = "removed"
"""Folder of things in the bin, within a shelf's folder."""
_log = logging.getLogger(__name__)


Kept = TypeVar("Kept", SavedMove, SavedRig, SavedMaterial, Stocked, Destination)
MOST_VERSIONS = 20


class Label(BaseModel):
    """Label of a thing in the stockroom."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    tags: Annotated[tuple[Annotated[str, Field(min_length=1, max_length=40)], ...], Field(max_length=20)] = ()
    favourite: bool = False


_LABELS = TypeAdapter(dict[str, Label])


@dataclass(frozen=True, slots=True)
class RemovedThing(Generic[Kept]):
    """A thing in the bin."""

    one: Kept
    at: datetime
    """when it was removed, UTC"""
    bytes: int


class Shelf(Generic[Kept]):
    """Documents of one kind in a folder."""

    def __init__(self, folder: Path, kind: type[Kept], called: str):
        """called: what one of them is, in a sentence: ‘move’."""
        self._folder, self._called = folder, called
        self._kind: type[Kept] = kind
        self._bin = folder / REMOVED

    def all(self) -> list[Kept]:
        """By their names; files that cannot be read are left alone and logged."""
        found = []
        for path in self._folder.glob("*.json"):
            if path.name != LABELS:
                found += self._read(path)
        return sorted(found, key=lambda one: (one.name.lower(), one.id))

    def _read(self, path: Path) -> list[Kept]:
        """One thing, or none where its file cannot be read."""
        try:
            return [self._kind.model_validate_json(path.read_bytes())]
        except (OSError, ValidationError):
            _log.warning("The kept %s in %s cannot be read", self._called, path)
            return []

    def text(self) -> str:
        """All files as they are: what they refer to is needed."""
        everywhere = (*self._folder.glob("*"), *self._bin.glob("*"))
        paths = (path for path in everywhere if path.suffix in (".json", ".was"))
        return "\n".join(path.read_text("utf-8", "replace") for path in paths)

    def one(self, identity: str) -> Kept:
        """Raises NotFoundError."""
        for one in self.all():
            if one.id == identity:
                return one
        raise NotFoundError(f"That {self._called} is not kept any more.")

    def keep(self, one: Kept) -> Kept:
        """Keep it; in the place of the one of its name, where there is one. Gives it as it is kept."""
        self._folder.mkdir(exist_ok=True)
        old = next((k for k in self.all() if k.name == one.name and _kind(k) == _kind(one)), None)
        if old is not None and old.id != one.id:
            one = revise(one, id=old.id)
        if old is not None:
            self._put_by(old.id)
        write_whole(self._folder / f"{one.id}.json", one.model_dump_json(indent=1).encode())
        return one

    def rename(self, identity: str, name: str) -> None:
        """Raises NotFoundError; and ChangeError when another one is called so."""
        one = self.one(identity)
        if any(k.name == name and k.id != identity and _kind(k) == _kind(one) for k in self.all()):
            raise ChangeError(f"There is a {self._called} called ‘{name}’ already.")
        renamed = revise(one, name=name)
        write_whole(self._folder / f"{identity}.json", renamed.model_dump_json(indent=1).encode())

    def remove(self, identity: str) -> None:
        """Put it into the bin with its earlier versions; its label stays. Raises NotFoundError."""
        self.one(identity)
        self._bin.mkdir(exist_ok=True)
        for path in self._folder.glob(f"{identity}.*"):
            os.replace(path, self._bin / path.name)
        os.utime(self._bin / f"{identity}.json")

    def removed(self) -> list[RemovedThing[Kept]]:
        """Things in the bin."""
        found = []
        for path in self._bin.glob("*.json"):
            at = datetime.fromtimestamp(path.stat().st_mtime, UTC).replace(tzinfo=None)
            size = sum(file.stat().st_size for file in self._bin.glob(f"{path.stem}.*"))
            found += [RemovedThing(one, at, size) for one in self._read(path)]
        return found

    def put_back(self, identity: str) -> None:
        """Bring it back from the bin; numbered where another one has its name by now. Raises NotFoundError."""
        one = next((r.one for r in self.removed() if r.one.id == identity), None)
        if one is None:
            raise NotFoundError(f"That {self._called} is not in the bin any more.")
        taken = {k.name for k in self.all() if _kind(k) == _kind(one)}
        for path in self._bin.glob(f"{identity}.*"):
            os.replace(path, self._folder / path.name)
        if one.name in taken:
            self.rename(identity, free_name(taken, one.name))

    def delete(self, identity: str) -> None:
        """Delete it from the bin."""
        for path in self._bin.glob(f"{identity}.*"):
            path.unlink(missing_ok=True)
        self.label(identity, Label())

    def versions(self, identity: str) -> int:
        """Number of earlier versions."""
        return len(self._earlier(identity))

    def go_back(self, identity: str) -> None:
        """The version before takes the place of the one that is there, which is gone. Raises NotFoundError."""
        self.one(identity)
        earlier = self._earlier(identity)
        if not earlier:
            raise NotFoundError(f"There is no earlier version of that {self._called}.")
        os.replace(earlier[-1], self._folder / f"{identity}.json")
        if (tile := earlier[-1].with_suffix(".jpg")).exists():
            os.replace(tile, self.tile_path(identity))
        else:
            self.tile_path(identity).unlink(missing_ok=True)

    def tile_path(self, identity: str) -> Path:
        """Where its picture lies, if it has one."""
        return self._folder / f"{identity}.jpg"

    def labels(self) -> dict[str, Label]:
        """By id, of those that have any; none when they cannot be read."""
        try:
            return _LABELS.validate_json((self._folder / LABELS).read_bytes())
        except FileNotFoundError:
            return {}
        except (OSError, ValidationError):
            _log.warning("How kept things in %s are labelled cannot be read", self._folder)
            return {}

    def label(self, identity: str, label: Label) -> None:
        """Label it anew."""
        labels = {**self.labels(), identity: label}
        labels = {key: value for key, value in labels.items() if value != Label()}
        if self._folder.exists():
            write_whole(self._folder / LABELS, _LABELS.dump_json(labels, indent=1))

    def _put_by(self, identity: str) -> None:
        """Save the present state as the latest earlier version."""
        earlier = self._earlier(identity)
        number = int(earlier[-1].name.split(".")[1][1:]) + 1 if earlier else 1
        # a copy, so that it is there whatever happens until the new one is
        write_whole(self._folder / f"{identity}.v{number:05d}.was", (self._folder / f"{identity}.json").read_bytes())
        if self.tile_path(identity).exists():
            os.replace(self.tile_path(identity), self._folder / f"{identity}.v{number:05d}.jpg")
        for old in self._earlier(identity)[:-MOST_VERSIONS]:
            old.unlink()
            old.with_suffix(".jpg").unlink(missing_ok=True)

    def _earlier(self, identity: str) -> list[Path]:
        return sorted(self._folder.glob(f"{identity}.v*.was"))


def _kind(one: BaseModel) -> str:
    """Kind of a thing among those of its shelf."""
    return one.content.kind if isinstance(one, Stocked) else ""
