"""Gain by many machines: a shoot on up to hundreds of them, simulated with times measured here.

The machines are as this one; what is simulated is who does what when (runs, steps, places of data as on a cluster),
the network and the two that everything goes through: scheduler and collector.
"""

import heapq
import pickle
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path

from distributed import Client, LocalCluster

from ..core.render.compile.compiler import SceneCompiler
from ..core.render.film.denoise import denoise
from ..core.render.film.tracer import Tracer
from ..core.scene import Project
from ..demo.projects import storm_glass_project
from ..shoot.farm.runs import Runs, wants_more
from ..shoot.frames.cache import program
from ..shoot.frames.executors import frame_files
from ..shoot.frames.pipeline import FrameMaker, cleaned_for, exposed_for, seen_for_cleaning, seen_for_finish
from ..shoot.run.forecast import time_call
from ..store.assets import write_whole

NETWORK_BYTES_S = 117e6
"""Of one gigabit a second."""
LOOK_S = 0.25
TAKES, MACHINES = 4, (1, 2, 4, 8, 16, 32, 64, 100, 200, 400)


@dataclass(frozen=True, slots=True)
class Costs:
    """Of the steps of one frame."""

    expose_s: float
    clean_s: float
    finish_s: float
    seen_bytes: int
    cleaned_bytes: int
    files_bytes: int
    start_s: float
    """until a machine is there"""
    assets_bytes: int
    schedule_s: float
    """of the scheduler, for a step"""
    collect_s: float
    """to write a frame's files and record it"""

    @property
    def work_s(self) -> float:
        return self.expose_s + self.clean_s + self.finish_s


