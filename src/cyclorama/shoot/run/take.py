"""Shoot one take: what is missing or damaged, frame by frame, each written whole or not at all."""

import logging
import os
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from ...core.errors import BusyError, CycloramaError, NotFoundError, ShootError, SpaceError
from ...core.motion import moment
from ...core.render.compile.compiler import SceneCompiler
from ...core.render.film.frame import finish_of
from ...core.render.film.tracer import Cancelled, Tracer
from ...core.render.passes.kinds import OF_PICTURE
from ...core.review.phrases import frames as frames_in_words
from ...core.scene import put_all
from ...core.scene.shoot import PassName
from ...store import FileSum, FrameRecord, Studio, TakeRecord
from ...store.assets import clear_parts, link_whole, write_whole
from ...store.database import now
from ...store.takes import BEAUTY, MASTER, THUMB
from ..finish.denoising import CleanMaker
from ..finish.masters import Masters
from ..frames.cache import FrameKeys, light_of
from ..frames.executors import FrameExecutor, LocalExecutor, RenderedFrame, shown_files
from ..frames.files import file_path, frame_path, sum_of, to_shoot
from ..frames.mixing import MixMaker
from ..frames.patches import PassMaker, PatchMaker
from ..frames.pipeline import FrameMaker, Maker
from ..frames.reuse import Reuse, reusable
from .reshoot import Group, groups
from .retry import Patience

if TYPE_CHECKING:  # shooting here needs no library of clusters
    from ..farm.cluster import Machine
    from ..farm.farm import Farm

WISH_EVERY_S = 0.4
MOST_TRIES = 2
"""A frame that failed as often is set aside, and the others go on."""
SAME_FAULTS = 3
"""So many frames in a row that fail for the same reason say that all would."""
FRAME = {BEAUTY, THUMB, MASTER}
"""Files of a frame that are no passes."""
_log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class TakeProgress:
    """Told while a take is shot."""

    frame: int
    share: float
    """of this frame"""
    done: int
    total: int
    seconds: list[float]
    """of the frames finished in this run"""
    at_once: int = 1
    """frames that are made at the same time"""

    @property
    def left_s(self) -> float | None:
        """Seconds left, from the frames so far; None before the first is done."""
        if not self.seconds:
            return None
        mean = sum(self.seconds) / len(self.seconds)
        return mean * (self.total - self.done - self.share) / self.at_once


Tell = Callable[[TakeProgress], None]


class Wish:
    """Latest request of the artist, looked up at most every WISH_EVERY_S."""

    def __init__(self, studio: Studio, take_id: str, moved: Callable[[], None]):
        self._studio, self._take_id, self._moved = studio, take_id, moved
        self._asked = 0.0
        self.value = "run"

    def interrupts(self, at_once: bool = False) -> bool:
        self._moved()
        if at_once or time.monotonic() - self._asked > WISH_EVERY_S:
            self._asked = time.monotonic()
            with suppress(BusyError):  # the wish before still holds
                self.value = self._studio.takes.wish(self._take_id)
        return self.value != "run"

    def check(self) -> None:
        """Raises Cancelled when something else is wished than to go on."""
        if self.interrupts(at_once=True):
            raise Cancelled


