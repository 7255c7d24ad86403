"""Does what is asked for in the background: jobs that are kept, each kind a few at once, with progress and cancel.

When the studio closes, or dies, what is not finished goes on with the next start.
"""

import logging
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field

from pydantic import BaseModel

from ..core.errors import BusyError, CycloramaError, SpaceError
from ..store import Studio
from ..store.change_log import writer
from ..store.database import JobKind, JobState
from ..store.jobs import CANCELLED, WORKING, Claims, Job, Result

LOOK_EVERY_S = 1.0
"""So often what others left undone is looked for."""
TELL_EVERY_S = 0.25
CLOSE_S = 10.0
WAIT_S = 0.1
_log = logging.getLogger(__name__)


class Unwanted(Exception):
    """The work is not wanted any more, or not now."""


class JobContext:
    """Context of a job: reports its progress, and knows whether it is still wanted."""

    def __init__(self, studio: Studio, job_id: str, owner: str):
        self._jobs, self._id, self._owner = studio.jobs, job_id, owner
        self._told = self._asked = 0.0
        self.stop = threading.Event()

    def tell(self, what: str, share: float) -> None:
        """Raises Unwanted."""
        if self.stop.is_set():
            raise Unwanted
        if time.monotonic() - self._told < TELL_EVERY_S:
            return
        self._told = time.monotonic()
        with suppress(BusyError, SpaceError):  # told another time
            if not self._jobs.tell(self._id, self._owner, what, share):
                raise Unwanted

    def unwanted(self) -> bool:
        if not self.stop.is_set() and time.monotonic() - self._asked > TELL_EVERY_S:
            self._asked = time.monotonic()
            with suppress(BusyError):
                if not self._jobs.wanted(self._id):
                    self.stop.set()
        return self.stop.is_set()


@dataclass(frozen=True, slots=True)
class Kind:
    """Job kind."""

    do: Callable[[Job, JobContext], Result]
    """Returns what came of it. Raises Unwanted."""
    fault: str
    """said when it fails by a fault of the program"""
    at_once: int = 2
    at_leisure: bool = False
    """The one asked for last goes first; what stood in the way of one for a while does not count as a failure."""
    clear: Callable[[Job], None] = field(default=lambda job: None)
    """Called when a job has ended, however."""


class JobRunner:
    """Does jobs as long as the studio is open."""

    def __init__(self, studio: Studio, kinds: dict[JobKind, Kind]):
        self._studio, self._kinds = studio, kinds
        self._claims = Claims(studio.folder / WORKING)
        self._writers: dict[str, str] = {}
        """windows that asked for jobs of this process, by the jobs' ids"""
        self._hands: dict[str, tuple[JobKind, JobContext]] = {}
        self._threads: dict[str, threading.Thread] = {}
        self._change = threading.Condition()
        self._closing = False
        self._thread = threading.Thread(target=self._run, name="work", daemon=True)

    def start(self) -> None:
        for name, kind in self._kinds.items():
            if kind.at_leisure:  # this may be a program that can do better
                self._studio.jobs.forget(name, "failed")
        self._thread.start()

    def close(self) -> None:
        """Stop; what is not finished goes on with the next start."""
        with self._change:
            self._closing = True
            for _, hand in self._hands.values():
                hand.stop.set()
            self._change.notify_all()
        for thread in (self._thread, *self._threads.values()):
            thread.join(timeout=CLOSE_S)
        self._claims.close()

    def ask(self, kind: JobKind, about: str, name: str, spec: BaseModel) -> Job:
        """Have something done; see `JobStore.ask`."""
        with self._change:  # nobody begins it before it is known whose it is
            job = self._studio.jobs.ask(kind, about, name, spec)
            self._writers.setdefault(job.id, writer.get())
            self._change.notify_all()
        return job

    def cancel(self, job_id: str) -> Job:
        """Stop a job; whether it could be stopped is seen from how it ends. Raises NotFoundError."""
        job = self._studio.jobs.cancel(job_id)
        with self._change:
            doing = self._hands.get(job_id)
        if doing is not None:
            doing[1].stop.set()
        elif job.state == "cancelled":
            self._writers.pop(job_id, None)
            self._kinds[job.kind].clear(job)
        return job

    def stop(self, kind: JobKind, about: str) -> None:
        """Stop what is done about something, if it is, and wait until it has stopped."""
        job = self._studio.jobs.find(kind, about)
        if job is not None and not job.ended:
            self.ended(self.cancel(job.id).id)

    def ended(self, job_id: str) -> Job:
        """A job, once it has ended. Raises NotFoundError, and CycloramaError when the studio closes before."""
        while not (job := self._studio.jobs.get(job_id)).ended:
            if self._closing:
                raise CycloramaError("The studio is being closed.")
            with self._change:
                self._change.wait(WAIT_S)
        return job

    def _run(self) -> None:
        looked = 0.0
        while True:
            try:
                if time.monotonic() - looked > LOOK_EVERY_S:
                    looked = time.monotonic()
                    self._studio.jobs.take_back(self._claims)
                begun = any([self._begin(kind) for kind in self._kinds])
            except CycloramaError as error:
                _log.warning("%s", error.sentence)
                begun = False
            except Exception:
                _log.exception("Work in the background cannot be looked for; it is tried again")
                begun = False
            with self._change:
                if not begun and not self._closing:
                    self._change.wait(LOOK_EVERY_S)
                if self._closing:
                    return

    def _begin(self, name: JobKind) -> bool:
        """Begin the next job of a kind; whether there was one, and a place for it."""
        kind = self._kinds[name]
        if sum(k == name for k, _ in list(self._hands.values())) >= kind.at_once:
            return False
        job = self._studio.jobs.claim(name, self._claims.owner, kind.at_leisure)
        if job is None:
            return False
        hand = JobContext(self._studio, job.id, self._claims.owner)
        thread = threading.Thread(target=self._do, args=(job, kind, hand), daemon=True, name=name)
        with self._change:
            self._hands[job.id] = name, hand
            self._threads[job.id] = thread
            if self._closing:
                hand.stop.set()
        thread.start()
        return True

    def _do(self, job: Job, kind: Kind, hand: JobContext) -> None:
        with self._change:
            writer.set(self._writers.pop(job.id, ""))
        state, message, result = self._tried(job, kind, hand)
        if state != "waiting":
            kind.clear(job)
        while True:
            try:
                self._studio.jobs.end(job.id, self._claims.owner, state, message, result)
                break
            except (BusyError, SpaceError):
                if self._closing:
                    break  # whoever starts next finds it undone
                time.sleep(WAIT_S)
        with self._change:
            del self._hands[job.id], self._threads[job.id]
            self._change.notify_all()

    def _tried(self, job: Job, kind: Kind, hand: JobContext) -> tuple[JobState, str, Result | None]:
        """End of a job: state, message, result."""
        try:
            return "done", "", kind.do(job, hand)
        except Unwanted:
            return ("waiting", "", None) if self._closing else ("cancelled", CANCELLED, None)
        except CycloramaError as error:
            if self._closing:
                return "waiting", "", None
            passes = kind.at_leisure and isinstance(error, BusyError | SpaceError)
            return "cancelled" if passes else "failed", error.sentence, None
        except Exception:
            _log.exception("%s of ‘%s’ failed", job.kind, job.name)
            return "failed", kind.fault, None
