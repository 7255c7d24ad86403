"""The worker process: shoots queued takes one after the other, apart from the web process.

Exactly one worker runs in a data folder (`worker_lock.py`). It outlives the web process and ends when it has no work.
"""

import argparse
import logging
import os
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import TYPE_CHECKING

from ...core.errors import BusyError, CycloramaError, NotFoundError, SpaceError
from ...core.host.holds import HeldFile, hold, taken_over
from ...core.render.film.tracer import Tracer
from ...store import Studio
from .take import shoot_take
from .worker_lock import Beat, shooting, who_shoots

if TYPE_CHECKING:  # shooting here needs no library of clusters
    from ..farm.farm import Farm

CLUSTER = "CYC_CLUSTER"
IDLE_S = 15.0
WAIT_S = 0.3
FAULT = "A fault of the program ended this take; worker.log tells more. Resume shoots what is missing."
_log = logging.getLogger(__name__)


def start_worker(folder: Path) -> "subprocess.Popen[bytes] | None":
    """Start a worker process; None while another is starting, however long that takes.

    The worker holds `starting.lock` from its birth until it shoots, or ends.
    """
    starting = hold(folder / "starting.lock")
    if starting is None:
        return None
    command = [sys.executable, "-m", "cyclorama.shoot.run.worker", "--data", str(folder)]
    with (folder / "worker.log").open("ab") as log:
        return starting.hand_over(command, "--starting", stdin=subprocess.DEVNULL, stdout=log, stderr=log)


def ensure_worker(studio: Studio) -> None:
    """Start a worker process if none is there."""
    if who_shoots(studio.folder) is None:
        start_worker(studio.folder)


def work(folder: Path, starting: HeldFile | None = None) -> None:
    """Shoot queued takes until none has come for IDLE_S.

    starting: hold that says that this worker starts; it lets go once it shoots.
    """
    studio = Studio(folder)
    while True:
        with shooting(folder) as beat:
            if starting is not None:
                starting.close()
                starting = None
            if beat is None:
                return
            _work_while_there_is_some(studio, beat)
        # A take may have been queued while the lock was still held, by somebody who then saw a worker there.
        if studio.takes.next_queued() is None:
            return


def _work_while_there_is_some(studio: Studio, beat: Beat) -> None:
    idle_since = time.monotonic()
    going: list[threading.Thread] = []
    with Tracer() as tracer, cluster(studio) as farm:
        while going or time.monotonic() - idle_since < IDLE_S:
            beat.moved()
            if any(not thread.is_alive() for thread in going):
                going = [thread for thread in going if thread.is_alive()]
                idle_since = time.monotonic()
            take_id = _next(studio) if not going or (farm is not None and farm.has_room(len(going))) else None
            if take_id is None:
                time.sleep(WAIT_S)
                continue
            if farm is None:
                _shoot(studio, take_id, tracer, beat, None)
                idle_since = time.monotonic()
            else:
                going.append(threading.Thread(target=_shoot, args=(studio, take_id, tracer, beat, farm), name=take_id))
                going[-1].start()


@contextmanager
def cluster(studio: Studio) -> "Iterator[Farm | None]":
    """The cluster that CYC_CLUSTER names, if it does."""
    address = os.environ.get(CLUSTER)
    if not address:
        yield None
        return
    from ..farm.farm import Farm

    farm = Farm(address, studio)
    try:
        yield farm
    finally:
        farm.close()


def _next(studio: Studio) -> str | None:
    try:
        return studio.takes.next_queued()
    except BusyError:
        return None


def _shoot(studio: Studio, take_id: str, tracer: Tracer, beat: Beat, farm: "Farm | None") -> None:
    """One take; whatever happens to it, the next one's turn comes."""
    try:
        shoot_take(studio, take_id, tracer, moved=beat.moved, farm=farm)
        return
    except NotFoundError:
        return  # it was removed meanwhile
    except CycloramaError as error:
        sentence = error.sentence
    except Exception:
        _log.exception("The take %s ended", take_id)
        sentence = FAULT
    time.sleep(WAIT_S)
    with suppress(BusyError, SpaceError, NotFoundError):
        studio.takes.update(take_id, state="failed", message=sentence, worker_pid=None)


if __name__ == "__main__":
    logging.basicConfig(format="%(asctime)s %(process)d %(message)s")
    parser = argparse.ArgumentParser(description="Shoots the takes queued in a data folder.")
    parser.add_argument("--data", type=Path, required=True)
    parser.add_argument("--starting")
    _log.warning("worker %s begins", os.getpid())
    arguments = parser.parse_args()
    work(arguments.data, taken_over(arguments.starting) if arguments.starting else None)
