"""Makes a take's frames on the machines of a cluster.

Every frame is three steps (`steps`), which Dask hands out and does again elsewhere when a machine is lost. Nothing is
written here: frames come back as files, and who asked for them writes and records them.
"""

import itertools
import threading
import time
from collections.abc import Callable, Iterable
from concurrent.futures import CancelledError
from contextlib import suppress
from queue import Empty, SimpleQueue
from typing import Any
from uuid import uuid4

from distributed import Future

from ...core.errors import CycloramaError, ShootError, SpaceError
from ...core.geometry.cache_keys import content_hash
from ...core.render.film.row_bands import Band, bands_of
from ...store import Studio, TakeRecord
from ..frames.cache import program
from ..frames.executors import RenderedFrame
from ..frames.pipeline import cleaned_for, exposed_for, seen_for_cleaning, seen_for_finish
from . import steps
from .cluster import Cluster, Machine, connect, works
from .runs import Runs, wants_more
from .worker_status import Crew, WorkerStatus, forget_crew, tell_crew
from .workshop import FarmJob

LOOK_EVERY_S = 0.25
MOST_TAKES = 4
"""That are shot at a time: the next begins when the frames of those before are handed out, so that nobody waits."""
CONNECT_EVERY_S, TELL_EVERY_S = 3.0, 1.0
FETCH_S = 60.0


class Farm:
    """The cluster at an address, for one studio; connected when it is needed, and again when that was lost."""

    def __init__(self, address: str, studio: Studio):
        self.address = address
        self._studio = studio
        self._documents: dict[str, bytes] = {}
        self._cluster: Cluster | None = None
        self._lock = threading.RLock()
        self._open: set[ClusterExecutor] = set()
        self._told = 0.0

    def cluster(self) -> Cluster:
        """The open connection. Raises ShootError with a sentence when nobody answers."""
        with self._lock:
            if self._cluster is not None and not self._cluster.is_there:
                self.lose(self._cluster)
            if self._cluster is None:
                self._cluster = connect(self.address, self._file)
            return self._cluster

    def lose(self, cluster: Cluster) -> None:
        """A connection is of no use any more."""
        with self._lock:
            if self._cluster is cluster:
                self.close()

    def has_room(self, takes: int) -> bool:
        """True when machines will soon have nothing to do: of so many takes, all have handed out their frames."""
        with self._lock:
            return takes == len(self._open) and takes < MOST_TAKES and not any(m.left for m in self._open)

    def makes(
        self,
        take: TakeRecord,
        numbers: list[int],
        check: Callable[[], None],
        told: Callable[[list[Machine]], None],
        waits: Callable[[str], None],
        only_passes: bool = False,
    ) -> "ClusterExecutor":
        """Make frames of a take, or only their passes.

        check: raises Cancelled when something else is wished; told: hears who does what; waits: why nothing is made.
        """

        def all_told(machines: list[Machine]) -> None:
            self._tell(machines)
            told(machines)

        makes = ClusterExecutor(self, take, numbers, check, all_told, waits, lambda: self._closed(makes), only_passes)
        with self._lock:
            self._open.add(makes)
        return makes

    def job(self, take: TakeRecord) -> FarmJob:
        """A take as steps are told of it."""
        document = take.project.model_dump_json().encode()
        name = f"{content_hash(document)}.document"
        self._documents[name] = document
        return FarmJob(self.cluster().topic, name, take.first, take.last, take.every, program().hex())

    def close(self) -> None:
        with self._lock:
            if self._cluster is not None:
                with suppress(OSError, TimeoutError):
                    self._cluster.close()
            self._cluster = None
        forget_crew(self._studio.folder)

    def _closed(self, makes: "ClusterExecutor") -> None:
        with self._lock:
            self._open.discard(makes)

    def _tell(self, machines: list[Machine]) -> None:
        """Tell whoever looks at the studio, now and then."""
        if time.monotonic() - self._told > TELL_EVERY_S:
            self._told = time.monotonic()
            hands = [WorkerStatus.model_validate(m, from_attributes=True) for m in machines]
            with suppress(SpaceError):
                tell_crew(self._studio.folder, Crew(address=self.address, hands=hands))

    def _file(self, name: str) -> bytes:
        return self._documents[name] if name in self._documents else self._studio.assets.get(name)


