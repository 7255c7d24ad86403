"""Haze of a moment as numbers for the kernels."""

import math
from functools import cache

import numpy as np
from numpy.typing import NDArray

from ...light.haze import haze_box
from ...light.shapes import FAR
from ...motion import Moment
from ..trace.arrays import F32
from ..trace.haze import CLEAR_AIR, Air

TILE, SWATHES = 64, 8
"""Voxels along each side of the noise, and swathes they hold."""


def air_of(moment: Moment) -> Air:
    """The air of a moment."""
    haze = moment.set.haze
    if not haze.on:
        return CLEAR_AIR
    low, high = haze_box(haze)
    size, (gone, drift) = haze.grain_m * SWATHES, _drifted(moment)
    along = np.radians(haze.drift_deg)
    way = np.array([math.sin(along), 0.0, math.cos(along)])
    on_floor = haze.where == "floor"
    return Air(
        on=True,
        density=1.0 / haze.path_m,
        albedo=np.array(haze.colour, np.float32),
        forward=haze.forward,
        low=low.astype(np.float32),
        high=high.astype(np.float32),
        top=haze.height_m if on_floor else FAR,
        thinning=haze.thinning_m if on_floor else 1.0,
        grain=haze.grain,
        noise=grain_tile() if haze.uneven else CLEAR_AIR.noise,
        per_tile=1.0 / size,
        drift=np.concatenate([way * drift, way * (drift - haze.drift_m)]).astype(np.float32),
        now=math.sqrt(1.0 - gone),
        before=math.sqrt(gone),
    )


def _drifted(moment: Moment) -> tuple[float, float]:
    """Share of the shot that is over, and how far swathes have drifted, m."""
    if not moment.set.haze.drifts:
        return 0.0, 0.0
    share = moment.since_first % moment.frames / moment.frames
    return share, share * moment.set.haze.drift_m


@cache
def grain_tile() -> F32:
    """A tile (TILE, TILE, TILE) of gradient noise in two octaves that repeats, −1…1 (Perlin, "Improving Noise",
    SIGGRAPH 2002)."""
    noise = _octave(SWATHES, 1) + 0.5 * _octave(2 * SWATHES, 2)
    tile: F32 = (noise / np.abs(noise).max()).astype(np.float32)
    tile.setflags(write=False)
    return tile


def _octave(cells: int, seed: int) -> NDArray[np.float64]:
    """Gradient noise with so many cells along each side."""
    gradients = np.random.default_rng(seed).integers(-4, 5, (cells, cells, cells, 3)).astype(np.float64)
    at = np.arange(TILE) * (cells / TILE)
    cell, f = at.astype(int), at % 1.0
    fade = f * f * f * (f * (f * 6.0 - 15.0) + 10.0)
    total = np.zeros((TILE, TILE, TILE))
    for corner in np.ndindex(2, 2, 2):
        gradient = gradients[np.ix_(*((cell + side) % cells for side in corner))]
        away = np.meshgrid(*(f - side for side in corner), indexing="ij")
        x, y, z = np.meshgrid(*(fade if side else 1.0 - fade for side in corner), indexing="ij")
        total += (gradient * np.stack(away, axis=-1)).sum(axis=-1) * x * y * z
    return total
