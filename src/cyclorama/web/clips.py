"""Encoding clips in the background, with progress and cancel."""

import threading
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

from ..core.clip.encode import encode_mp4
from ..core.errors import CycloramaError, NotFoundError


class _Stopped(Exception):
    pass


@dataclass(slots=True)
class ClipJob:
    """One clip on its way."""

    target: Path
    share: float = 0.0
    state: str = "encoding"
    """encoding, done, failed or cancelled"""
    message: str = ""
    stop: threading.Event = field(default_factory=threading.Event)

    def as_json(self) -> dict[str, Any]:
        return {"share": self.share, "state": self.state, "message": self.message, "name": self.target.name}


class ClipDesk:
    """At most one job for each clip; asking again for one that is under way follows it."""

    def __init__(self) -> None:
        self._jobs: dict[Path, ClipJob] = {}
        self._lock = threading.Lock()

    def start(self, frames: list[Path], rate: Fraction, target: Path, loops: int) -> ClipJob:
        """Encode, unless the clip is there already and newer than its frames."""
        with self._lock:
            job = self._jobs.get(target)
            if job and job.state == "encoding":
                return job
            job = self._jobs[target] = ClipJob(target)
        newest = max(p.stat().st_mtime for p in frames)
        if target.exists() and target.stat().st_mtime >= newest:
            job.share, job.state = 1.0, "done"
            return job
        threading.Thread(target=self._encode, args=(job, frames, rate, loops), daemon=True, name="clip").start()
        return job

    def get(self, target: Path) -> ClipJob:
        if target not in self._jobs:
            raise NotFoundError("This clip has not been asked for.")
        return self._jobs[target]

    def _encode(self, job: ClipJob, frames: list[Path], rate: Fraction, loops: int) -> None:
        def progress(share: float) -> None:
            job.share = share
            if job.stop.is_set():
                raise _Stopped

        try:
            encode_mp4(frames, rate, job.target, loops, progress=progress)
            job.state = "done"
        except _Stopped:
            job.state = "cancelled"
        except CycloramaError as error:
            job.state, job.message = "failed", error.sentence
        except OSError as error:
            job.state, job.message = "failed", f"The clip could not be written: {error.strerror or error}."
