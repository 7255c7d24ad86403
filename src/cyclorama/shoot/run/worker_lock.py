"""True when somebody shoots in a data folder: who does holds a lock file.

The time of the lock file is the holder's sign of life: setting it needs no room on a full disk.
"""

import os
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from ...core.errors import ShootError
from ...core.host.holds import hold, is_held
from ...core.host.processes import end_process

BEAT_S = 1.0
PID_LETTERS = 20
BUSY = "Another shoot is running in this data folder. Wait for it or stop it first."
SILENT_S = 60.0
"""A holder that gave no sign of life for this long hangs."""
LONGEST_STEP_S = 900.0
"""Nothing that is done for a frame takes longer without asking whether to go on; compiling kernels takes a minute."""


@dataclass(frozen=True, slots=True)
class Presence:
    """State of the worker, seen from outside."""

    pid: int
    beat: float
    """time of the last sign of life"""

    @property
    def silent_s(self) -> float:
        return time.time() - self.beat

    @property
    def hangs(self) -> bool:
        return self.silent_s > SILENT_S


class Beat:
    """The holder's sign of life: given every second, as long as the work itself says now and then that it goes on."""

    def __init__(self, lock: Path):
        self._lock = lock
        self._stop = threading.Event()
        self._moved = time.monotonic()
        self._thread = threading.Thread(target=self._run, name="beat", daemon=True)

    def moved(self) -> None:
        """The work goes on."""
        self._moved = time.monotonic()

    def _run(self) -> None:
        while not self._stop.wait(BEAT_S):
            if time.monotonic() - self._moved < LONGEST_STEP_S:
                os.utime(self._lock)

    def __enter__(self) -> "Beat":
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._stop.set()
        self._thread.join()


@contextmanager
def shooting(folder: Path) -> Iterator[Beat | None]:
    """Be the one who shoots in a data folder; yields None when somebody else is."""
    path = _path(folder)
    held = hold(path)
    if held is None:
        yield None
        return
    try:
        with path.open("r+b") as file:
            file.write(f"{os.getpid():<{PID_LETTERS}}".encode())
        os.utime(path)
        with Beat(path) as beat:
            yield beat
    finally:
        held.close()


@contextmanager
def shooting_alone(folder: Path) -> Iterator[Beat]:
    """Be the one who shoots in a data folder. Raises ShootError when somebody else is."""
    with shooting(folder) as beat:
        if beat is None:
            raise ShootError(BUSY)
        yield beat


def who_shoots(folder: Path) -> Presence | None:
    """Holder of the worker lock of a data folder, None when it is free. Takes nothing."""
    path = _path(folder)
    if not is_held(path):
        return None
    text = path.read_bytes()[:PID_LETTERS].strip()
    return Presence(int(text) if text.isdigit() else 0, path.stat().st_mtime)


def end(folder: Path, wait_s: float = 10.0) -> bool:
    """End whoever shoots in a data folder, at once; whether nobody does any more."""
    until = time.monotonic() + wait_s
    while (there := who_shoots(folder)) is not None:
        if there.pid and there.pid != os.getpid():
            end_process(there.pid)
        if time.monotonic() > until:
            return False
        time.sleep(0.05)
    return True


def _path(folder: Path) -> Path:
    return folder / "worker.lock"
