"""How long will it take? A few small probe frames, scaled up, with an honest range."""

import time
from collections.abc import Callable
from functools import partial
from typing import TypeVar

import numpy as np

from ..core.render.denoise import denoise
from ..core.render.frame import expose_frame
from ..core.render.outputs import pass_files
from ..core.render.scene import SceneCompiler
from ..core.render.tracer import Tracer
from ..core.scene import Project
from ..core.scene.shoot import PassName

T = TypeVar("T")
PROBES, PROBE_SAMPLES, PROBE_PIXELS = 3, 4, 40_000
WRITE_S_A_PIXEL = 1e-7


EXPOSING: tuple[PassName, ...] = ("clay", "catcher")
"""Passes that expose a picture of their own; all others cost by the pixel."""


def forecast(
    project: Project, compiler: SceneCompiler, tracer: Tracer, cancelled: Callable[[], bool] = lambda: False
) -> tuple[float, float]:
    """Seconds for the whole shot and their uncertainty; with a noise threshold, what it takes at most.

    Time grows with paths (pixels × samples) and, for denoising and most passes, with pixels; probes lie evenly over
    the shot, so their spread says how much frames differ. A tenth is added for what else the machine may be doing.
    """
    numbers = list(project.frame_numbers)
    probe, scale = _probe_project(project)
    pixels = project.shoot.width * project.shoot.height
    paths_scale = scale * project.shoot.samples / PROBE_SAMPLES
    # what is only done once is not to be multiplied: compiling the scene, loading kernels for it, filling caches
    warm = probe.model_copy(update={"shoot": probe.shoot.model_copy(update={"samples": 1})})
    expose_frame(warm, numbers[0], compiler, tracer, cancelled)
    frames = []
    for i in range(min(PROBES, len(numbers))):
        number = numbers[(2 * i + 1) * len(numbers) // (2 * PROBES)] if len(numbers) >= PROBES else numbers[i]
        seconds, film = _timed(partial(expose_frame, probe, number, compiler, tracer, cancelled))
        frames.append(seconds * paths_scale)
    extra = WRITE_S_A_PIXEL * pixels
    clean = film.radiance
    if project.shoot.denoise:
        denoise(film)  # the first call sets up the filter
        seconds, clean = _timed(partial(denoise, film))
        extra += seconds * scale
    for name in project.shoot.passes.wanted:
        passes = probe.shoot.passes.model_copy(update={"wanted": (name,)})
        alone = probe.model_copy(update={"shoot": probe.shoot.model_copy(update={"passes": passes})})
        making = pass_files(alone, numbers[0], film, clean, compiler, tracer, cancelled)
        extra += _timed(partial(list, making))[0] * (paths_scale if name in EXPOSING else scale)
    total = (float(np.mean(frames)) + extra) * len(numbers)
    spread = float(np.ptp(frames) / 2) * len(numbers) / len(frames) ** 0.5
    return total, spread + 0.1 * total


def _probe_project(project: Project) -> tuple[Project, float]:
    """The project shot small with few samples, and how many times more pixels it has in full."""
    s = project.shoot
    shrink = min(1.0, (PROBE_PIXELS / (s.width * s.height)) ** 0.5)
    width, height = max(16, round(s.width * shrink)), max(16, round(s.height * shrink))
    small = s.model_copy(update={"width": width, "height": height, "samples": PROBE_SAMPLES, "noise_threshold": None})
    return project.model_copy(update={"shoot": small}), s.width * s.height / (width * height)


def _timed(work: Callable[[], T]) -> tuple[float, T]:
    start = time.perf_counter()
    result = work()
    return time.perf_counter() - start, result
