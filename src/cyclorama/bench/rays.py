"""The ray queries of a pass, recorded while it is traced and asked again without any shading between them."""

import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..core.kernel import from_python
from ..core.render.film.film import Film
from ..core.render.film.tracer import Tracer
from ..core.render.trace import wavefront
from ..core.render.trace.arrays import F32, I32, Bodies, Hits, Rays, make_hits, make_scratch
from ..core.render.trace.bodies import find_blocked, nearest_hits
from ..core.render.trace.wavefront import FrameScene

CHUNK = 1 << 15
"""Rays asked for at once, so that handing over the work costs nothing."""


@dataclass(slots=True)
class Query:
    """Rays of one kind, in the order in which they were traced."""

    where: Bodies
    rays: Rays
    distance: F32 | None
    """how far shadow rays reach; None: the nearest hit is asked for"""

    def ask(self) -> Hits | I32:
        n = len(self.rays.time)
        if self.distance is None:
            hits = make_hits(n)
            nearest_hits(self.where, self.rays, n, make_scratch(), hits)
            return hits
        blocked = np.empty(n, np.int32)
        find_blocked(self.where, self.rays, self.distance, n, make_scratch(), blocked)
        return blocked


Part = tuple[np.ndarray, ...]


def _in_chunks(where: Bodies, parts: list[Part]) -> Iterator[Query]:
    """Queries as they came, put together; parts are origin, direction, time and, of shadow rays, distance."""
    together = [np.concatenate(column) for column in zip(*parts, strict=True)]
    for i in range(0, len(together[0]), CHUNK):
        origin, direction, time_of, *distance = (column[i : i + CHUNK] for column in together)
        yield Query(where, Rays(origin, direction, time_of), distance[0] if distance else None)


@contextmanager
def _step_by_step(nearest_parts: list[Part], shadow_parts: list[Part]) -> Iterator[None]:
    """The wavefront run by Python, so that its queries can be listened to."""

    def nearest(where: Any, rays: Rays, n: int, *rest: Any) -> None:
        nearest_parts.append(tuple(column[:n].copy() for column in rays))
        nearest_hits(where, rays, n, *rest)

    def blocked(where: Any, rays: Rays, reach: F32, n: int, *rest: Any) -> None:
        shadow_parts.append(tuple(column[:n].copy() for column in (*rays, reach)))
        find_blocked(where, rays, reach, n, *rest)

    steps = "sort_out", "shade_misses", "shade_wide", "shade", "collect_light"
    compiled = {name: getattr(wavefront, name) for name in ("wavefront", "nearest_hits", "find_blocked", *steps)}
    stepwise = {"wavefront": compiled["wavefront"].py_func, "nearest_hits": nearest, "find_blocked": blocked}
    stepwise |= {name: from_python(compiled[name]) for name in steps}
    try:
        for name, function in stepwise.items():
            setattr(wavefront, name, function)
        yield
    finally:
        for name, function in compiled.items():
            setattr(wavefront, name, function)


def record(scene: FrameScene, width: int, height: int, samples: int) -> list[Query]:
    """All ray queries of one pass over a scene without holes."""
    nearest_parts: list[Part] = []
    shadow_parts: list[Part] = []
    with _step_by_step(nearest_parts, shadow_parts), Tracer(1) as tracer:
        tracer.expose(Film(width, height), scene, samples)
    return [*_in_chunks(scene.where, nearest_parts), *_in_chunks(scene.where, shadow_parts)]


def ask_all(queries: list[Query], threads: int) -> float:
    """Seconds for the queries alone, handed to as many threads."""
    with ThreadPoolExecutor(threads) as pool:
        start = time.perf_counter()
        list(pool.map(lambda q: q.ask(), queries))
        return time.perf_counter() - start
