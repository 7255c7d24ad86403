"""Flicker of a clip: the light of the same surface points from one frame to the next."""

import numpy as np
import scipy

from ...arrays import Mask, RGBImage
from ...colour import LUMA32
from .film import Film

APART_PX, ALIKE = 3.0, 0.8
"""Surface points that lie farther apart (in pixels), or face more differently (cosine), are not the same."""


def flicker(pictures: list[RGBImage], films: list[Film], pixel_rad: float) -> float:
    """Mean variance of luminance of the same surface point from one frame to the next, relative to its square.

    films: of the same frames, with first hits; pixel_rad: angle of a pixel.
    """
    values = []
    for i in range(len(pictures) - 1):
        here, there = films[i], films[i + 1]
        grid_y, grid_x = np.mgrid[0 : here.height, 0 : here.width].astype(np.float32)
        y, x = grid_y + here.motion[..., 1], grid_x + here.motion[..., 0]
        same = _same(here, there, y, x, here.depth * np.float32(pixel_rad))
        a, after = pictures[i] @ LUMA32, pictures[i + 1] @ LUMA32
        b = scipy.ndimage.map_coordinates(after, [y, x], order=1, mode="nearest")
        values.append((0.5 * (a - b) ** 2 / np.maximum(a * b, 1e-12))[same])
    return float(np.mean(np.concatenate(values)))


def _same(here: Film, there: Film, y: Mask, x: Mask, pixel_m: Mask) -> np.ndarray:
    """True when places (y, x) of another frame show the same surface points as the pixels of one."""

    def at(values: Mask, order: int = 1) -> Mask:
        return np.asarray(scipy.ndimage.map_coordinates(values, [y, x], order=order, mode="nearest"), np.float32)

    inside = (x > -0.5) & (x < here.width - 0.5) & (y > -0.5) & (y < here.height - 0.5)
    part = at(there.matte(0)[:, :, 0, 0], order=0) == here.matte(0)[:, :, 0, 0]
    apart = np.linalg.norm(np.dstack([at(there.rest[..., c]) for c in range(3)]) - here.rest, axis=2)
    facing = sum(at(there.normal[..., c]) * here.normal[..., c] for c in range(3))
    solid = (here.coverage > 0.5) & (at(there.coverage, order=0) > 0.5)
    return np.asarray(inside & part & solid & (apart < APART_PX * pixel_m + 1e-6) & (facing > ALIKE))
