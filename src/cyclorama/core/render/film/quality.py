"""Samples by what is left to be seen: every place of a picture gets as many as its denoised picture needs.

A few samples everywhere tell how wrong the picture would be: both halves of them are denoised apart, and where their
pictures differ, as they are shown, half the difference is about the error of a picture of all of them (two independent
estimates A and B of the same: |A − B| / 2 estimates the deviation of their mean). The error of a denoised picture falls
about with the root of its samples; so the samples that are still missing are known, tile by tile. Nothing depends on
how fast the machine is or on which threads there are.
"""

from typing import Literal

import numpy as np
import scipy
from numpy.typing import NDArray

from ...arrays import RGBImage
from ...colour import LUMA32
from ...picture.exposure import expose
from ...picture.view_transform import to_display
from ...scene import Tone
from ..trace.camera_rays import TILE
from ..trace.wavefront import FrameScene
from .denoise import denoise_quickly
from .film import Film
from .region import expose_first
from .tracer import Cancel, Cancelled, Tell, Tracer

Quality = Literal["draft", "fine", "print"]
ERROR: dict[Quality, float] = {"draft": 0.024, "fine": 0.014, "print": 0.008}
"""Mean error of the denoised picture as it is shown (0…1) that a tile may have."""
PILOT: dict[Quality, int] = {"draft": 4, "fine": 8, "print": 32}
CALMED_PILOT: dict[Quality, int] = {"draft": 2, "fine": 2, "print": 15}
"""Samples that every pixel gets; where frames are calmed by their neighbours."""
MOST = 8
"""At most so many times as many, and twice that where frames are calmed."""
CALMED: dict[Quality, tuple[float, float]] = {"draft": (2.7, 1.9), "fine": (1.9, 1.2), "print": (2.0, 1.3)}
"""What looks alike from everywhere, and all else, may have so many times the error where frames are calmed by their
neighbours: light of up to seven frames and of three counts there. Sharper where little is left of what calming adds."""
PRINT_DOUBLINGS, PRINT_SHARE = 3, 0.07
"""Number of doublings of the first samples where there is small print, and the share of all first samples that these
doublings may cost."""
LEAST_CONTRAST, ONE_SURFACE = 0.03, 0.01
"""Change of albedo from pixel to pixel, in the mean of a tile, that counts as print; relative change of distance that
counts as an edge between two surfaces."""
HALF_FROM_PIXELS, IN_HALF = 150_000, 1.15
"""Of large pictures errors are looked for in half the size, and are so many times as large as what is found there."""


def expose_for(
    film: Film,
    scene: FrameScene,
    tracer: Tracer,
    quality: Quality,
    tone: Tone,
    calmed: bool,
    seed: int,
    cancelled: Cancel = lambda: False,
    progress: Tell = lambda share: None,
    pixels: NDArray[np.bool_] | None = None,
) -> None:
    """Expose an empty film until its denoised picture is as good as that. Raises Cancelled.

    tone: how it is shown; calmed: whether it will be denoised with its neighbours; pixels (n,): all that is looked at.
    """
    pilot, _ = first_samples(quality, calmed)
    expose_first(film, scene, tracer, pilot, pixels, seed, cancelled, lambda share: progress(0.3 * share))
    if cancelled():
        raise Cancelled
    doublings = missing(film, quality, tone, calmed)
    if pixels is not None:
        doublings[~pixels] = 0
    add_missing(
        film, scene, tracer, quality, calmed, doublings, seed, cancelled, lambda share: progress(0.3 + 0.7 * share)
    )


def add_missing(
    film: Film,
    scene: FrameScene,
    tracer: Tracer,
    quality: Quality,
    calmed: bool,
    doublings: NDArray[np.int32],
    seed: int,
    cancelled: Cancel = lambda: False,
    progress: Tell = lambda share: None,
) -> None:
    """Double the first samples of each pixel (n,) so often. Raises Cancelled."""
    pilot, most = first_samples(quality, calmed)
    steps = [(k, pilot * 2 ** (k - 1)) for k in range(1, most.bit_length())]
    work = sum(int((doublings >= k).sum()) * step for k, step in steps) or 1
    done = 0
    for k, step in steps:
        noisy = doublings >= k
        if not noisy.any():
            break

        def tell(share: float, done: int = done, part: int = int(noisy.sum()) * step) -> None:
            progress((done + share * part) / work)

        tracer.expose_more(film, scene, noisy, step, seed, cancelled, tell)
        done += int(noisy.sum()) * step
    progress(1.0)


