"""What the shoot log and the screening room are told of takes."""

from typing import Literal

from pydantic import BaseModel

from ..core.motion import loops, moves_nothing
from ..core.picture.mix import light_layer_names
from ..core.render.passes.outputs import pass_extension
from ..core.sequence.names import sequence_stem
from ..core.sheet.words import data_size, duration
from ..shoot.presence import who_shoots
from ..store import ListedTake, Studio, TakeRecord
from ..store.database import TakeState
from ..store.slates import Slate

HANGS = "The worker has given no sign of life for {silent}. Stop ends it; Resume goes on with another."
DAMAGED = (
    "What was written about the take ‘{name}’ cannot be read any more. Its frames are in the folder takes/{folder}."
)
STRIP = 12
"""So many frames of a take the log shows."""


class StripFrame(BaseModel):
    """A frame in the strip of a take."""

    number: int
    finished: bool


class TakeLine(BaseModel):
    """A take in the shoot log."""

    id: str
    project_id: str
    name: str
    slate: Slate | None
    state: TakeState | Literal["damaged"]
    message: str
    first: int
    last: int
    finished: int
    """how many frames are"""
    strip: list[StripFrame]
    left: str | None
    spent: str | None
    forecast: str | None
    clamped: float | None
    source_id: str | None
    disk: str | None
    created: str


class TakeAnswer(BaseModel):
    """A take in the screening room."""

    id: str
    project_id: str
    project_name: str
    name: str
    state: TakeState
    message: str
    first: int
    last: int
    done: list[int]
    """numbers of the frames that are finished"""
    mean_s: float | None
    """seconds a frame took"""
    spent: str | None
    width: int
    height: int
    samples: int
    format: str
    clamped: float | None
    """share of the light that clamping took away, None where nothing is clamped"""
    rate: tuple[int, int]
    loops: bool
    """whether its frames go round without a seam"""
    stem: str
    passes: list[str]
    """those that can be shown"""
    lights: list[str]
    """those that were kept apart"""
    source_id: str | None
    """the take whose lights this one mixes"""
    disk: str | None


def take_answer(take: TakeRecord) -> TakeAnswer:
    """A take for the screening room."""
    done = sorted(n for n in take.frames if n in take.numbers)
    seconds = [take.frames[n].seconds for n in done]
    lost = [clamped for n in done if (clamped := take.frames[n].clamped) is not None]
    s, shot = take.project.shot.shoot, take.project.shot
    return TakeAnswer(
        id=take.id, project_id=take.project_id, project_name=take.project.name, name=take.name, state=take.state,
        message=take.message, first=take.first, last=take.last, done=done,
        mean_s=sum(seconds) / len(seconds) if seconds else None, spent=duration(sum(seconds)) if seconds else None,
        width=s.width, height=s.height, samples=s.samples, format=s.file_format,
        clamped=sum(lost) / len(lost) if lost else None, rate=(take.project.rate_num, take.project.rate_den),
        loops=not moves_nothing(shot) and loops(take.project, shot) and len(take.numbers) == shot.frames,
        stem=sequence_stem(take.project),
        passes=[n for n in s.passes.wanted if pass_extension(s, n) in ("png", "jpg")],
        lights=light_layer_names(take.project.look) if "lights" in s.passes.wanted else [],
        source_id=take.source_id, disk=data_size(take.disk_bytes) if take.frames else None,
    )  # fmt: skip


def shoot_log(studio: Studio, project_id: str | None = None) -> list[TakeLine]:
    """All takes for the shoot log, newest first; damaged ones with their names."""
    there = who_shoots(studio.folder)
    takes = studio.take_list.all(project_id)
    wanted = {take.id: _strip(take) for take in takes}
    finished = studio.take_list.finished_among((take, n) for take, numbers in wanted.items() for n in numbers)
    lines = [
        _line(take, [StripFrame(number=n, finished=(take.id, n) in finished) for n in wanted[take.id]])
        for take in takes
    ]
    if there is not None and there.hangs:
        for line in lines:
            if line.state == "running":
                line.message = HANGS.format(silent=duration(there.silent_s))
    return lines


def _strip(take: ListedTake) -> list[int]:
    """Evenly chosen frames, at most STRIP."""
    total = take.last - take.first + 1
    count = min(STRIP, total)
    return [take.first + i * total // count for i in range(count)]


def _line(take: ListedTake, strip: list[StripFrame]) -> TakeLine:
    total = take.last - take.first + 1
    left = None if not take.finished else take.seconds / take.finished * (total - take.finished)
    damaged = take.slate is None
    return TakeLine(
        id=take.id, project_id=take.project_id, name=take.name, slate=take.slate,
        state="damaged" if damaged else take.state,
        message=DAMAGED.format(name=take.name, folder=take.folder) if damaged else take.message,
        first=take.first, last=take.last, finished=take.finished, strip=strip,
        left=duration(left) if left else None, spent=duration(take.seconds) if take.finished else None,
        forecast=duration(take.forecast_s) if take.forecast_s else None, clamped=take.clamped,
        source_id=take.source_id, disk=data_size(take.bytes) if take.finished else None,
        created=take.created.isoformat(timespec="minutes"),
    )  # fmt: skip
