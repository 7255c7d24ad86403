"""An equirectangular environment: reading, importance tables, lookup and sampling.

The middle of the picture lies towards −Z; a positive rotation turns the surroundings counter-clockwise seen
from above. Sampling by a marginal and conditional distribution over latitude and longitude, as in Pharr,
Jakob and Humphreys, "Physically Based Rendering", 4th edition, section 12.5.2.
"""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..arrays import RGBImage
from ..kernel import device, routine

_TABLE_ROWS = 256


class EnvironmentMap(NamedTuple):
    """Pixels and their importance tables; radiance is in units of `scale` nit chosen per frame."""

    pixels: NDArray[np.float32]
    """(h, w, 3)"""
    marginal: NDArray[np.float32]
    """(rows + 1,) cumulative"""
    conditional: NDArray[np.float32]
    """(rows, columns + 1) cumulative"""
    mean_luminance: float


def build_environment(pixels: RGBImage) -> EnvironmentMap:
    """Importance tables for a linear picture (h, w, 3); NaN, infinite and negative pixels count as black."""
    clean = np.nan_to_num(np.asarray(pixels, np.float32)[..., :3], nan=0.0, posinf=65504.0, neginf=0.0)
    clean = np.ascontiguousarray(np.maximum(clean, 0.0))
    h, w = clean.shape[:2]
    step = max(1, h // _TABLE_ROWS)
    luminance = clean @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    luminance = luminance[: h // step * step, : w // step * step].astype(np.float64)
    luminance = luminance.reshape(h // step, step, w // step, step).mean(axis=(1, 3))
    rows, columns = luminance.shape
    sin_theta = np.sin((np.arange(rows) + 0.5) / rows * math.pi)[:, None]
    mean = float((luminance * sin_theta).sum() / (sin_theta.sum() * columns))
    # Bilinear lookup reaches into dark neighbours of bright cells; a floor keeps their density above zero.
    weight = (luminance + 0.05 * mean + 1e-12) * sin_theta
    conditional = np.concatenate([np.zeros((rows, 1)), np.cumsum(weight, axis=1)], axis=1)
    row_sum = conditional[:, -1].copy()
    conditional /= row_sum[:, None]
    marginal = np.concatenate([[0.0], np.cumsum(row_sum)]) / row_sum.sum()
    return EnvironmentMap(clean, marginal.astype(np.float32), conditional.astype(np.float32), mean)


BLACK = build_environment(np.zeros((2, 4, 3), np.float32))


@device
def _search(table, value):
    """Largest i with table[i] <= value, for a cumulative table."""
    low, high = 0, table.shape[0] - 1
    while high - low > 1:
        middle = (low + high) // 2
        if table[middle] <= value:
            low = middle
        else:
            high = middle
    return low


@device
def _search_row(table, row, value):
    low, high = 0, table.shape[1] - 1
    while high - low > 1:
        middle = (low + high) // 2
        if table[row, middle] <= value:
            low = middle
        else:
            high = middle
    return low


@device
def _to_uv(x, y, z, rotation):
    u = 0.5 + (math.atan2(x, -z) + rotation) / (2.0 * math.pi)
    return u - math.floor(u), math.acos(min(max(y, -1.0), 1.0)) / math.pi


@device
def _bilinear(env, u, v):
    h, w = env.pixels.shape[0], env.pixels.shape[1]
    px, py = u * w - 0.5, v * h - 0.5
    x0, y0 = math.floor(px), math.floor(py)
    fx, fy = px - x0, py - y0
    xa, xb = int(x0), int(x0) + 1
    xa = xa + w if xa < 0 else xa
    xb = xb - w if xb >= w else xb
    ya, yb = min(max(int(y0), 0), h - 1), min(max(int(y0) + 1, 0), h - 1)
    p = env.pixels
    wa, wb, wc, wd = (1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy
    return (
        p[ya, xa, 0] * wa + p[ya, xb, 0] * wb + p[yb, xa, 0] * wc + p[yb, xb, 0] * wd,
        p[ya, xa, 1] * wa + p[ya, xb, 1] * wb + p[yb, xa, 1] * wc + p[yb, xb, 1] * wd,
        p[ya, xa, 2] * wa + p[ya, xb, 2] * wb + p[yb, xa, 2] * wc + p[yb, xb, 2] * wd,
    )


@device
def _cell_density(env, r, c, sin_theta):
    rows, columns = env.conditional.shape[0], env.conditional.shape[1] - 1
    p = (env.marginal[r + 1] - env.marginal[r]) * (env.conditional[r, c + 1] - env.conditional[r, c])
    return p * rows * columns / (2.0 * math.pi * math.pi * max(sin_theta, 1e-6))


@routine
def environment_towards(env, x, y, z, rotation):
    """Radiance (3,) in direction (x, y, z), and the density (1/sr) with which it would be sampled."""
    u, v = _to_uv(x, y, z, rotation)
    rows, columns = env.conditional.shape[0], env.conditional.shape[1] - 1
    r, c = min(int(v * rows), rows - 1), min(int(u * columns), columns - 1)
    return _bilinear(env, u, v), _cell_density(env, r, c, math.sqrt(max(1.0 - y * y, 0.0)))


@routine
def sample_environment(env, u1, u2, rotation):
    """A direction (3,) by importance, its radiance (3,) and its density (1/sr)."""
    rows, columns = env.conditional.shape[0], env.conditional.shape[1] - 1
    r = _search(env.marginal, u1)
    fr = (u1 - env.marginal[r]) / max(env.marginal[r + 1] - env.marginal[r], 1e-20)
    c = _search_row(env.conditional, r, u2)
    low = env.conditional[r, c]
    fc = (u2 - low) / max(env.conditional[r, c + 1] - low, 1e-20)
    v = (r + min(max(fr, 0.0), 0.999999)) / rows
    u = (c + min(max(fc, 0.0), 0.999999)) / columns
    theta, phi = v * math.pi, (u - 0.5) * 2.0 * math.pi - rotation
    sin_theta = math.sin(theta)
    direction = (sin_theta * math.sin(phi), math.cos(theta), -sin_theta * math.cos(phi))
    return direction, _bilinear(env, u, v), _cell_density(env, r, c, sin_theta)
