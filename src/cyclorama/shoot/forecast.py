"""How long will it take? A few small probe frames, scaled up, with an honest range."""

import time
from collections.abc import Callable

import numpy as np

from ..core.render.denoise import denoise
from ..core.render.film import Film
from ..core.render.scene import SceneCompiler
from ..core.render.tracer import Tracer
from ..core.scene import Project

PROBES, PROBE_SAMPLES, PROBE_PIXELS = 3, 4, 40_000


def forecast(
    project: Project, compiler: SceneCompiler, tracer: Tracer, cancelled: Callable[[], bool] = lambda: False
) -> tuple[float, float]:
    """Seconds for the whole shot and their uncertainty.

    Time grows with paths (pixels × samples) and, for denoising, with pixels; probes lie evenly over the shot,
    so their spread says how much frames differ. A tenth is added for what else the machine may be doing.
    """
    numbers = list(project.frame_numbers)
    s = project.shoot
    shrink = min(1.0, (PROBE_PIXELS / (s.width * s.height)) ** 0.5)
    width, height = max(16, round(s.width * shrink)), max(16, round(s.height * shrink))
    per_path, per_pixel = [], []
    for i in range(min(PROBES, len(numbers))):
        frame = numbers[(2 * i + 1) * len(numbers) // (2 * PROBES)] if len(numbers) >= PROBES else numbers[i]
        scene = compiler.compile(project, frame, width, height)
        film = Film(width, height)
        start = time.perf_counter()
        tracer.expose(film, scene, PROBE_SAMPLES, frame, cancelled)
        per_path.append((time.perf_counter() - start) / (width * height * PROBE_SAMPLES))
        if s.denoise and not per_pixel:
            denoise(film)  # the first call sets up the filter
            start = time.perf_counter()
            denoise(film)
            per_pixel.append((time.perf_counter() - start) / (width * height))
    frames = np.array(per_path) * s.width * s.height * s.samples
    extra = (per_pixel[0] if per_pixel else 0.0) * s.width * s.height + 1e-7 * s.width * s.height
    total = float(frames.mean() + extra) * len(numbers)
    spread = float(np.ptp(frames) / 2) * len(numbers) / max(len(per_path), 1) ** 0.5
    return total, spread + 0.1 * total
