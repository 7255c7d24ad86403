"""Status of workers, written by each and read by whoever looks.

Kept in a file of its own, as it changes every second and nobody needs it tomorrow.
"""

import time
from pathlib import Path

from pydantic import BaseModel, ValidationError

from ...store.assets import write_whole

STALE_S = 15.0
"""Nobody has told for so long: who did is gone."""


class WorkerStatus(BaseModel):
    """A machine that works for the studio, or could."""

    name: str
    cores: int
    memory: int
    """bytes in use"""
    same: bool
    """true when it has this version of the program"""
    frame: int | None
    does: str
    share: float
    """of what it does"""
    frames_a_minute: float


class Crew(BaseModel):
    """Everybody on a cluster."""

    address: str
    hands: list[WorkerStatus]

    @property
    def working(self) -> int:
        return sum(hand.same for hand in self.hands)


def tell_crew(folder: Path, crew: Crew) -> None:
    """Raises SpaceError when the disk is full."""
    write_whole(_path(folder), crew.model_dump_json().encode())


def forget_crew(folder: Path) -> None:
    _path(folder).unlink(missing_ok=True)


def crew_of(folder: Path) -> Crew | None:
    """Current worker status; None without one."""
    try:
        path = _path(folder)
        if time.time() - path.stat().st_mtime > STALE_S:
            return None
        return Crew.model_validate_json(path.read_bytes())
    except (FileNotFoundError, ValidationError):
        return None


def _path(folder: Path) -> Path:
    return folder / "crew.json"
