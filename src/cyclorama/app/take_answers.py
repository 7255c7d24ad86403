"""Answers about takes for the shoot log and the screening room."""

from datetime import UTC, datetime
from typing import Literal

from pydantic import BaseModel

from ..core.picture.light_mix import light_layer_names
from ..core.render.passes.kinds import ALONE
from ..core.review.phrases import data_size, duration
from ..core.scene.shoot import PassName
from ..core.sequence.names import sequence_stem
from ..shoot.farm.worker_status import Crew, crew_of
from ..shoot.finish.pass_pictures import views_of
from ..shoot.finish.take_frames import film_of
from ..shoot.run.reshoot import in_words
from ..shoot.run.worker_lock import who_shoots
from ..store import ListedTake, Studio, TakeRecord
from ..store.database import Process, TakeState
from ..store.take_index import Slate
from ..store.takes import BEAUTY

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
    total: int
    """number of frames that it has"""
    finished: int
    """number of frames that are there"""
    waiting: int
    """number of these that are to be shot again or to get more passes"""
    strip: list[StripFrame]
    left: str | None
    spent: str | None
    forecast: str | None
    clamped: float | None
    source_id: str | None
    process: Process
    """the way it is made of its source, where it has one"""
    disk: str | None
    created: str
    not_before: datetime | None
    """it is not begun sooner"""
    starred: bool


class ShootLog(BaseModel):
    """Shoot log."""

    takes: list[TakeLine]
    """that which is shot and those that wait for their turn first, then the newest"""
    crew: Crew | None
    """machines of a cluster, where one shoots"""


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
    every: int
    """one frame stands for so many"""
    total: int
    """number of frames that it has"""
    done: list[int]
    """numbers of the frames that are finished"""
    versions: list[str]
    """of each of them: another one when it was shot again"""
    mean_s: float | None
    """seconds a frame took"""
    spent: str | None
    width: int
    height: int
    finely: str
    """its quality, in few words"""
    format: str
    clamped: float | None
    """share of the light that clamping took away, None where nothing is clamped"""
    rate: tuple[int, int]
    loops: bool
    """true when its frames go round without a seam"""
    stem: str
    passes: list[str]
    """those that can be shown"""
    shot_passes: tuple[PassName, ...]
    """its passes"""
    passes_alone: tuple[PassName, ...] = ALONE
    """those for which no frame is exposed"""
    transparent: bool
    lights: list[str]
    """those that were kept apart"""
    source_id: str | None
    """the take whose lights this one mixes"""
    disk: str | None
    shot: str
    """its name"""
    otherwise: str | None
    """frames that were shot otherwise than the take"""
    waiting: int
    """frames that are there and are to be shot again or to get more passes"""


def take_answer(take: TakeRecord) -> TakeAnswer:
    """A take for the screening room."""
    done = sorted(n for n in take.frames if n in take.numbers)
    seconds = [spent for n in done if (spent := take.frames[n].seconds) > 0]  # those taken from another take took none
    lost = [clamped for n in done if (clamped := take.frames[n].clamped) is not None]
    s, shot = take.project.shot.shoot, take.project.shot
    return TakeAnswer(
        id=take.id, project_id=take.project_id, project_name=take.project.name, name=take.name, state=take.state,
        message=take.message, first=take.first, last=take.last, every=take.every, total=len(take.numbers), done=done,
        versions=[f.sha256[:8] if (f := take.frames[n].files[BEAUTY]) else "" for n in done],
        mean_s=sum(seconds) / len(seconds) if seconds else None, spent=duration(sum(seconds)) if seconds else None,
        width=s.width, height=s.height, finely=s.samples_in_words, format=s.file_format,
        clamped=sum(lost) / len(lost) if lost else None, rate=(take.project.rate_num, take.project.rate_den),
        loops=film_of(take).closes,
        stem=sequence_stem(take.project),
        passes=views_of(take), shot_passes=take.project.shot.shoot.passes.wanted,
        transparent=s.transparent,
        lights=kept_lights(take),
        source_id=take.source_id, disk=data_size(take.disk_bytes) if take.frames else None,
        shot=shot.name, otherwise=in_words(take), waiting=len(take.waiting),
    )  # fmt: skip


def kept_lights(take: TakeRecord) -> list[str]:
    """Lights that were kept apart, by name of their layer."""
    return light_layer_names(take.project.look) if take.project.shot.shoot.can_be_mixed else []


def shoot_log(studio: Studio, project_id: str | None = None) -> ShootLog:
    """All takes for the shoot log; damaged ones with their names."""
    there = who_shoots(studio.folder)
    takes = sorted(studio.take_list.all(project_id), key=_place)
    crew = crew_of(studio.folder)
    wanted = {take.id: _strip(take) for take in takes}
    finished = studio.take_list.finished_among((take, n) for take, numbers in wanted.items() for n in numbers)
    lines = [
        _line(take, [StripFrame(number=n, finished=(take.id, n) in finished) for n in wanted[take.id]], crew)
        for take in takes
    ]
    if there is not None and there.hangs:
        for line in lines:
            if line.state == "running":
                line.message = HANGS.format(silent=duration(there.silent_s))
    return ShootLog(takes=lines, crew=crew)


def _place(take: ListedTake) -> tuple[int, int]:
    """Order of takes in the log, beyond their age."""
    return {"running": 0, "queued": 1}.get(take.state, 2), take.turn if take.state == "queued" else 0


def _strip(take: ListedTake) -> list[int]:
    """Evenly chosen frames, at most STRIP."""
    total = len(take.numbers)
    count = min(STRIP, total)
    return [take.numbers[i * total // count] for i in range(count)]


def _line(take: ListedTake, strip: list[StripFrame], crew: Crew | None) -> TakeLine:
    total = len(take.numbers)
    at_once = max(1, crew.working) if crew is not None else 1
    left = None
    if take.lacks:  # passes take another time than frames did
        left = None if take.pace_s is None else take.pace_s * take.waiting
    elif take.mean_s is not None:
        left = take.mean_s * (total - take.finished + take.waiting) / at_once
    damaged = take.slate is None
    return TakeLine(
        id=take.id,
        project_id=take.project_id,
        name=take.name,
        slate=take.slate,
        state="damaged" if damaged else take.state,
        message=DAMAGED.format(name=take.name, folder=take.folder) if damaged else _message(take),
        first=take.numbers[0],
        last=take.numbers[-1],
        total=total,
        finished=take.finished,
        waiting=take.waiting,
        strip=strip,
        left=duration(left) if left else None,
        spent=duration(take.seconds) if take.finished else None,
        forecast=duration(take.forecast_s) if take.forecast_s else None,
        clamped=take.clamped,
        source_id=take.source_id,
        process=take.process,
        disk=data_size(take.bytes) if take.finished else None,
        created=take.created.isoformat(timespec="minutes"),
        not_before=None if take.not_before is None else take.not_before.replace(tzinfo=UTC),
        starred=take.starred,
    )


def _message(take: ListedTake) -> str:
    return take.message if take.ends_after is None else f"Ends after frame {take.ends_after}."
