"""Exposing a film batch by batch on a pool of threads, evenly or until the noise is low enough."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from ...colour import LUMA32
from ...host.processes import cores
from ..trace.arrays import I32
from ..trace.camera_rays import TILE, pixel_order
from ..trace.wavefront import FrameScene, trace_batch
from .film import Film, add_batch

BATCH_PATHS = 1 << 14
DARK = 0.02
"""Noise is measured relative to the pixel's brightness plus this share of white: the eye forgives it in the dark."""

Cancel = Callable[[], bool]
Tell = Callable[[float], None]
"""Is told how far something is."""


class Cancelled(Exception):
    """The caller's `cancelled` said stop."""


def film_for(scene: FrameScene) -> Film:
    """An empty film with the layers that the scene records."""
    return Film(scene.camera.width, scene.camera.height, scene.layers, scene.recording.first, scene.matte)


class Tracer:
    """Exposes films with a pool of threads; use as a context manager or call `close`."""

    def __init__(self, threads: int | None = None):
        self.threads = threads or cores()
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
        cancelled: Cancel = lambda: False,
        progress: Tell = lambda share: None,
    ) -> None:
        """Give every pixel of the film `sample_count` samples more than the pixel that has most.

        Raises Cancelled when `cancelled` turns true; it is asked before every batch (a few hundredths of a second).
        The film then has more samples in some pixels than in others; another call makes it even.
        """
        order = _in_tiles(film)
        target = film.samples + sample_count
        missing = target * len(order) - int(film.count.sum())
        done = 0
        for start in np.flatnonzero(np.bincount(film.count)):
            pixels = order[film.count[order] == start]
            work = len(pixels) * (target - int(start))

            def tell(x: float, done: int = done, work: int = work) -> None:
                progress((done + x * work) / missing)

            if work:
                self._expose_pixels(film, scene, pixels, int(start), target - int(start), seed, cancelled, tell)
            done += work

    def expose_until(
        self,
        film: Film,
        scene: FrameScene,
        noise: float,
        white_nit: float,
        least: int,
        most: int,
        seed: int = 0,
        cancelled: Cancel = lambda: False,
        progress: Tell = lambda share: None,
    ) -> None:
        """Add samples where the relative error is above `noise`, from `least` to `most` for each pixel.

        Samples are doubled round by round, tile by tile, so nothing depends on how fast the machine is.
        """
        order = _in_tiles(film)
        done, add, active = 0, min(least, most), order
        while len(active):
            share = len(active) / len(order)
            start = done / most

            def tell(x: float, start: float = start, add: int = add, share: float = share) -> None:
                progress(min(1.0, start + x * share * add / most))

            self._expose_pixels(film, scene, active, done, add, seed, cancelled, tell)
            done += add
            if done >= most:
                break
            wanted = noisy_pixels(film, noise, white_nit)
            active = active[wanted[active]]
            add = min(done, most - done)
        progress(1.0)

    def expose_more(
        self,
        film: Film,
        scene: FrameScene,
        pixels: NDArray[np.bool_],
        sample_count: int,
        seed: int = 0,
        cancelled: Cancel = lambda: False,
        progress: Tell = lambda share: None,
    ) -> None:
        """Give some pixels (n,), which all have as many samples, so many more. Raises Cancelled."""
        order = _in_tiles(film)
        order = order[pixels[order]]
        self._expose_pixels(film, scene, order, int(film.count[order[0]]), sample_count, seed, cancelled, progress)

    def _expose_pixels(
        self,
        film: Film,
        scene: FrameScene,
        order: I32,
        start: int,
        sample_count: int,
        seed: int,
        cancelled: Cancel,
        progress: Tell,
    ) -> None:
        for first, count in _rounds(start, sample_count):
            # small pictures are cut finer, so that no thread waits for another
            most = min(BATCH_PATHS, -(-len(order) * count // (2 * self.threads)))
            per_batch = max(1, most // count)
            batches = [order[i : i + per_batch] for i in range(0, len(order), per_batch)]

            def run(pixels: np.ndarray, first: int = first, count: int = count) -> None:
                if not cancelled():
                    add_batch(film, pixels, first, count, trace_batch(scene, pixels, first, count, seed))

            for done, _ in enumerate(self._pool.map(run, batches), 1):
                progress((first - start + count * done / len(batches)) / sample_count)
            if cancelled():
                raise Cancelled


def _in_tiles(film: Film) -> I32:
    """The numbers of a film's pixels, tile by tile."""
    order = np.empty(film.width * film.height, np.int32)
    pixel_order(film.width, film.height, order)
    return order


def noisy_pixels(film: Film, noise: float, white_nit: float) -> NDArray[np.bool_]:
    """Which pixels (n,) need more samples.

    The error of a tile is estimated from the difference between the mean of all samples and that of the odd ones
    (Dammertz, Hanika, Keller and Lensch, "A Hierarchical Automatic Stopping Condition for Monte Carlo Global
    Illumination", WSCG 2010). A tile goes on when it or a neighbour is noisy, so that no edge between tiles shows.
    """
    count = np.maximum(film.count, 2).astype(np.float32)
    mean = (film.sums[:, :3] @ LUMA32) / count
    odd = (film.sums[:, 12:15] @ LUMA32) / (film.count // 2).clip(1)
    # the mean absolute deviation of a normal variable is √(2/π) of its standard deviation
    error = np.abs(mean - odd) / (mean + DARK * white_nit) * np.float32(np.sqrt(np.pi / 2))
    h, w = -(-film.height // TILE), -(-film.width // TILE)
    padded = np.zeros((h * TILE, w * TILE), np.float32)
    covered = np.zeros_like(padded)
    padded[: film.height, : film.width] = error.reshape(film.height, film.width)
    covered[: film.height, : film.width] = 1
    tiles = padded.reshape(h, TILE, w, TILE).sum(axis=(1, 3)) / covered.reshape(h, TILE, w, TILE).sum(axis=(1, 3))
    rim = np.pad(tiles, 1, mode="edge")
    around = np.max([rim[j : j + h, i : i + w] for j in range(3) for i in range(3)], axis=0)
    wanted = np.repeat(np.repeat(np.maximum(tiles, 0.7 * around) > noise, TILE, axis=0), TILE, axis=1)
    return np.asarray(wanted[: film.height, : film.width]).ravel()


def _rounds(start: int, count: int, most: int = 64) -> list[tuple[int, int]]:
    """Split samples into rounds small enough that cancelling is quick: (first, count) pairs."""
    return [(start + i, min(most, count - i)) for i in range(0, count, most)]
