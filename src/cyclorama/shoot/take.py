"""Shoot one take: what is missing or damaged, frame by frame, each written whole or not at all."""

import hashlib
import io
import time
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PIL import Image

from ..core.arrays import RGBImage
from ..core.errors import CycloramaError, ShootError
from ..core.picture.files import encode_linear
from ..core.picture.view import to_bytes, to_display
from ..core.render.scene import SceneCompiler
from ..core.render.tracer import Cancelled, Tracer
from ..core.scene.look import ViewName
from ..store import FrameRecord, Studio, TakeRecord
from ..store.assets import write_whole
from ..store.database import now
from .frames import PASS_FOLDER, frame_path, frames_to_shoot, pass_path, thumb_path
from .maker import FrameMaker
from .mixing import MixMaker

THUMB_WIDTH = 192
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
    maker = _maker(studio, take, tracer)
    for name in take.project.shoot.passes.wanted:
        (take.folder / name).mkdir(exist_ok=True)
    total, seconds = len(take.numbers), []
    done = total - len(missing)
    for number in missing:
        start = time.perf_counter()

        def progress(share: float, number: int = number, done: int = done) -> None:
            tell(Progress(number, share, done, total, seconds))

        made = maker.make(number, wish.interrupts, progress)
        if not np.isfinite(made.picture).all():
            raise ShootError(f"Frame {number} has pixels that are not numbers; this is a fault of the renderer.")
        # the beauty picture comes last: a frame that has it has all its passes
        for file in made.passes:
            write_whole(pass_path(take, file.name, number), file.data)
        s, view = take.project.shoot, take.project.look.view
        data = encode_linear(made.picture, made.alpha, view, s.file_format, s.bits)
        write_whole(frame_path(take, number), data)
        write_whole(thumb_path(take, number), _thumb(made.picture, view))
        seconds.append(time.perf_counter() - start)
        record = FrameRecord(
            number, frame_path(take, number).name, hashlib.sha256(data).hexdigest(), len(data), seconds[-1],
            made.clamped,
        )  # fmt: skip
        studio.takes.add_frame(take.id, record)
        done += 1
        tell(Progress(number, 0.0, done, total, seconds))
        if number != missing[-1] and wish.interrupts(at_once=True):
            raise Cancelled


def _maker(studio: Studio, take: TakeRecord, tracer: Tracer) -> FrameMaker | MixMaker:
    if take.source_id is not None:
        return MixMaker(studio.takes.get(take.source_id), take.balance)
    return FrameMaker(take.project, take.numbers, SceneCompiler(studio.assets.get), tracer)


def _thumb(picture: RGBImage, view: ViewName) -> bytes:
    image = Image.fromarray(to_bytes(to_display(picture, view)))
    image.thumbnail((THUMB_WIDTH, THUMB_WIDTH * 2), Image.Resampling.BOX)
    buffer = io.BytesIO()
    image.save(buffer, "JPEG", quality=85)
    return buffer.getvalue()
