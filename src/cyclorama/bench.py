"""`./cyc bench`: how fast the renderer is, as ratios within one run."""

import resource
import statistics
import time
from collections.abc import Callable
from typing import Any

import numpy as np

from .core.picture.exposure import expose
from .core.picture.view import to_bytes, to_display
from .core.render import trace
from .core.render.denoise import denoise
from .core.render.film import Film
from .core.render.scene import SceneCompiler
from .core.render.trace import FrameScene
from .core.render.tracer import Tracer, default_threads
from .core.scene import Project, SetValue, apply_set
from .demo.projects import DemoProject, lantern_project, storm_glass_project

WIDTH, HEIGHT, SAMPLES, REPEATS = 640, 360, 4, 3


def run_bench(name: str, tell: Callable[[str], None]) -> None:
    """Measure and print a table."""
    tell(f"Building {name} …")
    demo: DemoProject = lantern_project() if name == "harbour-lantern" else storm_glass_project()
    assets = {**demo.intake.assets, **demo.assets}
    compiler = SceneCompiler(assets.__getitem__)
    start = time.perf_counter()
    scene = compiler.compile(demo.project, 1, WIDTH, HEIGHT)
    compiled = time.perf_counter() - start
    with Tracer(1) as one:
        start = time.perf_counter()
        one.expose(Film(64, 36), scene, 1)
        tell(f"{'kernels ready after':36}{time.perf_counter() - start:8.1f} s")
    rows = _speed(scene) | _live(demo.project, compiler) | {"scene compiled in": f"{compiled:8.2f} s"}
    rows["triangles"] = f"{len(scene.geometry.corners):8,}"
    rows["peak memory"] = f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:8.0f} MiB"
    for label, value in rows.items():
        tell(f"{label:36}{value}")


def _recorded(scene: FrameScene) -> list[tuple[str, Any]]:
    """All ray queries of one pass, as (kind, arguments of the bare query)."""
    queries: list[tuple[str, Any]] = []
    nearest, blocked = trace.nearest_hits, trace.blocked

    def record_nearest(b: Any, where: Any, rays: Any, n: int, *more: Any) -> Any:
        queries.append(("near", (rays.origin[:n].copy(), rays.direction[:n].copy())))
        return nearest(b, where, rays, n, *more)

    def record_blocked(b: Any, where: Any, rays: Any, distance: Any, n: int, *more: Any) -> Any:
        queries.append(("shadow", (rays.origin[:n].copy(), rays.direction[:n].copy(), distance[:n].copy())))
        return blocked(b, where, rays, distance, n, *more)

    trace.nearest_hits, trace.blocked = record_nearest, record_blocked
    try:
        with Tracer(1) as tracer:
            tracer.expose(Film(WIDTH, HEIGHT), scene, SAMPLES)
    finally:
        trace.nearest_hits, trace.blocked = nearest, blocked
    return queries


def _bare(scene: FrameScene, queries: list[tuple[str, Any]]) -> float:
    start = time.perf_counter()
    for kind, arguments in queries:
        for body in scene.bodies:
            if kind == "near":
                body.scene.run(*arguments, output=1)
            else:
                body.scene.run(arguments[0], arguments[1], dists=arguments[2], query="OCCLUDED")
    return time.perf_counter() - start


def _traced(scene: FrameScene, threads: int) -> float:
    with Tracer(threads) as tracer:
        start = time.perf_counter()
        tracer.expose(Film(WIDTH, HEIGHT), scene, SAMPLES)
        return time.perf_counter() - start


def _speed(scene: FrameScene) -> dict[str, str]:
    queries = _recorded(scene)
    rays = sum(len(arguments[0]) for _, arguments in queries)
    bare, one, two = [], [], []
    for _ in range(REPEATS):  # in turn, so that a machine that slows down slows all of them
        bare.append(_bare(scene, queries))
        one.append(_traced(scene, 1))
        two.append(_traced(scene, default_threads()))
    b, t1, t2 = (statistics.median(x) for x in (bare, one, two))
    paths = WIDTH * HEIGHT * SAMPLES
    return {
        "rays a path": f"{rays / paths:8.2f}",
        "bare ray queries, 1 thread": f"{rays / b / 1e6:8.2f} M rays/s",
        "tracer on the same rays, 1 thread": f"{rays / t1 / 1e6:8.2f} M rays/s",
        "tracer / bare": f"{b / t1:8.2f}",
        "paths, 1 thread": f"{paths / t1 / 1e6:8.2f} M/s",
        f"paths, {default_threads()} threads": f"{paths / t2 / 1e6:8.2f} M/s",
        f"{default_threads()} threads / 1 thread": f"{t1 / t2:8.2f}",
    }


def _live(project: Project, compiler: SceneCompiler) -> dict[str, str]:
    """First live picture after an edit, as the lens makes it, and a full frame of the shot."""
    edited = apply_set(project, SetValue(path="lights/key/strength_stops", value=-1.5))
    rows = {}
    with Tracer() as tracer:
        for label, p in (("warm", project), ("time to first live picture", edited)):
            start = time.perf_counter()
            film = Film(WIDTH // 2, HEIGHT // 2)
            tracer.expose(film, compiler.compile(p, 1, WIDTH // 2, HEIGHT // 2), 1)
            clean = denoise(film, "fast", prefilter=False)
            to_bytes(to_display(expose(clean, p.look), p.look.view))
            rows[label] = f"{(time.perf_counter() - start) * 1000:8.0f} ms"
        del rows["warm"]
        s = project.shoot
        start = time.perf_counter()
        film = Film(s.width, s.height)
        tracer.expose(film, compiler.compile(project, 1, s.width, s.height), 8)
        traced = time.perf_counter() - start
        start = time.perf_counter()
        assert np.isfinite(denoise(film)).all()
        denoised = time.perf_counter() - start
    full = traced * s.samples / 8 + denoised
    rows[f"frame {s.width}×{s.height}, {s.samples} samples"] = f"{full:8.0f} s (from 8 samples, + denoise)"
    return rows
