"""Moves that are kept for other projects, a file each."""

import logging
from pathlib import Path

from pydantic import ValidationError

from ..core.errors import NotFoundError
from ..core.scene.saved_move import SavedMove
from .assets import write_whole

_log = logging.getLogger(__name__)


class MoveStore:
    """Kept moves in a folder."""

    def __init__(self, folder: Path):
        self._folder = folder

    def all(self) -> list[SavedMove]:
        """By their names; files that cannot be read are left alone and logged."""
        found = []
        for path in self._folder.glob("*.json"):
            try:
                found.append(SavedMove.model_validate_json(path.read_bytes()))
            except (OSError, ValidationError):
                _log.warning("The kept move in %s cannot be read", path)
        return sorted(found, key=lambda move: (move.name.lower(), move.id))

    def keep(self, move: SavedMove) -> None:
        self._folder.mkdir(exist_ok=True)
        write_whole(self._folder / f"{move.id}.json", move.model_dump_json(indent=1).encode())

    def remove(self, move_id: str) -> None:
        """Raises NotFoundError."""
        known = {move.id for move in self.all()}
        if move_id not in known:
            raise NotFoundError("That move is not kept any more.")
        (self._folder / f"{move_id}.json").unlink(missing_ok=True)