def measure_costs(project: Project, read: Callable[[str], bytes], assets_bytes: int, tracer: Tracer) -> Costs:
    """Costs of a frame in the middle of the open shot."""
    numbers = project.shot.frame_numbers
    maker = FrameMaker(project, numbers, SceneCompiler(read), tracer)
    middle = numbers[len(numbers) // 2]
    maker.exposed(middle)  # costs of the first time are not of the frame
    expose_s, film = time_call(lambda: maker.exposed(middle))
    seen = maker.seen(film)
    known = dict.fromkeys(seen_for_cleaning(project, numbers, middle), seen)
    denoise(film)
    clean_s, cleaned = time_call(lambda: maker.cleaned(middle, film, known))
    light = dict.fromkeys(cleaned_for(project, numbers, middle), cleaned)
    finish_s, files = time_call(
        lambda: dict(frame_files(middle, maker.finished(middle, film, known, light), project, read))
    )
    with tempfile.TemporaryDirectory() as folder:
        start = time.perf_counter()
        for name, data in files.items():
            write_whole(Path(folder) / name, data)
        write_s = time.perf_counter() - start
    return Costs(
        expose_s,
        clean_s,
        finish_s,
        _size(seen),
        _size(cleaned),
        _size(files),
        0.0,
        assets_bytes,
        _schedule_s(),
        write_s + 0.01,
    )


def _size(value: object) -> int:
    return len(pickle.dumps(value, protocol=5))


def _schedule_s(steps: int = 600) -> float:
    """Seconds that Dask needs for a step in which nothing is done."""
    cluster = LocalCluster(n_workers=1, threads_per_worker=1, processes=False, dashboard_address=None)
    with cluster as local, Client(local) as client:
        client.submit(int, 0).result()
        seconds, _ = time_call(lambda: client.gather([client.submit(int, i, pure=False) for i in range(steps)]))
    return seconds / steps


def _start_s() -> float:
    """Seconds until a machine that is started can shoot; kernels are compiled."""
    cluster = LocalCluster(n_workers=0, protocol="tcp", host="127.0.0.1", dashboard_address=None)
    with cluster as local, Client(local) as client:
        command = [sys.executable, "-m", "cyclorama", "worker", local.scheduler_address]
        start = time.perf_counter()
        machine = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        try:
            client.wait_for_workers(1, timeout=300)
            client.submit(program, pure=False).result()
            return time.perf_counter() - start
        finally:
            machine.terminate()
            machine.wait()


@dataclass(slots=True)
class _Machine:
    there: float
    """when it can begin"""
    free: float = 0.0
    """when it has done what it was given"""
    wire: float = 0.0
    """when its wire is free"""


@dataclass(slots=True)
class _Step:
    at: _Machine
    takes_s: float
    gives: int
    kind: str = "expose"
    brings: "list[_Step]" = field(default_factory=list)
    """steps whose result it needs"""
    waits: int = 0
    """of them, those that are to end before"""
    done: bool = False
    next: "list[_Step]" = field(default_factory=list)


class Simulation:
    """One shoot of several takes, event by event."""

    def __init__(self, project: Project, costs: Costs, machines: int, takes: int):
        self._project, self._costs = project, costs
        self._numbers = project.shot.frame_numbers
        # assets go out over the one wire of the studio, one machine after the other
        each = costs.assets_bytes / NETWORK_BYTES_S
        self._machines = [_Machine(costs.start_s + each * (k + 1)) for k in range(machines)]
        self._events: list[tuple[float, int, Callable[[float], None]]] = []
        self._count = 0
        self._scheduler = self._collector = 0.0
        self._takes = [Runs(self._numbers) for _ in range(takes)]
        self._asked = [dict.fromkeys(self._numbers) for _ in range(takes)]
        self._steps: list[dict[tuple[str, int], _Step]] = [{} for _ in range(takes)]
        self._runs: list[list[_Step]] = []
        """that are not done"""
        self._there: set[tuple[int, int]] = set()
        """results that lie on machines besides where they were made"""
        self._ended = 0

    def run(self) -> float:
        """Seconds until the last frame is written."""
        for machine in self._machines:
            self._at(machine.there, self._hand_out)
        now = 0.0
        while self._events:
            now, _, act = heapq.heappop(self._events)
            act(now)
        assert self._ended == len(self._takes) * len(self._numbers)
        return max(now, self._collector)

    def _at(self, when: float, act: Callable[[float], None]) -> None:
        self._count += 1
        heapq.heappush(self._events, (when, self._count, act))

    def _hand_out(self, now: float) -> None:
        """Give out runs, of the first takes that have some, to the machines with least to do."""
        there = [m for m in self._machines if m.there <= now]
        self._runs = [run for run in self._runs if not all(step.done for step in run)]
        while wants_more([[step.done for step in run] for run in self._runs], len(there)):
            take = next((t for t, runs in enumerate(self._takes) if len(runs)), None)
            if take is None:
                return
            machine = min(there, key=lambda m: m.free)
            run = self._takes[take].next(len(there))
            steps = [_Step(machine, self._costs.expose_s, self._costs.seen_bytes) for _ in run]
            self._steps[take] |= {("expose", number): step for number, step in zip(run, steps, strict=True)}
            self._runs.append(steps)
            for step in steps:
                self._ready(step, now)
            self._finish_all(take, now)

    def _finish_all(self, take: int, now: float) -> None:
        """Hand out what is to be done with frames that somebody exposes, and those near them."""
        steps = self._steps[take]
        for number in list(self._asked[take]):
            if all(("expose", n) in steps for n in exposed_for(self._project, self._numbers, number)):
                del self._asked[take][number]
                self._finish(take, number, now)

    def _finish(self, take: int, number: int, now: float) -> None:
        c, p, steps = self._costs, (self._project, self._numbers), self._steps[take]

        def after(kind: str, n: int, takes_s: float, gives: int, before: list[_Step]) -> _Step:
            if (kind, n) not in steps:
                steps[kind, n] = step = _Step(steps["expose", n].at, takes_s, gives, kind, before)
                step.waits = sum(not b.done for b in before)
                for b in before:
                    b.next.append(step)
                if not step.waits:
                    self._ready(step, now)
            return steps[kind, n]

        cleaned = [
            after("clean", n, c.clean_s, c.cleaned_bytes, [steps["expose", m] for m in seen_for_cleaning(*p, n)])
            for n in cleaned_for(*p, number)
        ]
        seen = [steps["expose", m] for m in seen_for_finish(*p, number)]
        after("finish", number, c.finish_s, c.files_bytes, [*seen, *cleaned, steps["expose", number]])

    def _ready(self, step: _Step, now: float) -> None:
        """All that a step needs is made: the scheduler tells its machine, which fetches and does it."""
        self._scheduler = max(self._scheduler, now) + self._costs.schedule_s
        machine = step.at
        fetched = self._scheduler
        for b in step.brings:
            if b.at is not machine and (id(b), id(machine)) not in self._there:
                self._there.add((id(b), id(machine)))
                fetched = machine.wire = max(machine.wire, fetched) + b.gives / NETWORK_BYTES_S
        machine.free = max(machine.free, fetched) + step.takes_s
        self._at(machine.free, partial(self._done, step))

    def _done(self, step: _Step, now: float) -> None:
        step.done = True
        for later in step.next:
            later.waits -= 1
            if not later.waits:
                self._ready(later, now)
        if step.kind == "finish":
            self._ended += 1
            self._collector = max(self._collector, now) + self._costs.collect_s + step.gives / NETWORK_BYTES_S
        if step.kind == "expose":
            self._at(now + LOOK_S, self._hand_out)


def efficiency(project: Project, costs: Costs, machines: int, takes: int = TAKES) -> float:
    """Work that was to be done by the time that all machines were there for it."""
    frames = takes * len(project.shot.frame_numbers)
    return frames * costs.work_s / (machines * Simulation(project, costs, machines, takes).run())


def run_farm(tell: Callable[[str], None]) -> None:
    """Measure a frame of Storm Glass No. 4, and play its clip through on more and more machines."""
    demo = storm_glass_project()
    project, assets = demo.project, {**demo.intake.assets, **demo.assets}
    with Tracer() as tracer:
        costs = measure_costs(project, assets.__getitem__, sum(map(len, assets.values())), tracer)
    costs = replace(costs, start_s=_start_s())
    s = project.shot.shoot
    tell(f"{project.name}, {s.width}×{s.height}, {s.samples_in_words}; a frame on a machine like this one:")
    tell(f"  exposed {costs.expose_s:.1f} s, cleaned {costs.clean_s:.1f} s, finished {costs.finish_s:.1f} s")
    tell(f"  {costs.seen_bytes / 1e6:.0f} MB for its neighbours, {costs.files_bytes / 1e6:.1f} MB of files")
    tell(f"  {1e3 * costs.schedule_s:.1f} ms to schedule a step, {1e3 * costs.collect_s:.0f} ms to keep a frame")
    tell(f"  a machine is there after {costs.start_s:.0f} s and {costs.assets_bytes / 1e6:.0f} MB of files")
    there = replace(costs, start_s=0.0, assets_bytes=0)
    tell(f"{TAKES} takes, wires of 1 Gbit/s:\n  machines   hours   efficiency   once machines know the files")
    for machines in MACHINES:
        first, later = (efficiency(project, c, machines) for c in (costs, there))
        hours = TAKES * len(project.shot.frame_numbers) * costs.work_s / (machines * first) / 3600
        tell(f"  {machines:8} {hours:7.2f} {first:12.2f} {later:12.2f}")
