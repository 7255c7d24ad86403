"""Denoising with the frames before and after: what a surface showed there counts here too.

In two steps, each with the frame before and the frame after: first the noisy pictures are brought together and
denoised, then the denoised ones. So a frame counts for the two before and the two after it.

Every pixel is followed by its own motion vector to the neighbouring frames. What is found there counts if it is the
same place of the same part (position in the part's own space), looks the same way, and fits what this frame shows
around it (clipping to the local mean and deviation, Salvi, "An Excursion in Temporal Supersampling", GDC 2016). Light
is compared and blended without the surface's own colour, so that maps stay sharp.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.ndimage import uniform_filter

from ...arrays import Mask, RGBImage
from ...colour import LUMA32
from .film import Film

REACH = 2
"""Frames before and after that count, in both steps together."""
CLIP = 1.5
"""Deviations that a neighbour's light may differ from the local mean."""
_FLOOR = 0.02
F32 = npt.NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class FrameLight:
    """What of a frame its neighbours need."""

    radiance: RGBImage
    albedo: RGBImage
    normal: RGBImage
    rest: RGBImage
    """(h, w, 3) m in the part's own space"""
    depth: Mask
    alpha: Mask
    part: Mask
    """number of the part that covers most, 0 none"""
    forward: F32
    """(h, w, 2) pixels to the next frame"""
    back: F32

    @staticmethod
    def of(film: Film) -> "FrameLight":
        """From a film that records first hits."""
        return FrameLight(film.radiance, film.albedo, film.normal, film.rest, film.depth, film.alpha,
                          film.matte(0)[:, :, 0, 0], film.motion, film.motion_back)  # fmt: skip


def _gather(values: F32, x: F32, y: F32) -> F32:
    """Bilinear lookup of (h, w[, c]) at pixel places (h, w)."""
    h, w = values.shape[:2]
    x, y = np.clip(x, 0, w - 1), np.clip(y, 0, h - 1)
    x0, y0 = np.floor(x).astype(np.int32), np.floor(y).astype(np.int32)
    x1, y1 = np.minimum(x0 + 1, w - 1), np.minimum(y0 + 1, h - 1)
    fx, fy = x - x0, y - y0
    if values.ndim == 3:
        fx, fy = fx[..., None], fy[..., None]
    top = values[y0, x0] * (1 - fx) + values[y0, x1] * fx
    low = values[y1, x0] * (1 - fx) + values[y1, x1] * fx
    return np.asarray(top * (1 - fy) + low * fy, np.float32)


def _nearest(values: F32, x: F32, y: F32) -> F32:
    """Lookup of (h, w[, c]) at the pixels nearest to places (h, w).

    Noise stays independent from pixel to pixel; mixed between pixels, the denoiser takes it for texture.
    """
    h, w = values.shape[:2]
    return values[np.clip(np.rint(y), 0, h - 1).astype(np.int32), np.clip(np.rint(x), 0, w - 1).astype(np.int32)]


def _same_place(here: FrameLight, there: FrameLight, x: F32, y: F32, pixel_m: F32) -> Mask:
    """1 where the place (x, y) of the other frame shows the same surface point, 0 where not."""
    h, w = here.alpha.shape
    inside = (x > -0.5) & (x < w - 0.5) & (y > -0.5) & (y < h - 0.5)
    same_part = _nearest(there.part, x, y) == here.part
    apart = np.linalg.norm(_gather(there.rest, x, y) - here.rest, axis=2)
    facing = (_gather(there.normal, x, y) * here.normal).sum(axis=2)
    solid = (here.alpha > 0.5) & (_nearest(there.alpha, x, y) > 0.5)
    return np.asarray(inside & same_part & solid & (apart < 3 * pixel_m + 1e-6) & (facing > 0.8), np.float32)


def blend(frames: dict[int, FrameLight], pixel_rad: float) -> RGBImage:
    """The noisy radiance (h, w, 3) of frame 0 with what the frames −1 and 1 know of the same surfaces.

    frames: by distance in frames, those that there are; pixel_rad: angle of a pixel.
    """
    return _mean(frames, {k: f.radiance for k, f in frames.items()}, pixel_rad, _nearest)


def settle(frames: dict[int, FrameLight], clean: dict[int, RGBImage], pixel_rad: float) -> RGBImage:
    """The denoised picture (h, w, 3) of frame 0, evened out with those of the frames −1 and 1 (as in `blend`)."""
    return _mean(frames, clean, pixel_rad, _gather)


def _mean(
    frames: dict[int, FrameLight], pictures: dict[int, RGBImage], pixel_rad: float,
    look_up: Callable[[F32, F32, F32], F32],
) -> RGBImage:  # fmt: skip
    here = frames[0]
    h, w = here.alpha.shape
    pixel_m = here.depth * np.float32(pixel_rad)
    light = pictures[0] / (here.albedo + _FLOOR)
    mean = np.stack([uniform_filter(light[..., c], 5) for c in range(3)], axis=-1)
    square = np.stack([uniform_filter(light[..., c] ** 2, 5) for c in range(3)], axis=-1)
    deviation = np.sqrt(np.maximum(square - mean**2, 0)) * CLIP + 1e-6
    total, weight = light.copy(), np.ones((h, w), np.float32)
    grid_y, grid_x = np.mgrid[0:h, 0:w].astype(np.float32)
    for way, motion in ((1, here.forward), (-1, here.back)):
        if way not in pictures:
            continue
        there = frames[way]
        x, y = grid_x + motion[..., 0], grid_y + motion[..., 1]
        same = _same_place(here, there, x, y, pixel_m)
        found = look_up(pictures[way] / (there.albedo + _FLOOR), x, y)
        total += np.clip(found, mean - deviation, mean + deviation) * same[..., None]
        weight += same
    return np.asarray(total / weight[..., None] * (here.albedo + _FLOOR), np.float32)


def flicker(pictures: list[RGBImage], frames: list[FrameLight], pixel_rad: float) -> float:
    """Mean variance of luminance of the same surface point from one frame to the next, relative to its square."""
    values = []
    for i in range(len(pictures) - 1):
        here, there = frames[i], frames[i + 1]
        h, w = here.alpha.shape
        grid_y, grid_x = np.mgrid[0:h, 0:w].astype(np.float32)
        x, y = grid_x + here.forward[..., 0], grid_y + here.forward[..., 1]
        same = _same_place(here, there, x, y, here.depth * np.float32(pixel_rad)) > 0
        a, b = pictures[i] @ LUMA32, _gather(pictures[i + 1] @ LUMA32, x, y)
        values.append((0.5 * (a - b) ** 2 / np.maximum(a * b, 1e-12))[same])
    return float(np.mean(np.concatenate(values)))
