"""Encoding clips in the background: one job for each clip, however many ask for it.

A clip is written aside, checked and renamed; beside it lies a note of what it was made from, so that one whose frames
have changed since is made anew.
"""

import hashlib
import logging
import threading
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

from ..core.clip.encode import encode_mp4
from ..core.errors import CycloramaError, NotFoundError, ShootError, telling_of_space
from ..core.motion import FrameRate
from ..core.sequence.names import sequence_stem
from ..shoot.frames import read_whole
from ..store import TakeRecord
from ..store.assets import write_whole
from ..store.takes import BEAUTY

MOST_LOOPS = 20
KEPT_JOBS = 50
FAULT = "The clip could not be made; the terminal that runs Cyclorama tells more."
_log = logging.getLogger(__name__)


class _Stopped(Exception):
    pass


@dataclass(frozen=True, slots=True)
class Clip:
    """A clip as it can be made from a take at the moment."""

    take: TakeRecord
    loops: int

    @classmethod
    def of(cls, take: TakeRecord, loops: int) -> "Clip":
        """Raises ShootError when no frame is finished, or they are of a kind that has no look of its own."""
        if not take.frames:
            raise ShootError("No frame of this take is finished yet.")
        if take.project.shot.shoot.file_format not in ("png", "jpeg"):
            raise ShootError("Clips are made from PNG or JPEG frames; these have no look or size of their own.")
        return cls(take, loops)

    @property
    def numbers(self) -> list[int]:
        return [n for n in self.take.numbers if n in self.take.frames]

    @property
    def rate(self) -> Fraction:
        return FrameRate.of(self.take.project).fraction

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
        return hashlib.sha256(f"{self.rate} {self.loops} {' '.join(sums)}".encode()).hexdigest()

    @property
    def is_there(self) -> bool:
        """Whether the file is there, made from the frames as they are."""
        try:
            return self.target.exists() and self.note.read_text() == self.source
        except OSError:
            return False


@dataclass(slots=True)
class ClipJob:
    """One clip on its way."""

    clip: Clip
    share: float = 0.0
    state: str = "encoding"
    """encoding, done, failed or cancelled"""
    error: CycloramaError | None = None
    stop: threading.Event = field(default_factory=threading.Event)
    ended: threading.Event = field(default_factory=threading.Event)

    def as_json(self) -> dict[str, Any]:
        message = self.error.sentence if self.error else ""
        return {"share": self.share, "state": self.state, "message": message, "name": self.clip.target.name}


class ClipDesk:
    """At most one job for each clip; asking again for one that is under way follows it."""

    def __init__(self) -> None:
        self._jobs: dict[Path, ClipJob] = {}
        self._lock = threading.Lock()

    def start(self, clip: Clip) -> ClipJob:
        """Encode, unless it is there already or under way."""
        with self._lock:
            job = self._jobs.get(clip.target)
            if job and job.state == "encoding":
                return job
            self._jobs.pop(clip.target, None)
            job = self._jobs[clip.target] = ClipJob(clip)
            for target in list(self._jobs)[:-KEPT_JOBS]:
                if self._jobs[target].ended.is_set():
                    del self._jobs[target]
        if clip.is_there:
            job.share, job.state = 1.0, "done"
            job.ended.set()
        else:
            threading.Thread(target=self._encode, args=(job,), daemon=True, name="clip").start()
        return job

    def get(self, target: Path) -> ClipJob:
        job = self._jobs.get(target)
        if job is None:
            raise NotFoundError("This clip has not been asked for.")
        return job

    def made(self, clip: Clip) -> Path:
        """The file, waiting until it is there. Raises ShootError when it cannot be made."""
        while not clip.is_there:
            job = self.start(clip)
            job.ended.wait()
            if job.state != "done":
                raise job.error or ShootError("The clip was stopped before it was finished.")
            if job.clip.source == clip.source and not clip.is_there:
                raise ShootError("The clip was removed while it was made. Ask for it again.")
        return clip.target

    def close(self) -> None:
        """Stop what is under way."""
        for job in list(self._jobs.values()):
            job.stop.set()

    def _encode(self, job: ClipJob) -> None:
        clip = job.clip

        def progress(share: float) -> None:
            job.share = share
            if job.stop.is_set():
                raise _Stopped

        try:
            frames = [(f"Frame {n}", lambda n=n: read_whole(clip.take, n)) for n in clip.numbers]
            with telling_of_space():
                encode_mp4(frames, clip.rate, clip.target, clip.loops, progress=progress)
            write_whole(clip.note, clip.source.encode())
            job.state = "done"
        except _Stopped:
            job.state = "cancelled"
        except CycloramaError as error:
            job.state, job.error = "failed", error
        except OSError as error:
            sentence = f"The clip could not be written: {error.strerror or error}."
            job.state, job.error = "failed", ShootError(sentence)
        except Exception:
            _log.exception("The clip %s failed", clip.target)
            job.state, job.error = "failed", ShootError(FAULT)
        finally:
            job.ended.set()
