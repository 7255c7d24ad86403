"""Intake in a process of its own: a large, broken or hostile model cannot hold up or bring down the studio."""

import multiprocessing
import secrets
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from typing import Any

from ..core.errors import CycloramaError, IntakeError, NotFoundError
from ..core.geometry.kept import Intake

LONGEST_S = 900.0
MEMORY_LIMIT_BYTES = 12 << 30
Accept = Callable[[Intake, Callable[[], bool]], dict[str, Any]]
"""Keeps an intake and puts it on the set, unless it is cancelled meanwhile; returns what to report."""


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

    def as_json(self) -> dict[str, Any]:
        return {
            "id": self.id, "name": self.name, "what": self.what, "share": self.share, "error": self.error,
            "result": self.result, "seconds": time.monotonic() - self.started,
        }  # fmt: skip


def _child(connection: Connection, files: dict[str, bytes]) -> None:
    # the readers and their libraries are loaded here only, they would double the time the studio takes to start
    import resource

    from ..core.geometry.intake import take_in

    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_LIMIT_BYTES, MEMORY_LIMIT_BYTES))
    try:
        intake = take_in(files, lambda what, share: connection.send(("progress", what, share)))
        connection.send(("done", intake))
    except IntakeError as error:
        connection.send(("error", error.sentence))
    except MemoryError:
        connection.send(("error", "This model needs more memory than is there. Reduce it and export it again."))
    finally:
        connection.close()


class IntakeDesk:
    """Runs intakes and keeps their progress."""

    def __init__(self) -> None:
        self._jobs: dict[str, IntakeJob] = {}
        self._context = multiprocessing.get_context("spawn")
        self._processes: dict[str, Any] = {}

    def start(self, files: dict[str, bytes], accept: Accept) -> IntakeJob:
        """Begin an intake; `accept` keeps what came in and gives the result to report."""
        job = IntakeJob(secrets.token_hex(6), next(iter(files), "nothing"))
        self._jobs[job.id] = job
        threading.Thread(target=self._follow, args=(job, files, accept), daemon=True).start()
        return job

    def get(self, job_id: str) -> IntakeJob:
        if job_id not in self._jobs:
            raise NotFoundError("There is no such intake; it may have been finished before a restart.")
        return self._jobs[job_id]

    def cancel(self, job_id: str) -> None:
        """Stop an intake; the project stays as it was."""
        self.get(job_id).error = "Cancelled."
        process = self._processes.get(job_id)
        if process is not None:
            process.terminate()

    def _follow(self, job: IntakeJob, files: dict[str, bytes], accept: Accept) -> None:
        here, there = self._context.Pipe(duplex=False)
        process = self._context.Process(target=_child, args=(there, files), daemon=True)
        self._processes[job.id] = process
        try:
            process.start()
            there.close()
            self._receive(job, here, accept)
        except EOFError:
            job.error = job.error or (
                f"‘{job.name}’ could not be read: the reader gave up. Try exporting it in another format."
            )
        except CycloramaError as error:
            job.error = error.sentence
        finally:
            if job.result is None and job.error is None:  # a fault of ours, which goes to the log: nobody waits for it
                job.error = f"‘{job.name}’ could not be put on the set. The project is as it was."
            process.terminate()
            process.join()
            self._processes.pop(job.id, None)

    def _receive(self, job: IntakeJob, here: Connection, accept: Accept) -> None:
        while True:
            if not here.poll(max(0.0, LONGEST_S - (time.monotonic() - job.started))):
                raise IntakeError(f"‘{job.name}’ takes too long to read; it was given up. Reduce it first.")
            kind, *rest = here.recv()
            if kind == "progress":
                job.what, job.share = rest[0], rest[1] * 0.98
            elif kind == "error":
                raise IntakeError(rest[0])
            else:
                if job.error is None:
                    job.what = "Putting it on the set, metering the light"
                    job.result = accept(rest[0], lambda: job.error is not None)
                    job.what, job.share = "Done", 1.0
                return
