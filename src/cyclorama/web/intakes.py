"""Intakes: models on their way in, each read by a process of its own, with progress and cancel."""

import logging
import secrets
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ..core.errors import CycloramaError, NotFoundError, telling_of_space
from ..core.geometry.kept import Intake
from ..core.scene import Detail
from ..store import AssetStore
from .limited import Stopped, Tell, run_limited
from .uploads import Uploads

LONGEST_S = 900.0
MEMORY_LIMIT_BYTES = 12 << 30
KEPT_JOBS = 100
CANCELLED = "Cancelled."
Accept = Callable[[Intake, Callable[[], bool], Callable[[str], None]], dict[str, Any]]
"""Puts an intake on the set, unless it is cancelled meanwhile, and tells what it waits for; returns what to report."""
_log = logging.getLogger(__name__)


@dataclass(slots=True)
class IntakeJob:
    """One model on its way in."""

    id: str
    name: str
    what: str = "Waiting"
    share: float = 0.0
    error: str | None = None
    result: dict[str, Any] | None = None
    started: float = field(default_factory=time.monotonic)
    stop: threading.Event = field(default_factory=threading.Event)

    @property
    def ended(self) -> bool:
        return self.error is not None or self.result is not None

    def as_json(self) -> dict[str, Any]:
        return {
            "id": self.id, "name": self.name, "what": self.what, "share": self.share, "error": self.error,
            "result": self.result, "seconds": time.monotonic() - self.started,
        }  # fmt: skip


def _read_and_keep(tell: Tell, paths: dict[str, str], assets: Path) -> Intake:
    # the readers and their libraries are loaded here only, they would double the time the studio takes to start
    from ..core.geometry.intake import take_in
    from ..core.geometry.read.files import packed

    files = {name: Path(path) for name, path in paths.items()}
    intake = take_in({name: path.read_bytes() for name, path in files.items()}, tell)
    # kept here, so that the studio never holds what may be gigabytes; what is not used after all is tidied up
    store = AssetStore(assets)
    archive = next(iter(files.values())).with_name("source.zip")
    with telling_of_space():
        packed(files, archive)
    source = store.take(archive)
    return _kept(store, intake, source)


def _read_again(tell: Tell, source: str, detail: Detail, off: float, assets: Path) -> Intake:
    from ..core.geometry.detail import Wanted
    from ..core.geometry.intake import take_in

    store = AssetStore(assets)
    return _kept(store, take_in({"source.zip": store.get(source)}, tell, Wanted(detail, off)), source)


def _kept(store: AssetStore, intake: Intake, source: str) -> Intake:
    store.put_all(intake.assets)
    intake.assets = {}
    intake.item = intake.item.model_copy(update={"source": source})
    return intake


class IntakeDesk:
    """Runs intakes and keeps their progress."""

    def __init__(self, assets: Path) -> None:
        self._assets = assets
        self._jobs: dict[str, IntakeJob] = {}
        self._lock = threading.Lock()

    def start(self, uploads: Uploads, accept: Accept) -> IntakeJob:
        """Begin an intake; `accept` puts what came in on the set and gives the result to report."""
        paths = {name: str(path) for name, path in uploads.paths.items()}
        return self._begin(next(iter(paths), "nothing"), _read_and_keep, (paths,), accept, uploads.clear)

    def again(self, name: str, source: str, detail: Detail, off: float, accept: Accept) -> IntakeJob:
        """Make a model anew from its kept source, no more than `off` (units of the file) off it."""
        return self._begin(name, _read_again, (source, detail, off), accept, lambda: None)

    def _begin(self, name: str, read: Callable[..., Intake], given: tuple[Any, ...], accept: Accept,
               clear: Callable[[], None]) -> IntakeJob:  # fmt: skip
        job = IntakeJob(secrets.token_hex(6), name)
        with self._lock:
            for old in [j for j in self._jobs.values() if j.ended][:-KEPT_JOBS]:
                del self._jobs[old.id]
            self._jobs[job.id] = job
        args = (job, read, given, accept, clear)
        threading.Thread(target=self._follow, args=args, daemon=True, name="intake").start()
        return job

    def get(self, job_id: str) -> IntakeJob:
        job = self._jobs.get(job_id)
        if job is None:
            raise NotFoundError("There is no such intake; it may have been finished before a restart.")
        return job

    def cancel(self, job_id: str) -> bool:
        """Stop an intake; the project stays as it was. Whether it was not finished already."""
        job = self.get(job_id)
        job.stop.set()
        return job.result is None

    def close(self) -> None:
        """Stop what is under way."""
        for job in list(self._jobs.values()):
            job.stop.set()

    def _follow(
        self, job: IntakeJob, read: Callable[..., Intake], given: tuple[Any, ...], accept: Accept,
        clear: Callable[[], None],
    ) -> None:  # fmt: skip
        def tell(what: str, share: float) -> None:
            job.what, job.share = what, share * 0.98

        try:
            intake = run_limited(
                read, *given, self._assets,
                memory_bytes=MEMORY_LIMIT_BYTES, longest_s=LONGEST_S, tell=tell, stop=job.stop,
                too_long=f"‘{job.name}’ takes too long to read; it was given up. Reduce it first.",
                gave_up=f"‘{job.name}’ could not be read: the reader gave up. Try exporting it in another format.",
            )  # fmt: skip
            job.result = accept(intake, job.stop.is_set, lambda what: tell(what, 1.0))
            job.what, job.share = "Done", 1.0
        except Stopped:
            job.error = CANCELLED
        except CycloramaError as error:
            job.error = error.sentence
        except Exception:
            _log.exception("Intake of %s failed", job.name)
            job.error = f"‘{job.name}’ could not be put on the set. The project is as it was."
        finally:
            clear()
