"""`./cyc worker` and `./cyc scheduler`: what runs on the machines of a cluster.

A worker is looked after by a process that starts it again when it ends, and both come back when the scheduler does.
Addresses with tls:// are encrypted as Dask's settings say (distributed.comm.tls).
"""

import asyncio
import logging
import signal
import time
from collections.abc import Callable, Coroutine
from contextlib import suppress

from distributed import Nanny, Scheduler
from distributed.comm.addressing import parse_address

from ...core.errors import ShootError
from ...core.host import processes
from ...core.render.film.tracer import Tracer
from ...core.render.warm import kernels_compiled, warm_up
from .cluster import CORES, works

AGAIN_S = 3.0
START_S = 90.0
"""A process that is not at work after so long will not be: what it imports takes seconds, on a busy machine many."""
LOOK_EVERY_S = 1.0
Tell = Callable[[str], None]


def check_address(address: str) -> str:
    """An address as the scheduler tells it. Raises ShootError when it is none."""
    try:
        scheme, rest = parse_address(address, strict=True)
    except ValueError:
        scheme, rest = "", ""
    host, _, port = rest.rpartition(":")
    if scheme not in ("tcp", "tls") or not host or not port.isdigit():
        raise ShootError(
            f"‘{address}’ is not the address of a cluster. Write it as the scheduler tells it: tcp://name:8786."
        )
    return address


def hold_to(cores: int) -> None:
    """Leave all but so many of the machine's cores to others, for good. Raises ShootError where it has fewer."""
    here = processes.cores()
    if not 1 <= cores <= here:
        raise ShootError(f"This machine has {here} cores; {cores} were asked for.")
    processes.keep_to_cores(cores)


def work_for(address: str, name: str | None, tell: Tell, cores: int | None = None) -> None:
    """Be a machine of a cluster until the process is ended, with all cores or so many.

    Raises ShootError for what is no address, or for more cores than there are.
    """
    check_address(address)
    if cores is not None:
        hold_to(cores)
    if not kernels_compiled():
        tell("Preparing the renderer, once on this machine …")
    with Tracer() as tracer:
        warm_up(tracer)
    _run(_work(address, name, tell))


def _run(work: Coroutine[None, None, None]) -> None:
    """Do something until it is told to end: Ctrl+C and SIGTERM end it in good order."""
    logging.getLogger("distributed").setLevel(logging.ERROR)

    async def until_told() -> None:
        task = asyncio.ensure_future(work)
        loop = asyncio.get_running_loop()
        for sign in processes.ENDING:  # Python's own handlers: loops of Windows have none
            signal.signal(sign, lambda *_: loop.call_soon_threadsafe(task.cancel))
        with suppress(asyncio.CancelledError):
            await task

    asyncio.run(until_told())


async def _work(address: str, name: str | None, tell: Tell) -> None:
    cores = processes.cores()
    while True:
        machine = Nanny(
            address,
            nthreads=1,
            name=name,
            memory_limit="auto",
            resources={works(): 1, CORES: cores},
            death_timeout=START_S,
            silence_logs=logging.ERROR,
            dashboard=False,
        )
        try:
            async with machine:
                tell(f"Shoots for {address} with {cores} cores. Ctrl+C ends it; what it was at is done elsewhere.")
                await _gone(machine)
        except (OSError, TimeoutError, RuntimeError, AssertionError):  # the last when its start took too long
            pass
        tell(f"{address} does not answer; trying again.")
        await asyncio.sleep(AGAIN_S)


async def _gone(machine: Nanny) -> None:
    """Wait until it ended, or has had nobody who works for long: Dask leaves it at that when a new start failed."""
    ended = asyncio.ensure_future(machine.finished())
    at_work = time.monotonic()
    while not ended.done() and time.monotonic() - at_work < START_S:
        await asyncio.wait({ended}, timeout=LOOK_EVERY_S)
        if machine.process is not None and machine.process.is_alive():
            at_work = time.monotonic()
    ended.cancel()


def schedule(host: str, port: int, tell: Tell) -> None:
    """Be the scheduler of a cluster until the process is ended. Raises ShootError when nothing can listen there."""
    _run(_schedule(host, port, tell))


async def _schedule(host: str, port: int, tell: Tell) -> None:
    try:
        async with Scheduler(host=host, port=port, dashboard=False, dashboard_address=":0") as scheduler:
            tell(f"The cluster is at {scheduler.address}")
            tell(f"  a studio uses it:      ./cyc run --cluster {scheduler.address}")
            tell(f"  a machine works in it: ./cyc worker {scheduler.address}")
            await scheduler.finished()
    except (OSError, ValueError) as error:
        raise ShootError(f"Nothing can listen at {host}:{port}: {error}. Try another --port.") from error
