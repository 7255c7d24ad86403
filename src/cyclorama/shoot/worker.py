"""The worker process: shoots queued takes one after the other, apart from the web process.

Exactly one worker runs in a data folder: it holds a lock that the operating system frees when the process
ends, however it ends. So a take that claims to be running while nobody holds the lock was interrupted.
"""

import argparse
import fcntl
import os
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from ..core.render.tracer import Tracer
from ..store import Studio
from ..store.database import now
from .take import shoot_take

IDLE_S = 15.0
BEAT_S = 1.0
INTERRUPTED = "Interrupted: the worker ended in the middle of it. Resume shoots only what is missing."


@contextmanager
def worker_lock(folder: Path) -> Iterator[bool]:
    """Hold the data folder's worker lock; yields False when somebody else holds it."""
    with (folder / "worker.lock").open("a+") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            yield False
            return
        yield True


def mark_interrupted(studio: Studio) -> None:
    """Mark takes that claim to be running although no worker is."""
    with worker_lock(studio.folder) as free:
        if free:
            for take in studio.takes.all():
                if take.state == "running":
                    studio.takes.update(take.id, state="interrupted", message=INTERRUPTED, worker_pid=None)


def ensure_worker(studio: Studio) -> None:
    """Start a worker process if none is there; it outlives the web process and ends when it has no work."""
    with worker_lock(studio.folder) as free:
        if not free:
            return
    log = (studio.folder / "worker.log").open("ab")
    subprocess.Popen(
        [sys.executable, "-m", "cyclorama.shoot.worker", "--data", str(studio.folder)],
        stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True,
    )  # fmt: skip
    log.close()


def _beat(studio: Studio, take_id: str, stop: threading.Event) -> None:
    while not stop.wait(BEAT_S):
        studio.takes.update(take_id, beat=now())


def work(folder: Path) -> None:
    """Shoot queued takes until none has come for IDLE_S."""
    studio = Studio(folder)
    while True:
        with worker_lock(folder) as mine:
            if not mine:
                return
            _work_while_there_is_some(studio)
        # A take may have been queued while the lock was still held, by somebody who then saw a worker there.
        if studio.takes.next_queued() is None:
            return


def _work_while_there_is_some(studio: Studio) -> None:
    idle_since = time.monotonic()
    with Tracer() as tracer:
        while time.monotonic() - idle_since < IDLE_S:
            take = studio.takes.next_queued()
            if take is None:
                time.sleep(0.3)
                continue
            studio.takes.update(take.id, worker_pid=os.getpid(), beat=now())
            stop = threading.Event()
            beat = threading.Thread(target=_beat, args=(studio, take.id, stop), daemon=True)
            beat.start()
            try:
                shoot_take(studio, take.id, tracer)
            finally:
                stop.set()
                beat.join()
            idle_since = time.monotonic()


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description="Shoots the takes queued in a data folder.")
    parser.add_argument("--data", type=Path, required=True)
    work(parser.parse_args().data)
