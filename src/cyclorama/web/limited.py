"""Work on foreign files in a process of its own: however large, broken or hostile they are, the studio stays up."""

import logging
import multiprocessing
import time
from collections.abc import Callable
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from ..core.errors import CycloramaError, IntakeError
from .work import Unwanted

Tell = Callable[[str, float], None]
"""Told what is being done, and how much of the whole is done, 0…1."""
LOOK_EVERY_S = 0.1
NO_MEMORY = "This needs more memory than there is. Reduce it and export it again."
PICTURE_BYTES, PICTURE_S = 6 << 30, 120.0
"""What looking at a picture may need; the largest environment takes 3 GB."""
_READY = "forkserver" in multiprocessing.get_all_start_methods()
_children: Any = multiprocessing.get_context("forkserver" if _READY else "spawn")
"""Where it can be had, children come from a process that has loaded everything once and does nothing else: they begin
in a twentieth of a second instead of four."""
if _READY:
    _children.set_forkserver_preload(
        ["cyclorama.web.intakes", "cyclorama.core.geometry.intake", "cyclorama.core.picture.examine"]
    )


def make_ready() -> None:
    """Have children begin at once from now on, instead of when the first is wanted."""
    if _READY:
        forkserver.ensure_running()


def run_limited(
    work: Callable[..., Any], *arguments: Any, memory_bytes: int, longest_s: float, too_long: str, gave_up: str,
    tell: Tell = lambda what, share: None, unwanted: Callable[[], bool] = lambda: False,
) -> Any:  # fmt: skip
    """What `work(tell, *arguments)` returns, done by a child that may use so much memory and time.

    `work` must be a function of a module. Raises IntakeError with its sentence, with `too_long` when it did not come
    to an end in time, and with `gave_up` when it died; Unwanted when it is found to be so.
    """
    here, there = _children.Pipe(duplex=False)
    child = _children.Process(target=_child, args=(there, memory_bytes, work, arguments), daemon=True)
    until = time.monotonic() + longest_s
    try:
        if unwanted():
            raise Unwanted
        child.start()
        there.close()
        while True:
            if here.poll(LOOK_EVERY_S):
                kind, *rest = here.recv()
                if kind == "done":
                    return rest[0]
                if kind == "error":
                    raise IntakeError(rest[0])
                tell(*rest)
            if unwanted():
                raise Unwanted
            if time.monotonic() > until:
                raise IntakeError(too_long)
    except EOFError as error:
        raise IntakeError(gave_up) from error
    finally:
        if child.pid is not None:
            child.kill()
            child.join()
        child.close()
        here.close()


def look_at(examine: Callable[[Path, str], Any], path: Path, name: str) -> Any:
    """What `examine(path, name)` finds out about a picture; raises IntakeError, see `run_limited`."""
    return run_limited(
        _examine, examine, path, name, memory_bytes=PICTURE_BYTES, longest_s=PICTURE_S,
        too_long=f"‘{name}’ takes too long to unpack. Make it smaller and bring it in again.",
        gave_up=f"‘{name}’ could not be read: the reader gave up. Export it again.",
    )  # fmt: skip


def _examine(tell: Tell, examine: Callable[[Path, str], Any], path: Path, name: str) -> Any:
    return examine(path, name)


def _child(connection: Connection, memory_bytes: int, work: Callable[..., Any], arguments: tuple[Any, ...]) -> None:
    import resource

    resource.setrlimit(resource.RLIMIT_AS, (memory_bytes, memory_bytes))
    try:
        result = work(lambda what, share: connection.send(("progress", what, share)), *arguments)
        connection.send(("done", result))
    except CycloramaError as error:
        connection.send(("error", error.sentence))
    except MemoryError:
        connection.send(("error", NO_MEMORY))
    except Exception:
        logging.getLogger(__name__).exception("Work on a foreign file failed")
        raise
    finally:
        connection.close()
