"""The film: sums of samples, and the tracer that exposes it batch by batch on a pool of threads."""

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field

import numpy as np

from ..arrays import Mask, RGBImage
from ..kernel import kernel
from .arrays import F32, Samples
from .camera_rays import pixel_order
from .trace import FrameScene, trace_batch

BATCH_PATHS = 1 << 14
CHANNELS = 12
"""radiance 0:3, albedo 3:6, normal 6:9, depth 9, coverage 10, subject 11"""


class Cancelled(Exception):
    """The caller's `cancelled` said stop."""


@dataclass(slots=True)
class Film:
    """Sums over samples for each pixel."""

    width: int
    height: int
    samples: int = 0
    sums: F32 = field(default_factory=lambda: np.zeros((0, CHANNELS), np.float32))

    def __post_init__(self) -> None:
        self.sums = np.zeros((self.width * self.height, CHANNELS), np.float32)

    def _mean(self, first: int, last: int) -> F32:
        mean = self.sums[:, first:last] / np.float32(max(self.samples, 1))
        return np.ascontiguousarray(mean.reshape(self.height, self.width, last - first))

    @property
    def radiance(self) -> RGBImage:
        """Mean radiance in nit."""
        return self._mean(0, 3)

    @property
    def albedo(self) -> RGBImage:
        return np.clip(self._mean(3, 6), 0, 1)

    @property
    def normal(self) -> RGBImage:
        """Mean shading normal in studio space; unit where the surface is even."""
        return np.clip(self._mean(6, 9), -1, 1)

    @property
    def depth(self) -> Mask:
        """Mean distance along the ray in m over the samples that met something; 0 where none did."""
        covered = self.sums[:, 10]
        depth = np.divide(self.sums[:, 9], covered, out=np.zeros_like(covered), where=covered > 0)
        return depth.reshape(self.height, self.width)

    @property
    def alpha(self) -> Mask:
        return self._mean(10, 11)[..., 0]

    @property
    def subject(self) -> Mask:
        """Share of the pixel that shows the subject."""
        return self._mean(11, 12)[..., 0]


@kernel
def _develop(pixels, sample_count, samples, sums):
    """Add a batch to the film, samples in order; a sample that is not a number counts as black."""
    for k in range(pixels.shape[0]):
        row = pixels[k]
        for s in range(sample_count):
            i = k * sample_count + s
            r, g, b = samples.radiance[i, 0], samples.radiance[i, 1], samples.radiance[i, 2]
            if r + g + b < 3e38:
                sums[row, 0] += r
                sums[row, 1] += g
                sums[row, 2] += b
            for c in range(3):
                sums[row, 3 + c] += samples.albedo[i, c]
                sums[row, 6 + c] += samples.normal[i, c]
            sums[row, 9] += samples.depth[i]
            sums[row, 10] += samples.coverage[i, 0]
            sums[row, 11] += samples.coverage[i, 1]


def default_threads() -> int:
    return max(1, len(os.sched_getaffinity(0)))


class Tracer:
    """Exposes films with a pool of threads; use as a context manager or call `close`."""

    def __init__(self, threads: int | None = None):
        self.threads = threads or default_threads()
        self._pool = ThreadPoolExecutor(self.threads, thread_name_prefix="tracer")

    def __enter__(self) -> "Tracer":
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        self._pool.shutdown()

    def expose(
        self,
        film: Film,
        scene: FrameScene,
        sample_count: int,
        seed: int = 0,
        cancelled: Callable[[], bool] = lambda: False,
        progress: Callable[[float], None] = lambda share: None,
    ) -> None:
        """Add `sample_count` samples to every pixel of the film.

        Raises Cancelled, with the film in an undefined state, when `cancelled` turns true; it is asked before
        every batch (a few hundredths of a second).
        """
        order = np.empty(film.width * film.height, np.int32)
        pixel_order(film.width, film.height, order)
        for first, count in _rounds(film.samples, sample_count):
            per_batch = max(1, BATCH_PATHS // count)
            batches = [order[i : i + per_batch] for i in range(0, len(order), per_batch)]

            def run(pixels: np.ndarray, first: int = first, count: int = count) -> None:
                if not cancelled():
                    samples: Samples = trace_batch(scene, pixels, first, count, seed)
                    _develop(pixels, count, samples, film.sums)

            for done, _ in enumerate(self._pool.map(run, batches), 1):
                progress((first - film.samples + count * done / len(batches)) / sample_count)
            if cancelled():
                raise Cancelled
        film.samples += sample_count


def _rounds(start: int, count: int, most: int = 64) -> list[tuple[int, int]]:
    """Split samples into rounds small enough that cancelling is quick: (first, count) pairs."""
    return [(start + i, min(most, count - i)) for i in range(0, count, most)]
