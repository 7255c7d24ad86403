"""Clips of takes, encoded in the background: one job for each clip, however many ask for it.

A clip is written aside, checked and renamed; beside it lies a note of what it was made from, so that one whose frames
have changed since is made anew.
"""

import hashlib
import shutil
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from ..core.delivery.encode import encode_mp4
from ..core.delivery.segments import pieces_folder
from ..core.errors import ShootError, telling_of_space
from ..core.motion import FrameRate
from ..core.picture.finishing import Finishing
from ..core.picture.view_transform import to_bytes
from ..core.sequence.names import sequence_stem
from ..shoot.finish.masters import Masters, as_shot, finish_frame, state_of, why_not_gradable
from ..shoot.frames.files import read_whole
from ..store import Studio, TakeRecord
from ..store.assets import write_whole
from ..store.jobs import Job, Result
from ..store.takes import BEAUTY
from .jobs import JobContext, JobRunner, Kind

MOST_LOOPS = 20
FAULT = "The clip could not be made; the terminal that runs Cyclorama tells more."
STOPPED = "The clip was stopped before it was finished."


class ClipRequest(BaseModel):
    """Request for a clip."""

    take_id: str
    loops: int


@dataclass(frozen=True, slots=True)
class ClipState:
    """A clip as it can be made from a take at the moment."""

    take: TakeRecord
    loops: int
    finishing: Finishing
    state: str
    """names what the finishing gives"""

    @classmethod
    def of(cls, studio: Studio, take: TakeRecord, loops: int) -> "ClipState":
        """Raises ShootError when no frame is finished, or they are of a kind that has no look of its own."""
        if not take.frames:
            raise ShootError("No frame of this take is finished yet.")
        if why_not_gradable(take) and take.project.shot.shoot.file_format not in ("png", "jpeg"):
            raise ShootError("Clips are made from masters, PNG or JPEG frames; this take has neither.")
        finishing = studio.screening.finish(take).finishing
        return cls(take, loops, finishing, state_of(finishing, studio))

    @property
    def numbers(self) -> list[int]:
        return [n for n in self.take.numbers if n in self.take.frames]

    @property
    def rate(self) -> Fraction:
        return FrameRate.of(self.take.project).fraction / self.take.every

    @property
    def target(self) -> Path:
        times = "" if self.loops == 1 else f"_x{self.loops}"
        return self.take.folder / f"{sequence_stem(self.take.project)}{times}.mp4"

    @property
    def note(self) -> Path:
        return self.take.folder / f".clip-x{self.loops}.made-from"  # the clip's own name may be as long as names get

    @property
    def source(self) -> str:
        """A fingerprint of everything it is made from."""
        sums = [f"{n}:{s.sha256}" for n in self.numbers if (s := self.take.frames[n].files[BEAUTY])]
        graded = "" if as_shot(self.take, self.finishing) else self.state
        return hashlib.sha256(f"{self.rate} {self.loops} {graded} {' '.join(sums)}".encode()).hexdigest()

    @property
    def is_there(self) -> bool:
        """True when the file is there, made from the frames as they are."""
        try:
            return self.target.exists() and self.note.read_text() == self.source
        except OSError:
            return False


def ask_for_clip(work: JobRunner, clip: ClipState) -> Job:
    """Have a clip made; one that is there already takes no time."""
    take = clip.take
    spec = ClipRequest(take_id=take.id, loops=clip.loops)
    return work.ask("clip", f"{take.id} x{clip.loops}", clip.target.name, spec)


def made_clip(work: JobRunner, clip: ClipState) -> Path:
    """The file, waiting until it is there. Raises ShootError when it cannot be made."""
    for _ in range(2):  # one that was under way may have been of earlier frames
        if clip.is_there:
            return clip.target
        job = work.ended(ask_for_clip(work, clip).id)
        if job.state != "done":
            raise ShootError(job.message if job.state == "failed" else STOPPED)
    if not clip.target.exists():
        raise ShootError("The clip was removed while it was made. Ask for it again.")
    return clip.target


def clip_kind(studio: Studio) -> Kind:
    """Job kind that makes clips."""
    return Kind(lambda job, hand: _encode(studio, job, hand), FAULT)


def _pixels(studio: Studio, clip: ClipState, number: int) -> bytes | NDArray[np.uint8]:
    """A frame's file while nothing was changed of how it is finished, else its pixels."""
    if as_shot(clip.take, clip.finishing) and clip.take.project.shot.shoot.file_format in ("png", "jpeg"):
        return read_whole(clip.take, number)
    return to_bytes(finish_frame(clip.take, number, clip.finishing, Masters(studio, 0), studio.assets.get))


def _encode(studio: Studio, job: Job, hand: JobContext) -> Result:
    spec = ClipRequest.model_validate_json(job.spec)
    clip = ClipState.of(studio, studio.takes.get(spec.take_id), spec.loops)
    if not clip.is_there:
        frames = [(f"Frame {n}", partial(_pixels, studio, clip, n)) for n in clip.numbers]
        try:
            with telling_of_space():
                folder = clip.take.folder / f".clip-x{clip.loops}.pieces"
                pieces = pieces_folder(folder, clip.source[:16])
                encode_mp4(
                    frames, clip.rate, clip.target, clip.loops, lambda share: hand.tell("Encoding", share), pieces
                )
                shutil.rmtree(folder, ignore_errors=True)
            write_whole(clip.note, clip.source.encode())
        except OSError as error:
            raise ShootError(f"The clip could not be written: {error.strerror or error}.") from error
    return {"name": clip.target.name}
