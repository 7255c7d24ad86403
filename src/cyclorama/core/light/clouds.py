"""A layer of soft clouds over the sky: how much of the light from a direction it lets through.

A flat layer of gradient noise in octaves (Perlin, "Improving Noise", SIGGRAPH 2002), thinned by Beer's law. Its third
dimension is not height but how shapes change, so that they grow and dissolve where they drift.
"""

import numpy as np
from numpy.typing import NDArray

from ..scene import Sky

F64 = NDArray[np.float64]
PERIOD = 256
"""After so many cells the pattern comes round again."""
OCTAVES = 5
THICKNESS = 4.0
"""Optical depth of the thickest place."""
SOFT = 0.35
"""Over so much of the noise's values a cloud thickens."""
LOWEST = 0.02
"""Sine of the elevation below which clouds merge into haze."""
_rng = np.random.default_rng(2027)
_ORDER = _rng.permutation(PERIOD)
_GRADIENTS = _rng.normal(size=(PERIOD, 3))
_GRADIENTS /= np.linalg.norm(_GRADIENTS, axis=1, keepdims=True)


def passing(sky: Sky, directions: F64) -> F64:
    """Share (…) of light from directions (…, 3) that passes the clouds; 1 below the horizon, and without clouds."""
    up = directions[..., 1]
    if sky.clouds <= 0.0:
        return np.ones(up.shape)
    scale = 1.0 / np.tan(np.radians(sky.cloud_size_deg))
    heading = np.radians(sky.cloud_heading_deg)
    gone = np.radians(sky.cloud_drift_deg)
    height = np.maximum(up, LOWEST)
    x = (directions[..., 0] / height - gone * np.sin(heading)) * scale
    z = (directions[..., 2] / height - gone * np.cos(heading)) * scale
    thick = np.clip((_octaves(x, z, np.full(x.shape, sky.cloud_shape)) - _bar(sky.clouds)) / SOFT, 0.0, 1.0)
    haze = np.clip((up - LOWEST) / 0.12, 0.0, 1.0)
    return np.where(up > 0.0, np.exp(-THICKNESS * thick * haze), 1.0)


def _bar(amount: float) -> float:
    """The value of the noise above which there is a cloud: at 0 nearly nowhere, at 1 nearly everywhere."""
    return 0.5 - 1.15 * amount


def _octaves(x: F64, y: F64, z: F64) -> F64:
    """Noise, about −0.75…0.75, of features about 1 large and finer ones on them."""
    total = np.zeros(x.shape)
    for k in range(OCTAVES):
        f = 2.0**k
        total += 0.55**k * _noise(x * f + 17.3 * k, y * f + 5.1 * k, z * (1.0 + 0.5 * k))
    return total


def _noise(x: F64, y: F64, z: F64) -> F64:
    cell = [np.floor(v).astype(np.int64) for v in (x, y, z)]
    off = [v - c for v, c in zip((x, y, z), cell, strict=True)]
    ease = [t * t * t * (t * (6.0 * t - 15.0) + 10.0) for t in off]
    value = np.zeros(x.shape)
    for corner in range(8):
        step = [(corner >> axis) & 1 for axis in range(3)]
        i, j, k = ((c + s) % PERIOD for c, s in zip(cell, step, strict=True))
        g = _GRADIENTS[_ORDER[(_ORDER[(_ORDER[i] + j) % PERIOD] + k) % PERIOD]]
        weight = np.ones(x.shape)
        for t, s in zip(ease, step, strict=True):
            weight = weight * (t if s else 1.0 - t)
        value += weight * sum(g[..., a] * (off[a] - step[a]) for a in range(3))
    return value
