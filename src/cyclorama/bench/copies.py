"""Cost of copies: room and time of a frame with thousands of pebbles against one with a single one."""

import time
from collections.abc import Callable
from dataclasses import dataclass

import psutil

from ..core.commands import perform
from ..core.commands.copies import ScatterReady
from ..core.motion import moment_of_first
from ..core.render.compile.compiler import SceneCompiler
from ..core.render.film.picking import PickProbe
from ..core.render.film.tracer import Tracer, film_for
from ..core.scene import Project, new_project, put_all
from ..core.scene.stocked import ReadyScatter

WIDTH, HEIGHT, SAMPLES, REPEATS = 480, 270, 4, 3
RADIUS_M = 1.6


@dataclass(frozen=True, slots=True)
class Multitude:
    """A number of copies of a ready scatter."""

    ready: ReadyScatter
    count: int
    spacing_m: float


ONE = Multitude("pebbles", 1, 0.024)
MANY = (Multitude("pebbles", 10_000, 0.024), Multitude("sand", 1_000_000, 0.0))


def tell_copies(tracer: Tracer, tell: Callable[[str], None]) -> None:
    """Measure and print a line for each."""
    alone, _, _ = _measured(ONE, tracer)
    tell(f"a single pebble: {alone:.2f} s for {SAMPLES} samples")
    for multitude in MANY:
        seconds, prepared, grown = _measured(multitude, tracer)
        tell(
            f"{multitude.count:,} copies of {multitude.ready}: {grown / 1e6:.0f} MB, ready after {prepared:.1f} s, "
            f"× {seconds / alone:.2f} the time of a frame with one pebble"
        )


def _resident() -> int:
    return int(psutil.Process().memory_info().rss)


def _measured(multitude: Multitude, tracer: Tracer) -> tuple[float, float, int]:
    """Seconds of a frame and until it is ready, and bytes by which the process has grown."""
    before, start = _resident(), time.perf_counter()
    compiler = SceneCompiler(lambda key: b"")
    scene = compiler.compile(moment_of_first(_project(multitude, compiler, tracer)), WIDTH, HEIGHT)
    prepared, grown = time.perf_counter() - start, _resident() - before
    seconds = []
    for seed in range(REPEATS):
        film, start = film_for(scene), time.perf_counter()
        tracer.expose(film, scene, SAMPLES, seed)
        seconds.append(time.perf_counter() - start)
    return min(seconds), prepared, grown


def _project(multitude: Multitude, compiler: SceneCompiler, tracer: Tracer) -> Project:
    """A bare studio with copies on its floor, seen from above."""
    change = ScatterReady(ready=multitude.ready)
    project, _ = perform(new_project("Multitude"), change, lambda _: None, PickProbe(compiler, tracer))
    copies = f"items/{project.items[0].id}/copies"
    values = {"count": multitude.count, "spacing_m": multitude.spacing_m, "radius_m": RADIUS_M, "denser": "even"}
    seen = {"distance_m": 2.0, "elevation_deg": 35.0}
    return put_all(
        project,
        {f"{copies}/{name}": value for name, value in values.items()}
        | {f"camera/{name}": value for name, value in seen.items()}
        | {"set/disc/on": False},
    )