class ClusterExecutor:
    """Frames of a take, made wherever there is a machine; they come in the order in which they are done."""

    def __init__(
        self,
        farm: Farm,
        take: TakeRecord,
        numbers: list[int],
        check: Callable[[], None],
        told: Callable[[list[Machine]], None],
        waits: Callable[[str], None],
        closed: Callable[[], None],
        only_passes: bool,
    ):
        self._farm, self._take, self._only_passes = farm, take, only_passes
        self._check, self._told, self._waits, self._closed = check, told, waits, closed
        self._wanted = dict.fromkeys(numbers)
        """frames that are to come"""
        self._steps: _Steps | None = None
        self._waited = ""
        self._machines: list[Machine] = []
        self._looked = 0.0

    @property
    def left(self) -> bool:
        """True when there is something that nobody has yet."""
        return self._steps is None or len(self._steps.runs) > 0

    def next(self) -> tuple[int, RenderedFrame | Exception] | None:
        while self._wanted:
            self._check()
            try:
                got = self._look(self._connected())
            except Exception:
                if self._steps is not None and self._steps.cluster.is_there and not self._steps.lost:
                    raise  # it is not the connection
                self._say(f"The cluster at {self._farm.address} does not answer; shooting goes on when it is back.")
                time.sleep(CONNECT_EVERY_S)
                continue
            if got is not None:
                del self._wanted[got[0]]
                return got
        return None

    def _look(self, steps: "_Steps") -> tuple[int, RenderedFrame | Exception] | None:
        """See who is there, hand out what they can take on, and take what is done."""
        if time.monotonic() - self._looked > LOOK_EVERY_S:
            self._looked = time.monotonic()
            self._machines = steps.cluster.machines()
            self._told(self._machines)
            self._say(_nobody(self._farm.address, self._machines))
        steps.hand_out(sum(m.same for m in self._machines))
        return steps.ended(LOOK_EVERY_S)

    def again(self, number: int) -> None:
        self._wanted[number] = None
        if self._steps is not None:
            self._steps.ask([number])

    def close(self) -> None:
        if self._steps is not None:
            self._steps.release()
        self._closed()
        self._say("")

    def _connected(self) -> "_Steps":
        """The steps that are handed out; after the connection was lost, those are to be handed out again."""
        if self._steps is not None and self._steps.lost:
            self._farm.lose(self._steps.cluster)
        cluster = self._farm.cluster()
        if self._steps is None or self._steps.cluster is not cluster:
            self._steps = _Steps(cluster, self._farm.job(self._take), self._take, self._only_passes)
            self._steps.ask(self._wanted)
        return self._steps

    def _say(self, sentence: str) -> None:
        if sentence != self._waited:
            self._waits(sentence)
            self._waited = sentence


def _nobody(address: str, machines: list[Machine]) -> str:
    """Why nothing is made, if so."""
    if any(m.same for m in machines):
        return ""
    other = f" {len(machines)} with another version of Cyclorama are there." if machines else ""
    return f"No machine is there to shoot.{other} Start some:  ./cyc worker {address}"