def first_samples(quality: Quality, calmed: bool) -> tuple[int, int]:
    """Samples that every pixel gets, and at most how many times as many."""
    return (CALMED_PILOT[quality], MOST * 2) if calmed else (PILOT[quality], MOST)


def missing(film: Film, quality: Quality, tone: Tone, calmed: bool) -> NDArray[np.int32]:
    """Number of doublings that the samples of each pixel (n,) still need."""
    _, most = first_samples(quality, calmed)
    allowed = np.full((film.height, film.width), ERROR[quality], np.float32)
    if calmed:
        alike, other = CALMED[quality]
        allowed *= np.where(film.looks_alike, alike, other)
    ratio = _by_tile(error_of(film, tone) / allowed)
    # where few tiles are noisy their neighbours are looked at as well, so that no edge between tiles shows
    ratio = np.maximum(ratio, 0.7 * scipy.ndimage.maximum_filter(ratio, 3))
    doublings = np.ceil(2.0 * np.log2(np.maximum(ratio, 1e-6)) - 0.25).clip(0, most.bit_length() - 1)
    doublings = np.maximum(doublings, PRINT_DOUBLINGS * small_print(film))
    full = np.repeat(np.repeat(doublings, TILE, axis=0), TILE, axis=1)[: film.height, : film.width]
    return np.ascontiguousarray(full, np.int32).ravel()


def small_print(film: Film) -> NDArray[np.bool_]:
    """Tiles (h, w) that hold the smallest print: where albedo changes most from pixel to pixel on one surface.

    Errors are looked for in half the size and cleaning smooths what is a pixel wide, so noise that hides letters is not
    seen there. These tiles get more samples besides, as many tiles as PRINT_SHARE of all first samples lets.
    """
    albedo, depth = film.albedo @ LUMA32, film.depth
    near, far = scipy.ndimage.minimum_filter(depth, 3), scipy.ndimage.maximum_filter(depth, 3)
    on_one = (near > 0.0) & (far - near < ONE_SURFACE * far)
    changes = np.where(on_one, albedo - scipy.ndimage.uniform_filter(albedo, 3), 0.0)
    contrast = _by_tile(np.asarray(changes, np.float32))
    most = int(PRINT_SHARE * contrast.size / (2**PRINT_DOUBLINGS - 1))
    enough = np.sort(contrast, axis=None)[::-1][min(most, contrast.size - 1)]
    return np.asarray(contrast > max(float(enough), LEAST_CONTRAST))


def error_of(film: Film, tone: Tone) -> NDArray[np.float32]:
    """About how wrong the denoised picture is as it is shown (h, w), 0…1, from two halves of its samples.

    Those of large pictures are compared in half the size, which takes less than half the time and says as much
    (docs/decisions/noise.md); what small ones show is often a pixel wide.
    """
    count = film.count[:, None].astype(np.float32)
    odd = film.sums[:, 12:15] / (film.count // 2).clip(1)[:, None]
    even = (film.sums[:, :3] - film.sums[:, 12:15]) / (count - (film.count // 2)[:, None]).clip(1)
    large = film.width * film.height >= HALF_FROM_PIXELS
    pictures = (half.reshape(film.height, film.width, 3) for half in (odd, even))
    odd, even, albedo, normal = (
        _halved(p) if large else np.ascontiguousarray(p, np.float32) for p in (*pictures, film.albedo, film.normal)
    )
    a, b = (to_display(expose(denoise_quickly(half, albedo, normal), tone), tone.view) for half in (odd, even))
    error = np.abs(a - b).mean(axis=2) / 2
    if not large:
        return np.asarray(error, np.float32)
    full = np.repeat(np.repeat(error * IN_HALF, 2, axis=0), 2, axis=1)
    beyond = (0, film.height - full.shape[0]), (0, film.width - full.shape[1])
    return np.pad(full, beyond, mode="edge").astype(np.float32)


def _halved(picture: NDArray[np.floating]) -> RGBImage:
    """A picture (h, w, 3) in half the size; of an odd one without its last row or column."""
    h, w = picture.shape[0] // 2, picture.shape[1] // 2
    return np.ascontiguousarray(picture[: 2 * h, : 2 * w].reshape(h, 2, w, 2, 3).mean(axis=(1, 3)), np.float32)


def _by_tile(values: NDArray[np.float32]) -> NDArray[np.float32]:
    """Root mean square of (h, w) over each tile."""
    h, w = (-(-n // TILE) for n in values.shape)
    padded = np.pad(values**2, ((0, h * TILE - values.shape[0]), (0, w * TILE - values.shape[1])), mode="edge")
    return np.asarray(np.sqrt(padded.reshape(h, TILE, w, TILE).mean(axis=(1, 3))), np.float32)
