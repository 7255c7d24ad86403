"""The connection to a cluster: who is there, what they do, and the files they ask for."""

import hashlib
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from queue import Empty, SimpleQueue
from typing import Any
from uuid import uuid4

from distributed import Client

from ...core.errors import CycloramaError, ShootError
from ..frames.cache import program
from . import steps
from .workshop import FilePart

PART_BYTES = 16 << 20
CONNECT_S = 5.0
WORKS, CORES = "cyclorama-works", "cyclorama-cores"


def works() -> str:
    """The resource of machines that have this version of the program."""
    return f"{WORKS}-{program().hex()[:12]}"


@dataclass(slots=True)
class Machine:
    """A machine of the cluster, as it was last heard of."""

    address: str
    name: str
    cores: int
    memory: int
    """bytes in use"""
    same: bool
    """true when it has this version of the program"""
    frame: int | None = None
    does: str = ""
    share: float = 0.0
    ended: list[float] = field(default_factory=list)
    """when frames ended there that were exposed, on the clock of `monotonic`"""

    @property
    def frames_a_minute(self) -> float:
        """Over the last ten minutes."""
        now = time.monotonic()
        recent = [t for t in self.ended if now - t < 600.0]
        return 60.0 * len(recent) / max(now - recent[0], 60.0) if recent else 0.0


class Orders:
    """Files that machines asked for, in order: what is asked for again before its turn has come is given once."""

    def __init__(self) -> None:
        self._changed = threading.Condition()
        self._waiting: dict[tuple[str, str], None] = {}
        self._over = False

    def ask(self, at: str, name: str) -> None:
        """Request a file for a machine; a repeated request means that it was damaged or lost on the way."""
        with self._changed:
            self._waiting[at, name] = None
            self._changed.notify()

    def next(self) -> tuple[str, str] | None:
        """The next machine and the file it wants; None when requests have ended."""
        with self._changed:
            self._changed.wait_for(lambda: self._waiting or self._over)
            if self._over:
                return None
            order = next(iter(self._waiting))
            del self._waiting[order]
            return order

    def end(self) -> None:
        with self._changed:
            self._over = True
            self._changed.notify()


class Cluster:
    """One connection. What a step says is heard as long as it is open."""

    def __init__(self, address: str, files: Callable[[str], bytes]):
        """files: gives a file by its name. Raises OSError when nobody answers."""
        self.topic = f"cyclorama-{uuid4().hex}"
        self.client = Client(address, timeout=CONNECT_S, set_as_default=False, name="cyclorama")
        self._seconds: dict[tuple[str, int], float] = {}
        """that machines spent on frames, by document and number"""
        self._lock = threading.Lock()
        self._machines: dict[str, Machine] = {}
        self._files, self._orders = files, Orders()
        self._heard: SimpleQueue[dict[str, Any]] = SimpleQueue()
        self.client.subscribe_topic(self.topic, lambda event: self._hear(event[1]))
        self._gives = threading.Thread(target=self._give, name="gives files", daemon=True)
        self._gives.start()

    @property
    def is_there(self) -> bool:
        """True when the scheduler still answers."""
        return bool(self.client.status == "running")

    def close(self) -> None:
        self._orders.end()
        self.client.close(timeout=2.0)

    def machines(self) -> list[Machine]:
        """Machines of the cluster, with their latest status."""
        there = self.client.scheduler_info(n_workers=-1)["workers"]
        with self._lock:
            return self._looked_at(there)

    def spent(self, document: str, number: int) -> float:
        """Seconds that all machines together worked on a frame that is done, once: then they are forgotten."""
        with self._lock:
            self._note_all()  # a quick frame is done before anybody has asked for the machines
            return self._seconds.pop((document, number), 0.0)

    def _looked_at(self, there: dict[str, Any]) -> list[Machine]:
        self._machines = {address: self._known(address, told) for address, told in there.items()}
        self._note_all()
        return sorted(self._machines.values(), key=lambda m: m.name)

    def _known(self, address: str, told: dict[str, Any]) -> Machine:
        has = told.get("resources", {})
        here = self._machines.get(address) or Machine(
            address, str(told["name"]), int(has.get(CORES, 0)), 0, works() in has
        )
        here.memory = int(told.get("metrics", {}).get("memory", 0))
        return here

    def _note_all(self) -> None:
        while True:
            try:
                self._note(self._heard.get_nowait())
            except Empty:
                return

    def _note(self, told: dict[str, Any]) -> None:
        number, seconds = told["frame"], told.get("seconds")
        key = (told["of"], number)
        self._seconds[key] = self._seconds.get(key, 0.0) + (seconds or 0.0)
        machine = self._machines.get(told["at"])
        if machine is None:
            return
        machine.frame, machine.does, machine.share = (
            (number, told["does"], told["share"]) if seconds is None else (None, "", 0.0)
        )
        if seconds is not None and told["does"] == "exposes":
            machine.ended.append(time.monotonic())

    def _hear(self, told: dict[str, Any]) -> None:
        if "wants" in told:
            self._orders.ask(told["at"], told["wants"])
        else:
            self._heard.put(told)

    def _give(self) -> None:
        """Bring files to machines that asked for them, until the connection ends."""
        while (order := self._orders.next()) is not None:
            at, name = order
            try:
                for part in _parts(self._files, name):
                    self.client.run(steps.give, name, part, workers=[at], on_error="raise")
            except (OSError, ValueError):
                continue  # that machine, or the scheduler, is gone or slow: who needs the file asks again


def _parts(files: Callable[[str], bytes], name: str) -> Iterator[FilePart | str]:
    try:
        data = files(name)
    except CycloramaError as error:
        yield error.sentence
        return
    sha256 = hashlib.sha256(data).hexdigest()
    for offset in range(0, max(len(data), 1), PART_BYTES):
        yield FilePart(offset, data[offset : offset + PART_BYTES], len(data), sha256)


def connect(address: str, files: Callable[[str], bytes]) -> Cluster:
    """Raises ShootError with a sentence when nobody answers, or the address is none."""
    try:
        return Cluster(address, files)
    except (OSError, ValueError) as error:
        raise ShootError(f"The cluster at {address} does not answer.") from error
