"""Shoot one take: what is missing or damaged, frame by frame, each written whole or not at all."""

import io
import logging
import os
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

import numpy as np
from PIL import Image

from ..core.arrays import RGBImage
from ..core.errors import BusyError, CycloramaError, NotFoundError, ShootError, SpaceError
from ..core.picture.files import encode_linear
from ..core.picture.view import to_bytes, to_display
from ..core.render.compile.compiler import SceneCompiler
from ..core.render.film.tracer import Cancelled, Tracer
from ..core.scene.tone import ViewName
from ..core.sheet.words import frames as frames_in_words
from ..store import FileSum, FrameRecord, Studio, TakeRecord
from ..store.assets import clear_parts, write_whole
from ..store.database import now
from ..store.takes import BEAUTY, THUMB
from .frames import frame_path, frames_to_shoot, pass_path, sum_of, thumb_path
from .maker import FrameMaker
from .mixing import MixMaker
from .patience import Patience

THUMB_WIDTH = 192
WISH_EVERY_S = 0.4
MOST_TRIES = 2
"""A frame that failed as often is set aside, and the others go on."""
SAME_FAULTS = 3
"""So many frames in a row that fail for the same reason say that all would."""
_log = logging.getLogger(__name__)


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


Tell = Callable[[Progress], None]


class Wish:
    """What the artist last asked for, looked up at most every WISH_EVERY_S."""

    def __init__(self, studio: Studio, take_id: str, moved: Callable[[], None]):
        self._studio, self._take_id, self._moved = studio, take_id, moved
        self._asked = 0.0
        self.value = "run"

    def interrupts(self, at_once: bool = False) -> bool:
        self._moved()
        if at_once or time.monotonic() - self._asked > WISH_EVERY_S:
            self._asked = time.monotonic()
            with suppress(BusyError):  # what was wished before still holds
                self.value = self._studio.takes.wish(self._take_id)
        return self.value != "run"

    def check(self) -> None:
        """Raises Cancelled when something else is wished than to go on."""
        if self.interrupts(at_once=True):
            raise Cancelled


def shoot_take(
    studio: Studio, take_id: str, tracer: Tracer, tell: Tell = lambda p: None, moved: Callable[[], None] = lambda: None
) -> str:
    """Shoot what is missing of a take and return its state: done, paused, stopped or failed.

    moved: called now and then as long as the work goes on. Raises NotFoundError when the take is removed meanwhile.
    """
    take = studio.takes.get(take_id)
    wish = Wish(studio, take_id, moved)
    run = _Run(studio, take, tracer, wish, tell)
    mine = {"worker_pid": os.getpid(), "started": take.started or now(), "message": "", "finished": None}
    run.patience.insist(lambda: studio.takes.update(take_id, state="running", frame_now=None, **mine))
    try:
        run.shoot_missing()
        state, message = run.outcome()
    except Cancelled:
        state, message = ("paused" if wish.value == "pause" else "stopped"), ""
    except NotFoundError:
        studio.takes.state(take_id)  # the take itself may be gone
        raise
    except CycloramaError as error:
        state, message = "failed", error.sentence
    except OSError as error:
        state, message = "failed", f"A frame could not be written: {error.strerror or error}. Check the disk."
    finished = now() if state in ("done", "failed") else None
    ended = {"state": state, "message": message, "worker_pid": None, "frame_now": None, "finished": finished}
    _until_saved(lambda: studio.takes.update(take_id, **ended))
    return state


def _until_saved(save: Callable[[], None]) -> None:
    """Nothing is left to do but to save how it ended: wait as long as that takes."""
    while True:
        try:
            return save()
        except (BusyError, SpaceError):
            time.sleep(1.0)


