"""Sees to it that what is queued is shot: a worker is there, lives, and is replaced when it has died.

A take whose worker died goes on where it was, with the next worker; the frame that was being shot counts as failed
once, so that a frame that kills every worker is set aside in the end. A worker that gives no sign of life is told of,
and can be stopped; after HUNG_S it is ended.
"""

import logging
import subprocess
import time
from pathlib import Path

from ...store import Studio
from ...store.repeating import Repeating
from .take import MOST_TRIES
from .worker import start_worker
from .worker_lock import end, who_shoots

LOOK_EVERY_S = 1.0
HUNG_S = 300.0
REST_S = 30.0
"""A worker that ended within this time after its start is not replaced sooner."""
INTERRUPTED = "Interrupted: the worker ended in the middle of it. Resume shoots only what is missing."
REPLACED = "The worker ended in the middle of {what}; another one goes on."
_DIED = "The worker ended while it was being shot."
_log = logging.getLogger(__name__)


def orphans(studio: Studio) -> list[tuple[str, int | None, int | None]]:
    """Takes that claim to be in the hands of somebody who is not there any more: id, process, number of the frame."""
    running = studio.takes.running()  # first: who begins a take from now on is there
    return running if running and who_shoots(studio.folder) is None else []


def mark_interrupted(studio: Studio) -> None:
    """Mark takes that claim to be running although nobody shoots."""
    for identity, pid, _ in orphans(studio):
        studio.takes.update_if(
            identity, ("running",), pid, state="interrupted", message=INTERRUPTED, worker_pid=None, frame_now=None
        )


def take_back(studio: Studio) -> None:
    """Queue takes again whose worker died."""
    for identity, pid, number in orphans(studio):
        if number is not None:
            studio.takes.add_trouble(identity, number, _DIED, MOST_TRIES)
        message = REPLACED.format(what="it" if number is None else f"frame {number}")
        wished = studio.takes.wish(identity)
        state = {"pause": "paused", "stop": "stopped"}.get(wished, "queued")
        studio.takes.update_if(
            identity, ("running",), pid, state=state, message=message, worker_pid=None, frame_now=None
        )


class Watch:
    """Looks after the workers of a data folder as long as the studio is open."""

    def __init__(self, studio: Studio, hung_s: float = HUNG_S, look_every_s: float = LOOK_EVERY_S):
        self._studio, self._hung_s = studio, hung_s
        self._children: list[tuple[float, subprocess.Popen[bytes]]] = []
        self._beat: tuple[float, float] | None = None
        """last sign of life, and when it was first seen on a clock that stands while the machine sleeps"""
        self._not_before = 0.0
        self._looking = Repeating("watch", self.look, look_every_s)

    def start(self) -> None:
        self._looking.start()

    def close(self) -> None:
        """Stop looking; workers go on."""
        self._looking.close()

    def look(self) -> None:
        """Look once."""
        self._reap()
        there = who_shoots(self._studio.folder)
        if there is None:
            self._beat = None
            take_back(self._studio)
            for begun, child in self._children:
                if time.monotonic() - begun > HUNG_S:  # it never came to shoot; a start is slower than a beat
                    child.kill()
            wanted = time.monotonic() >= self._not_before and self._studio.takes.next_queued() is not None
            if wanted and (started := start_worker(self._studio.folder)) is not None:
                self._children.append((time.monotonic(), started))
        elif self._beat is None or self._beat[0] != there.beat:
            self._beat = there.beat, time.monotonic()
        elif time.monotonic() - self._beat[1] > self._hung_s:
            _log.warning("The worker %s gave no sign of life for %.0f s and is ended", there.pid, self._hung_s)
            end(self._studio.folder)

    def _reap(self) -> None:
        """Take leave of workers that ended; one that dies at once would otherwise be started again and again."""
        for begun, child in [c for c in self._children if c[1].poll() is not None]:
            self._children.remove((begun, child))
            if (child.returncode or 0) > 0 and time.monotonic() - begun < REST_S:  # not by a signal: it cannot start
                self._not_before = time.monotonic() + REST_S
                _log.warning("The worker ended at once (%s); see %s", child.returncode, self._log_file)

    @property
    def _log_file(self) -> Path:
        return self._studio.folder / "worker.log"
