"""The slate of a take, kept beside its frames, so that a take outlives a lost record.

    takes/<id>/slate.json      settings, document and times, as they were when the take was called
    takes/<id>/frames.jsonl    a line for each finished frame, with the sums of its files

The database is what counts as long as it knows the take; these files are read only when it does not.
"""

import json
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, TypeAdapter, ValidationError

from ..core.errors import telling_of_space
from ..core.picture.light_mix import LightChange
from .assets import write_whole
from .database import Process
from .frame_record import FrameRecord

SLATE, FRAMES = "slate.json", "frames.jsonl"
_FRAME = TypeAdapter(FrameRecord)


class TakeSlate(BaseModel):
    """Slate of a take."""

    version: Literal[1] = 1
    id: str
    project_id: str
    name: str
    document: str
    """JSON of the project"""
    project_version: int
    created: datetime
    source_id: str | None = None
    balance: dict[str, LightChange] = {}
    process: Process = "mix"


def write_slate(folder: Path, slate: TakeSlate) -> None:
    """Write the slate of a take into its folder, which is made. Raises SpaceError."""
    with telling_of_space():
        folder.mkdir(parents=True, exist_ok=True)
    write_whole(folder / SLATE, slate.model_dump_json().encode())


def has_slate(folder: Path) -> bool:
    return (folder / SLATE).is_file()


def read_slate(folder: Path) -> TakeSlate | None:
    """The slate in a take's folder, None where there is none that can be read."""
    try:
        return TakeSlate.model_validate_json((folder / SLATE).read_bytes())
    except (OSError, ValidationError):
        return None


def remove_slate(folder: Path) -> None:
    """From now on the take is not adopted when its record is gone: it is being removed."""
    (folder / SLATE).unlink(missing_ok=True)


def append_frames(folder: Path, frames: list[FrameRecord]) -> None:
    """Note finished frames beside the slate. Raises SpaceError."""
    lines = b"".join(_FRAME.dump_json(frame) + b"\n" for frame in frames)
    with telling_of_space(), (folder / FRAMES).open("ab") as file:
        file.write(lines)


def read_frames(folder: Path) -> dict[int, FrameRecord]:
    """The finished frames of a take by number, the last line of each; a torn line counts as not there."""
    return {frame.number: frame for frame in _lines(folder / FRAMES)}


def _lines(path: Path) -> Iterator[FrameRecord]:
    try:
        lines = path.read_bytes().splitlines()
    except OSError:
        return
    for line in lines:
        try:
            yield _FRAME.validate_python(json.loads(line))
        except (ValueError, ValidationError):
            continue
