"""Work on foreign files in a process of its own: however large, broken or hostile they are, the studio stays up.

A child has a limit of memory and of time, is ended when it stands still, keeps what it writes for a moment in a folder
that goes with it, and, where the system can do that (Landlock, Linux 5.13), reaches no network and no files but those
of its work.
"""

import logging
import multiprocessing
import os
import shutil
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import psutil

from ..core.errors import CycloramaError, IntakeError
from ..core.host.processes import limit_memory
from ..core.host.sandbox import confine
from ..core.kernel import cache_home
from .confined_results import Tell, receive_result, send_result
from .jobs import Unwanted

LOOK_EVERY_S = 0.1
IDLE_S = 60.0
"""A child that used no processor time for so long waits for something that does not come."""
SILENT_S = 420.0
"""A child that works but tells of no progress for so long is stuck; the longest step of a sound model takes less."""
NO_MEMORY = "This needs more memory than there is. Reduce it and export it again."
PICTURE_BYTES, PICTURE_S = 6 << 30, 120.0
"""What looking at a picture may need; the largest environment takes 3 GB."""
_READY = "forkserver" in multiprocessing.get_all_start_methods()
_hiding = threading.Lock()
_NAMES: tuple[str, ...] = ("__file__", "__spec__")
_children: Any = multiprocessing.get_context("forkserver" if _READY else "spawn")
"""Where it can be had, children come from a process that has loaded everything once and does nothing else: they begin
in a twentieth of a second instead of four."""
if _READY:
    _children.set_forkserver_preload(["cyclorama.app.preload"])
_log = logging.getLogger(__name__)


def make_ready() -> None:
    """Have children begin at once from now on, instead of when the first is wanted."""
    if _READY:
        from multiprocessing import forkserver

        forkserver.ensure_running()


@contextmanager
def _main_hidden() -> Iterator[None]:
    """Children need nothing of the program that was started: a script that brings a model in is not run again in them
    (`multiprocessing.spawn` imports the main module by these names)."""
    main = sys.modules["__main__"]
    with _hiding:
        kept: dict[str, Any] = {name: vars(main)[name] for name in _NAMES if name in vars(main)}
        try:
            vars(main).pop("__file__", None)
            main.__spec__ = None
            yield
        finally:
            vars(main).update(kept)


def run_limited(
    work: Callable[..., Any],
    *arguments: Any,
    folder: Path,
    memory_bytes: int,
    longest_s: float,
    too_long: str,
    gave_up: str,
    reads: Sequence[Path] = (),
    tell: Tell = lambda what, share: None,
    unwanted: Callable[[], bool] = lambda: False,
) -> Any:
    """Result of `work(tell, *arguments)` in a child with limits of memory and time.

    `work` must be a function of a module; it may write below `folder`, and read there and below `reads`. Raises
    IntakeError with its sentence, with `too_long` when it stands still or did not come to an end in time, and with
    `gave_up` when it died; Unwanted when it is found to be so.
    """
    here, there = _children.Pipe(duplex=False)
    scratch = Path(tempfile.mkdtemp(prefix=".scratch-", dir=folder))
    confined = _Confined(scratch, folder, tuple(reads))
    child = _children.Process(target=_child, args=(there, memory_bytes, confined, work, arguments), daemon=True)
    try:
        if unwanted():
            raise Unwanted
        with _main_hidden():
            child.start()
        there.close()
        watch = _Watchdog(child.pid, longest_s)
        while True:
            if here.poll(LOOK_EVERY_S):
                kind, *rest = receive_result(here)
                if kind == "done":
                    return rest[0]
                if kind == "error":
                    raise IntakeError(rest[0])
                watch.moved()
                tell(*rest)
            if unwanted():
                raise Unwanted
            if watch.is_stuck():
                raise IntakeError(too_long)
            if watch.memory_bytes() > memory_bytes:  # where the system itself does not limit it
                raise IntakeError(NO_MEMORY)
    except EOFError as error:
        raise IntakeError(gave_up) from error
    finally:
        if child.pid is not None:
            child.kill()
            child.join()
        child.close()
        here.close()
        shutil.rmtree(scratch, ignore_errors=True)


class _Watchdog:
    """Tells when a child has run too long, uses no processor time, or makes no progress."""

    def __init__(self, pid: int, longest_s: float):
        now = time.monotonic()
        self._until, self._last_news, self._last_work = now + longest_s, now, now
        self._used_s = 0.0
        self._process: psutil.Process | None = None
        with suppress(psutil.Error):
            self._process = psutil.Process(pid)

    def moved(self) -> None:
        """Progress was told."""
        self._last_news = time.monotonic()

    def memory_bytes(self) -> int:
        """Room that it takes in memory."""
        with suppress(psutil.Error):
            return self._process.memory_info().rss if self._process is not None else 0
        return 0

    def is_stuck(self) -> bool:
        now = time.monotonic()
        with suppress(psutil.Error):
            if self._process is not None:
                times = self._process.cpu_times()
                if times.user + times.system > self._used_s + 0.01:
                    self._used_s, self._last_work = times.user + times.system, now
        return now > self._until or now - self._last_work > IDLE_S or now - self._last_news > SILENT_S


@dataclass(frozen=True, slots=True)
class _Confined:
    """Folders of a child."""

    scratch: Path
    writes: Path
    reads: tuple[Path, ...]


def look_at(examine: Callable[[Path, str], Any], path: Path, name: str) -> Any:
    """Result of `examine(path, name)` on an uploaded file; raises IntakeError, see `run_limited`."""
    return run_limited(
        _examine,
        examine,
        path,
        name,
        folder=path.parent,
        memory_bytes=PICTURE_BYTES,
        longest_s=PICTURE_S,
        too_long=f"‘{name}’ takes too long to unpack. Make it smaller and bring it in again.",
        gave_up=f"‘{name}’ is damaged: its reader broke down over it. Export it again.",
    )


def _examine(tell: Tell, examine: Callable[[Path, str], Any], path: Path, name: str) -> Any:
    return examine(path, name)


def _child(
    connection: Connection, memory_bytes: int, confined: _Confined, work: Callable[..., Any], arguments: tuple[Any, ...]
) -> None:
    from . import preload  # noqa: F401  (before the cache of kernels can only be read)

    limit_memory(memory_bytes)
    tempfile.tempdir = os.environ["TMPDIR"] = str(confined.scratch)
    os.chdir(confined.scratch)
    confine(confined.writes, (Path(__file__).parents[2], cache_home(), *confined.reads))
    try:
        result = work(lambda what, share: send_result(connection, "progress", what, share), *arguments)
        send_result(connection, "done", result)
    except CycloramaError as error:
        send_result(connection, "error", error.sentence)
    except MemoryError:
        send_result(connection, "error", NO_MEMORY)
    except Exception:
        _log.exception("Work on a foreign file failed")
        raise
    finally:
        connection.close()
