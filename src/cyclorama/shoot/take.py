"""Shoot one take: what is missing or damaged, frame by frame, each written whole or not at all."""

import hashlib
import io
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image

from ..core.errors import CycloramaError, ShootError
from ..core.picture.exposure import expose, shown_look
from ..core.picture.files import encode_frame
from ..core.picture.view import to_bytes, to_display
from ..core.render.outputs import pass_extension, pass_files
from ..core.render.scene import SceneCompiler
from ..core.render.tracer import Cancelled, Tracer
from ..core.scene import Project
from ..core.scene.shoot import PassName
from ..core.sequence.names import frame_name
from ..store import FrameRecord, Studio, TakeRecord
from ..store.assets import write_whole
from ..store.database import now
from .maker import FrameMaker

THUMB_WIDTH = 192
PASS_FOLDER = "beauty"
WISH_EVERY_S = 0.4


@dataclass(frozen=True, slots=True)
class Progress:
    """Told while a take is shot."""

    frame: int
    share: float
    """of this frame"""
    done: int
    total: int
    seconds: list[float]
    """of the frames finished in this run"""

    @property
    def left_s(self) -> float | None:
        """Seconds left, from the frames so far; None before the first is done."""
        if not self.seconds:
            return None
        mean = sum(self.seconds) / len(self.seconds)
        return mean * (self.total - self.done - self.share)


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


class Wish:
    """What the artist last asked for, looked up at most every WISH_EVERY_S."""

    def __init__(self, studio: Studio, take_id: str):
        self._studio, self._take_id = studio, take_id
        self._asked = 0.0
        self.value = "run"

    def interrupts(self, at_once: bool = False) -> bool:
        if at_once or time.monotonic() - self._asked > WISH_EVERY_S:
            self._asked = time.monotonic()
            self.value = self._studio.takes.wish(self._take_id)
        return self.value != "run"


def shoot_take(studio: Studio, take_id: str, tracer: Tracer, tell: Callable[[Progress], None] = lambda p: None) -> str:
    """Shoot what is missing of a take and return its state: done, paused, stopped or failed."""
    take = studio.takes.get(take_id)
    studio.takes.update(take_id, state="running", started=take.started or now(), message="", finished=None)
    wish = Wish(studio, take_id)
    try:
        _shoot_missing(studio, take, tracer, wish, tell)
        state, message = "done", ""
    except Cancelled:
        state, message = ("paused" if wish.value == "pause" else "stopped"), ""
    except CycloramaError as error:
        state, message = "failed", error.sentence
    except OSError as error:
        state, message = "failed", f"A frame could not be written: {error.strerror or error}. Check the disk."
    finished = now() if state in ("done", "failed") else None
    studio.takes.update(take_id, state=state, message=message, worker_pid=None, finished=finished)
    return state


def _shoot_missing(
    studio: Studio, take: TakeRecord, tracer: Tracer, wish: Wish, tell: Callable[[Progress], None]
) -> None:
    (take.folder / PASS_FOLDER).mkdir(parents=True, exist_ok=True)
    (take.folder / ".thumbs").mkdir(exist_ok=True)
    missing = frames_to_shoot(take)
    for number in set(missing) & set(take.frames):
        studio.takes.drop_frame(take.id, number)
    compiler = SceneCompiler(studio.assets.get)
    maker = FrameMaker(take.project, take.numbers, compiler, tracer)
    for name in take.project.shoot.passes.wanted:
        (take.folder / name).mkdir(exist_ok=True)
    total, seconds = len(take.numbers), []
    done = total - len(missing)
    for number in missing:
        start = time.perf_counter()

        def progress(share: float, number: int = number, done: int = done) -> None:
            tell(Progress(number, share, done, total, seconds))

        made = maker.make(number, wish.interrupts, progress)
        if not np.isfinite(made.radiance).all():
            raise ShootError(f"Frame {number} has pixels that are not numbers; this is a fault of the renderer.")
        # the beauty picture comes last: a frame that has it has all its passes
        for file in pass_files(take.project, number, made.film, compiler, tracer, wish.interrupts):
            write_whole(pass_path(take, file.name, number), file.data)
        s = take.project.shoot
        data = encode_frame(made.radiance, made.alpha, shown_look(take.project), s.file_format, s.bits)
        write_whole(frame_path(take, number), data)
        write_whole(thumb_path(take, number), _thumb(made.radiance, take.project))
        seconds.append(time.perf_counter() - start)
        record = FrameRecord(
            number, frame_path(take, number).name, hashlib.sha256(data).hexdigest(), len(data), seconds[-1]
        )
        studio.takes.add_frame(take.id, record)
        done += 1
        tell(Progress(number, 0.0, done, total, seconds))
        if number != missing[-1] and wish.interrupts(at_once=True):
            raise Cancelled


def _thumb(radiance: np.ndarray, project: Project) -> bytes:
    shown = to_bytes(to_display(expose(radiance, shown_look(project)), project.look.view))
    image = Image.fromarray(shown)
    image.thumbnail((THUMB_WIDTH, THUMB_WIDTH * 2), Image.Resampling.BOX)
    buffer = io.BytesIO()
    image.save(buffer, "JPEG", quality=85)
    return buffer.getvalue()