class _Steps:
    """Tasks submitted over one connection.

    Frames are exposed in runs. Which machine gets one is Dask's choice, which is the one with least to do, or another
    when it is lost; all of a run goes with its first step, and what then is to be done to where the frames lie.
    """

    def __init__(self, cluster: Cluster, job: FarmJob, take: TakeRecord, only_passes: bool):
        self.cluster, self._only_passes = cluster, only_passes
        self.runs = Runs()
        """frames that nobody exposes yet"""
        self.lost = False
        """true when nothing more is to be expected"""
        self._job, self._project, self._numbers = job, take.project, take.numbers
        self._asked: dict[int, list[int]] = {}
        """frames of which not all is exposed or handed out that they need, and that"""
        self._exposed: dict[int, Future[Any]] = {}
        self._seen: dict[int, Future[Any]] = {}
        self._cleaned: dict[int, Future[Any]] = {}
        self._finished: dict[int, Future[Any]] = {}
        self._open_runs: list[list[Future[Any]]] = []
        """films of runs that are not done"""
        self._ended: SimpleQueue[int] = SimpleQueue()
        self._count, self._mark = itertools.count(1), uuid4().hex[:12]

    def ask(self, numbers: Iterable[int]) -> None:
        """Frames that are to be made."""
        for number in numbers:
            needed = [] if self._only_passes else exposed_for(self._project, self._numbers, number)
            self._asked[number] = needed
            self.runs.add(n for n in needed if n not in self._exposed)

    def hand_out(self, machines: int) -> None:
        """Give out runs as long as there are machines that will soon have nothing to expose."""
        while len(self.runs) and wants_more([[f.done() for f in run] for run in self._open_runs], machines):
            bands = bands_of(self._project.shot.shoot, machines // (len(self.runs) + len(self._open_runs)))
            if len(bands) > 1:
                self._in_bands(bands)
                continue
            run = self.runs.next(machines)
            begun = self._hand(steps.begin, run[0])
            for number in run:
                self._exposed[number] = self._hand(steps.expose, number, self._job, number, begun)
            self._open_runs.append([self._exposed[number] for number in run])
        self._open_runs = [run for run in self._open_runs if not all(f.done() for f in run)]
        for number in [n for n, needed in self._asked.items() if all(m in self._exposed for m in needed)]:
            del self._asked[number]
            self._finish(number)
        self._forget()

    def _in_bands(self, bands: list[Band]) -> None:
        """Have a frame exposed by several machines: there are more of them than frames."""
        (number,) = self.runs.next(len(self.runs))
        of = self._job, number
        films = [self._hand(steps.expose_band, number, *of, band) for band in bands]
        if self._project.shot.shoot.wanted_quality is not None:
            missing = self._hand(steps.look, number, *of, films)
            films = [
                self._hand(steps.expose_more, number, *of, band, film, missing)
                for band, film in zip(bands, films, strict=True)
            ]
        self._exposed[number] = self._hand(steps.join, number, *of, films)
        self._open_runs.append([self._exposed[number]])

    def ended(self, wait_s: float) -> tuple[int, RenderedFrame | Exception] | None:
        """A frame that is done or failed, if there is one within some time."""
        try:
            number = self._ended.get(timeout=wait_s)
        except Empty:
            return None
        future = self._finished[number]
        if future.status == "cancelled":  # the scheduler is gone, or a new one in its place
            self.lost = True
            return None
        try:
            if future.status == "lost":  # its machine is gone: it is made again
                raise TimeoutError
            made: RenderedFrame = future.result(timeout=FETCH_S)
            seconds = self.cluster.spent(self._job.document, number)
            result: RenderedFrame | Exception = RenderedFrame(made.files, made.clamped, seconds, made.machine)
        except (CancelledError, TimeoutError, OSError):
            future.add_done_callback(lambda _: self._ended.put(number))
            return None
        except Exception as error:
            result = error
        del self._finished[number]
        if isinstance(result, Exception):
            self._drop_failed()
            result = _in_words(result)
        return number, result

    def release(self) -> None:
        """Whatever is handed out is not wanted any more."""
        by_number = (self._exposed, self._seen, self._cleaned, self._finished)
        futures = [f for kept in by_number for f in kept.values()] + [f for run in self._open_runs for f in run]
        for kept in (*by_number, self._open_runs):
            kept.clear()
        if self.cluster.is_there:
            self.cluster.client.cancel(futures)

    def _finish(self, number: int) -> None:
        """Hand out all other steps of a frame."""
        only = self._only_passes
        future = self._hand(steps.passes, number, self._job, number) if only else self._whole(number)
        self._finished[number] = future
        future.add_done_callback(lambda _: self._ended.put(number))

    def _whole(self, number: int) -> Future[Any]:
        take = self._project, self._numbers
        beside = cleaned_for(*take, number)
        for n in beside:
            if n not in self._cleaned:
                near = seen_for_cleaning(*take, n)
                seen = [self._see(m) for m in near]
                self._cleaned[n] = self._hand(steps.clean, n, self._job, n, self._exposed[n], near, seen)
        near = seen_for_finish(*take, number)
        seen, cleaned = [self._see(m) for m in near], [self._cleaned[n] for n in beside]
        given = (self._job, number, self._exposed[number], near, seen, beside, cleaned)
        return self._hand(steps.finish, number, *given)

    def _see(self, number: int) -> Future[Any]:
        if number not in self._seen:
            self._seen[number] = self._hand(steps.see, number, self._exposed[number])
        return self._seen[number]

    def _hand(self, step: Callable[..., object], number: int, *given: object) -> Future[Any]:
        key = f"{step.__name__}-{self._mark}-{number}-{next(self._count)}"
        return self.cluster.client.submit(step, *given, key=key, resources={works(): 1}, pure=False)

    def _drop_failed(self) -> None:
        """Steps that failed are handed out anew when a frame needs them again."""
        for kept in (self._exposed, self._seen, self._cleaned):
            for n in [n for n, future in kept.items() if future.status in ("error", "cancelled", "lost")]:
                del kept[n]

    def _forget(self) -> None:
        """Let go of steps that no frame will ask for any more: machines need not keep them."""
        needed = {n for numbers in self._asked.values() for n in numbers}
        for kept in (self._exposed, self._seen, self._cleaned):
            for n in [n for n in kept if n not in needed]:
                del kept[n]


def _in_words(error: Exception) -> Exception:
    """Sentence for an error on a machine."""
    if isinstance(error, CycloramaError | MemoryError):
        return error
    if type(error).__name__ == "KilledWorker":
        return ShootError("Several machines ended while they worked on it; it may need more memory than they have.")
    return error
