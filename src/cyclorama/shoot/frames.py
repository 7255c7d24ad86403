"""Where a take's files lie, and which of them are whole."""

import hashlib
from pathlib import Path

from ..core.render.outputs import pass_extension
from ..core.scene.shoot import PassName
from ..core.sequence.names import frame_name
from ..store import TakeRecord

PASS_FOLDER = "beauty"


def frame_path(take: TakeRecord, number: int) -> Path:
    """Where a frame's file lies."""
    return take.folder / PASS_FOLDER / frame_name(take.project, number)


def thumb_path(take: TakeRecord, number: int) -> Path:
    return take.folder / ".thumbs" / f"{number}.jpg"


def frames_to_shoot(take: TakeRecord) -> list[int]:
    """Numbers that are missing or whose file is not what was recorded."""
    return [n for n in take.numbers if not _is_whole(take, n)]


def pass_path(take: TakeRecord, name: PassName, number: int) -> Path:
    """Where a pass's file of a frame lies: in a folder of its own."""
    stem = Path(frame_name(take.project, number)).stem
    return take.folder / name / f"{stem}.{pass_extension(take.project, name)}"


def _is_whole(take: TakeRecord, number: int) -> bool:
    record = take.frames.get(number)
    path = frame_path(take, number)
    if record is None or not path.exists() or path.stat().st_size != record.size:
        return False
    if not all(pass_path(take, name, number).exists() for name in take.project.shoot.passes.wanted):
        return False
    return hashlib.sha256(path.read_bytes()).hexdigest() == record.sha256