def shoot_take(
    studio: Studio,
    take_id: str,
    tracer: Tracer,
    tell: Tell = lambda p: None,
    moved: Callable[[], None] = lambda: None,
    farm: "Farm | None" = None,
) -> str:
    """Shoot what is missing of a take and return its state: done, paused, stopped or failed.

    moved: called now and then as long as the work goes on; farm: where frames are made, if not here. Raises
    NotFoundError when the take is removed meanwhile.
    """
    take = studio.takes.get(take_id)
    wish = Wish(studio, take_id, moved)
    run = _Run(studio, take, tracer, wish, tell, farm)
    mine = {"worker_pid": os.getpid(), "started": now(), "message": "", "finished": None}
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
    with suppress(BusyError, SpaceError):  # the record is in the log already
        studio.checkpoint()
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
    farm: "Farm | None"
    patience: Patience = field(init=False)
    keys: FrameKeys | None = field(init=False)
    seconds: list[float] = field(default_factory=list)
    done: int = 0
    group: Group = field(init=False)
    """settings of the frames that are being made"""
    sources: dict[str, TakeRecord] = field(default_factory=dict)
    """takes from which frames were taken over"""
    alike: dict[str, list[int]] = field(default_factory=dict)
    """frames that wait for one of the same light, by what of their keys stands for it"""
    masters: Masters = field(init=False)
    began: float = 0.0
    """when the frame that is being made here was begun, on the clock of `perf_counter`"""
    recorded: dict[int, FrameRecord] = field(init=False)
    """records of frames that are there"""
    lacking: dict[int, tuple[PassName, ...]] = field(default_factory=dict)
    """passes of frames that were taken over without them"""
    faults: list[str] = field(default_factory=list)
    """reasons of the last frames in a row that failed"""

    def __post_init__(self) -> None:
        self.masters, self.recorded = Masters(self.studio, 0), dict(self.take.frames)
        self.patience = Patience(self.studio, self.take, self.wish.check)
        self._begin_group(Group(self.take, []))

    def shoot_missing(self) -> None:
        take = self.take
        for name in (*FRAME, *take.project.shot.shoot.passes.wanted):
            folder = take.folder / name
            self.patience.insist(partial(_make_folder, folder))
            clear_parts(folder)
        missing = {n: lacks for n, lacks in to_shoot(take).items() if n not in take.troubles}
        self.done = len(take.numbers) - len(missing) - len(take.troubles)
        for number, lacks in missing.items():
            if lacks is None and number in take.frames and number not in take.pending:
                self.patience.insist(partial(self.studio.takes.drop_frame, take.id, number))
        for group in groups(take, missing):
            self._begin_group(group)
            self._shoot(group.numbers if group.passes else self._not_linked(group.numbers))
        lacking, self.lacking = self.lacking, {}
        for group in groups(take, dict(lacking)):  # pictures were taken over, passes were not
            self._begin_group(group)
            self._shoot(group.numbers)

    def _begin_group(self, group: Group) -> None:
        """Frames that are shot alike come next."""
        self.group = group
        take = self.take = group.take
        keyed = take.source_id is None and group.is_whole
        self.keys = FrameKeys(take.project, take.numbers) if keyed else None

    def _not_linked(self, missing: list[int]) -> list[int]:
        """Frames that are to be made: one of those that show the same, and none that is there already."""
        to_make = []
        for number in missing:
            if self._link(number):
                self.wish.check()
            elif self.keys is not None and (light := light_of(self.keys.of(number))) in self.alike:
                self.alike[light].append(number)
            else:
                to_make.append(number)
                if self.keys is not None:
                    self.alike[light] = []
        return to_make

    def _link(self, number: int) -> bool:
        """Take a frame's files from one that shows the same and is whole. Where the grade differs, or only what shows
        it is damaged, make that of its master. Whether there is one."""
        if self.keys is None or number in self.take.pending:  # somebody wants to see it made
            return False
        key = self.keys.of(number)
        best = self._best_reuse(key)
        if best is None:
            return False
        source, there, found = best
        files = dict(found.files)
        for name in files:
            here = file_path(self.take, name, number)
            self.patience.insist(partial(link_whole, file_path(source, name, there), here))
        if not found.is_shown:
            files |= self._shown_anew(source, there, number)
        if found.lacks:
            self.lacking[number] = found.lacks
        clamped = source.frames[there].clamped
        self._record(FrameRecord(number, frame_path(self.take, number).name, files, 0.0, clamped, key))
        return True

    def _best_reuse(self, key: str) -> tuple[TakeRecord, int, Reuse] | None:
        """The frame with the same light, and its number, of which most can be taken over."""
        best: tuple[TakeRecord, int, Reuse] | None = None
        for take_id, there in self.studio.takes.frames_like(key, light_of(key)):
            source = self._source(take_id, there)
            found = reusable(source, there, self.take, key) if source is not None else None
            if source is None or found is None:
                continue
            if best is None or found.rank < best[2].rank:
                best = source, there, found
            if found.rank == (0, False):
                break
        return best

    def _shown_anew(self, source: TakeRecord, there: int, number: int) -> dict[str, FileSum | None]:
        """Write the files that show a frame, from the master of another."""
        light, alpha = self.masters.get(source, there).floats
        here = moment(self.take.project, number)
        shown = shown_files(light, alpha, finish_of(here), here.shoot, self.studio.assets.get)
        return {name: self._write(file_path(self.take, name, number), data) for name, data in shown}

    def _source(self, take_id: str, number: int) -> TakeRecord | None:
        """A take that has a frame; none where it cannot be read."""
        known = self.sources.get(take_id)
        if known is None or number not in known.frames:
            with suppress(CycloramaError):
                known = self.sources[take_id] = self.studio.takes.get(take_id)
        return known if known is not None and number in known.frames else None

    def _record(self, record: FrameRecord) -> None:
        self.patience.insist(lambda: self.studio.takes.add_frame(self.take.id, record, self.group.only_overview))
        self.recorded[record.number] = record
        self.done += not self.group.only_overview and record.number not in self.lacking
        self.tell(TakeProgress(record.number, 0.0, self.done, len(self.take.numbers), self.seconds))

    def outcome(self) -> tuple[str, str]:
        """State and message after the last frame."""
        troubles = self.studio.takes.get(self.take.id).troubles
        if not troubles:
            return "done", ""
        which = frames_in_words(sorted(troubles))
        return "failed", f"Set aside: {which}. {next(iter(troubles.values()))} Resume tries again."

    def _shoot(self, numbers: list[int]) -> None:
        makes = self._makes(numbers)
        try:
            while (got := makes.next()) is not None:
                number, made = got
                try:
                    if isinstance(made, Exception):
                        raise made
                    self._keep(number, made)
                except Cancelled:
                    raise
                except Exception as error:
                    self.studio.takes.state(self.take.id)  # a take that was removed meanwhile has no frames to fail
                    again = self._waiting_for(number) if self._failed(number, error) else [number]
                    self.wish.check()
                else:
                    self.faults.clear()
                    again = [n for n in self._waiting_for(number) if not self._link(n)]
                for n in again:
                    makes.again(n)
        finally:
            makes.close()

    def _makes(self, numbers: list[int]) -> FrameExecutor:
        take, region, passes = self.take, self.group.region, self.group.passes
        project = put_all(take.project, {"shot/shoot/passes/wanted": passes}) if passes else take.project

        def maker() -> Maker:
            if take.source_id is not None:
                source = self.studio.takes.get(take.source_id)
                return CleanMaker(source, self.masters) if take.process == "denoise" else MixMaker(source, take.balance)
            compiler = SceneCompiler(self.studio.assets.get)
            frames = FrameMaker(project, take.numbers, compiler, self.tracer, region)
            if passes:
                return PassMaker(frames)
            return PatchMaker(frames, region, take) if region is not None else frames

        goes_far = take.source_id is None and region is None and not {*passes} & {*OF_PICTURE}
        if self.farm is not None and goes_far:
            wanted = replace(take, project=project)
            return self.farm.makes(wanted, numbers, self.wish.check, self._told_of, self.patience.say, bool(passes))
        return LocalExecutor(
            numbers, maker, take.project, self.studio.assets.get, self._begins, self.wish.interrupts, self._progress
        )

    def _begins(self, number: int) -> None:
        """A frame is about to be made. Raises Cancelled when something else is wished."""
        self.wish.check()
        self.patience.wait_for_room()
        self.patience.wait_for_memory()
        self.patience.insist(lambda: self.studio.takes.update(self.take.id, frame_now=number))
        self.began = time.perf_counter()

    def _told_of(self, machines: "list[Machine]") -> None:
        """Record the status of the cluster's machines."""
        at_work = [m for m in machines if m.frame is not None]
        share = sum(m.share for m in at_work if m.does == "exposes")
        number = at_work[0].frame if at_work and at_work[0].frame is not None else self.take.first
        total, at_once = len(self.take.numbers), max(1, sum(m.same for m in machines))
        self.tell(TakeProgress(number, share, self.done, total, self.seconds, at_once))

    def _progress(self, number: int, share: float) -> None:
        self.tell(TakeProgress(number, share, self.done, len(self.take.numbers), self.seconds))

    def _waiting_for(self, number: int) -> list[int]:
        """Frames that waited for one."""
        return self.alike.pop(light_of(self.keys.of(number)), []) if self.keys is not None else []

    def _keep(self, number: int, made: RenderedFrame) -> None:
        """Write a frame's files, and record it when all are there."""
        before = None if self.group.is_whole else self.recorded[number]
        files = {} if before is None else dict(before.files)
        for name, data in made.files:
            files[name] = self._write(file_path(self.take, name, number), data)
        seconds = time.perf_counter() - self.began if made.seconds is None else made.seconds
        if not self.group.only_overview:
            self.seconds.append(seconds)
        if before is not None and self.group.passes:
            self._record(replace(before, files=files, seconds=before.seconds + seconds))
        else:
            self._record(
                FrameRecord(
                    number,
                    frame_path(self.take, number).name,
                    files,
                    seconds,
                    made.clamped,
                    self.keys.of(number) if self.keys else None,
                    made.machine,
                )
            )

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