@dataclass(slots=True)
class _Run:
    """One go at what is missing of a take."""

    studio: Studio
    take: TakeRecord
    tracer: Tracer
    wish: Wish
    tell: Tell
    patience: Patience = field(init=False)
    seconds: list[float] = field(default_factory=list)
    done: int = 0
    faults: list[str] = field(default_factory=list)
    """reasons of the last frames in a row that failed"""

    def __post_init__(self) -> None:
        self.patience = Patience(self.studio, self.take, self.wish.check)

    def shoot_missing(self) -> None:
        take = self.take
        for name in (BEAUTY, THUMB, *take.project.shot.shoot.passes.wanted):
            folder = take.folder / name
            self.patience.insist(partial(_make_folder, folder))
            clear_parts(folder)
        missing = [n for n in frames_to_shoot(take) if n not in take.troubles]
        self.done = len(take.numbers) - len(missing) - len(take.troubles)
        for number in set(missing) & set(take.frames):
            self.patience.insist(partial(self.studio.takes.drop_frame, take.id, number))
        maker = self._maker()
        for number in missing:
            while not self._try_frame(maker, number):
                maker = self._maker()  # what the last one remembered may be what is wrong
                self.wish.check()
            if number != missing[-1]:
                self.wish.check()

    def outcome(self) -> tuple[str, str]:
        """State and message after the last frame."""
        troubles = self.studio.takes.get(self.take.id).troubles
        if not troubles:
            return "done", ""
        which = frames_in_words(sorted(troubles))
        return "failed", f"Set aside: {which}. {next(iter(troubles.values()))} Resume tries again."

    def _maker(self) -> FrameMaker | MixMaker:
        take = self.take
        if take.source_id is not None:
            return MixMaker(self.studio.takes.get(take.source_id), take.balance)
        return FrameMaker(take.project, take.numbers, SceneCompiler(self.studio.assets.get), self.tracer)

    def _try_frame(self, maker: FrameMaker | MixMaker, number: int) -> bool:
        """Shoot a frame; whether one can go on to the next, because it is there or was set aside."""
        self.patience.wait_for_room()
        self.patience.insist(lambda: self.studio.takes.update(self.take.id, frame_now=number))
        try:
            self._shoot(maker, number)
        except Cancelled:
            raise
        except Exception as error:
            self.studio.takes.state(self.take.id)  # a take that was removed meanwhile has no frames to fail
            return self._failed(number, error)
        self.faults.clear()
        return True

    def _shoot(self, maker: FrameMaker | MixMaker, number: int) -> None:
        start = time.perf_counter()

        def progress(share: float) -> None:
            self.tell(Progress(number, share, self.done, len(self.take.numbers), self.seconds))

        made = maker.make(number, self.wish.interrupts, progress)
        if not np.isfinite(made.picture).all():
            raise ShootError(f"Frame {number} has pixels that are not numbers; this is a fault of the renderer.")
        # the beauty picture comes last: a frame that has it has all its passes
        files: dict[str, FileSum | None] = {}
        for file in made.passes:
            files[file.name] = self._write(pass_path(self.take, file.name, number), file.data)
        s, view = self.take.project.shot.shoot, self.take.project.look.tone.view
        data = encode_linear(made.picture, made.alpha, view, s.file_format, s.bits)
        files[BEAUTY] = self._write(frame_path(self.take, number), data)
        files[THUMB] = self._write(thumb_path(self.take.folder, number), _thumb(made.picture, view))
        self.seconds.append(time.perf_counter() - start)
        record = FrameRecord(number, frame_path(self.take, number).name, files, self.seconds[-1], made.clamped)
        self.patience.insist(lambda: self.studio.takes.add_frame(self.take.id, record))
        self.done += 1
        self.tell(Progress(number, 0.0, self.done, len(self.take.numbers), self.seconds))

    def _write(self, path: Path, data: bytes) -> FileSum:
        self.patience.insist(lambda: write_whole(path, data))
        return sum_of(data)

    def _failed(self, number: int, error: Exception) -> bool:
        """Record that a frame failed; whether it is set aside. Raises ShootError when all frames fail alike."""
        _log.error("Frame %s of %s failed", number, self.take.id, exc_info=error)
        reason = _reason(error)
        aside = self.patience.insist(lambda: self.studio.takes.add_trouble(self.take.id, number, reason, MOST_TRIES))
        if aside:
            self.faults = [*self.faults, reason] if self.faults[-1:] == [reason] else [reason]
            if len(self.faults) >= SAME_FAULTS or len(self.take.numbers) == 1:
                self.patience.insist(lambda: self.studio.takes.forgive(self.take.id))
                raise ShootError(reason) from error
        return aside


def _reason(error: Exception) -> str:
    """Why a frame failed, in a sentence."""
    if isinstance(error, CycloramaError):
        return error.sentence
    if isinstance(error, MemoryError):
        return "It needs more memory than there is."
    if isinstance(error, OSError):
        return f"A file could not be written: {error.strerror or error}. Check the disk."
    return f"A fault of the renderer ({type(error).__name__}: {str(error)[:120]}); worker.log tells more."


def _make_folder(folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)


def _thumb(picture: RGBImage, view: ViewName) -> bytes:
    image = Image.fromarray(to_bytes(to_display(picture, view)))
    image.thumbnail((THUMB_WIDTH, THUMB_WIDTH * 2), Image.Resampling.BOX)
    buffer = io.BytesIO()
    image.save(buffer, "JPEG", quality=85)
    return buffer.getvalue()
