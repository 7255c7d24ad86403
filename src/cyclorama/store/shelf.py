"""Things that are kept for other projects, a file each: moves, rigs, materials."""

import logging
from pathlib import Path
from typing import Generic, TypeVar

from pydantic import ValidationError

from ..core.errors import NotFoundError
from ..core.scene.saved_material import SavedMaterial
from ..core.scene.saved_move import SavedMove
from ..core.scene.saved_rig import SavedRig
from .assets import write_whole

_log = logging.getLogger(__name__)


Kept = TypeVar("Kept", SavedMove, SavedRig, SavedMaterial)


class Shelf(Generic[Kept]):
    """Documents of one kind in a folder."""

    def __init__(self, folder: Path, kind: type[Kept], called: str):
        """called: what one of them is, in a sentence: ‘move’."""
        self._folder, self._called = folder, called
        self._kind: type[Kept] = kind

    def all(self) -> list[Kept]:
        """By their names; files that cannot be read are left alone and logged."""
        found = []
        for path in self._folder.glob("*.json"):
            try:
                found.append(self._kind.model_validate_json(path.read_bytes()))
            except (OSError, ValidationError):
                _log.warning("The kept %s in %s cannot be read", self._called, path)
        return sorted(found, key=lambda one: (one.name.lower(), one.id))

    def text(self) -> str:
        """All files as they are: what they refer to is needed."""
        return "\n".join(path.read_text("utf-8", "replace") for path in self._folder.glob("*.json"))

    def keep(self, one: Kept) -> None:
        self._folder.mkdir(exist_ok=True)
        write_whole(self._folder / f"{one.id}.json", one.model_dump_json(indent=1).encode())

    def remove(self, identity: str) -> None:
        """Raises NotFoundError."""
        if identity not in {one.id for one in self.all()}:
            raise NotFoundError(f"That {self._called} is not kept any more.")
        (self._folder / f"{identity}.json").unlink(missing_ok=True)
