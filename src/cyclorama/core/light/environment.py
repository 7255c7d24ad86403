"""An equirectangular environment: reading, importance tables, lookup and sampling.

The middle of the picture lies towards −Z in the environment's own axes; a matrix turns them into the studio.
Sampling by a marginal and conditional distribution over latitude and longitude, as in Pharr, Jakob and Humphreys,
"Physically Based Rendering", 4th edition, section 12.5.2.
"""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..arrays import RGBImage
from ..colour import LUMA32
from ..cumulative import draw, guide_to
from ..kernel import device
from ..trig import half_turns_from_pole, sincos_turns, turns_of

_TABLE_ROWS = 128
"""At most; small enough to stay in a core's own memory."""


class EnvironmentMap(NamedTuple):
    """Pixels and their importance tables; radiance is in units of `scale` nit chosen per frame."""

    pixels: NDArray[np.float32]
    """(h, w, 3)"""
    marginal: NDArray[np.float32]
    """(rows + 1,) cumulative"""
    conditional: NDArray[np.float32]
    """(rows, columns + 1) cumulative"""
    row_guide: NDArray[np.uint16]
    """(rows,) where the search for k / rows begins in `marginal`"""
    column_guide: NDArray[np.uint16]
    """(rows, columns) the same for each row of `conditional`"""
    mean_luminance: float


def build_environment(pixels: RGBImage) -> EnvironmentMap:
    """Importance tables for a linear picture (h, w, 3).

    NaN and negative pixels count as black, infinite ones as the brightest half float.
    """
    clean = np.nan_to_num(np.asarray(pixels, np.float32)[..., :3], nan=0.0, posinf=65504.0, neginf=0.0)
    clean = np.ascontiguousarray(np.maximum(clean, 0.0))
    h, w = clean.shape[:2]
    step = max(1, h // _TABLE_ROWS)
    luminance = clean @ LUMA32
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
    marginal = (np.concatenate([[0.0], np.cumsum(row_sum)]) / row_sum.sum()).astype(np.float32)
    conditional = conditional.astype(np.float32)
    guide = np.stack([guide_to(row, np.uint16) for row in conditional])
    return EnvironmentMap(clean, marginal, conditional, guide_to(marginal, np.uint16), guide, mean)


BLACK = build_environment(np.zeros((2, 4, 3), np.float32))


def environment_turn(rotation_rad: float, tilt_rad: float) -> NDArray[np.float32]:
    """Environment → studio (3, 3): leaned over about X, then turned about Y."""
    c, s = math.cos(rotation_rad), math.sin(rotation_rad)
    ct, st = math.cos(tilt_rad), math.sin(tilt_rad)
    about_y = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])
    about_x = np.array([[1, 0, 0], [0, ct, -st], [0, st, ct]])
    return np.ascontiguousarray(about_y @ about_x, np.float32)


@device
def longitude(x, z):
    """Where a direction of the environment's own axes lies in the picture from left to right, 0…1."""
    u = 0.5 + turns_of(x, -z)
    return u - math.floor(u)


@device
def latitude(y):
    """Where it lies from top to bottom, 0…1."""
    return half_turns_from_pole(y)


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


@device
def environment_at(env, u, v, y):
    """Radiance (3,) at a place, and the density (1/sr) with which it would be sampled; y of the direction there."""
    rows, columns = env.conditional.shape[0], env.conditional.shape[1] - 1
    r, c = min(int(v * rows), rows - 1), min(int(u * columns), columns - 1)
    return _bilinear(env, u, v), _cell_density(env, r, c, math.sqrt(max(1.0 - y * y, 0.0)))


@device
def draw_place(env, u1, u2):
    """A place by importance: row and column of its cell, and where it is in the picture (0…1)."""
    rows, columns = env.conditional.shape[0], env.conditional.shape[1] - 1
    r = draw(env.marginal, env.row_guide, u1)
    fr = (u1 - env.marginal[r]) / max(env.marginal[r + 1] - env.marginal[r], 1e-20)
    c = draw(env.conditional[r], env.column_guide[r], u2)
    low = env.conditional[r, c]
    fc = (u2 - low) / max(env.conditional[r, c + 1] - low, 1e-20)
    return r, c, (c + min(max(fc, 0.0), 0.999999)) / columns, (r + min(max(fr, 0.0), 0.999999)) / rows


@device
def environment_from(env, r, c, u, v, turn):
    """Direction (3,) of a place that was drawn, its radiance (3,) and its density (1/sr)."""
    sin_t, cos_t = sincos_turns(0.5 * v)
    sin_p, cos_p = sincos_turns(u - 0.5)
    x, y, z = sin_t * sin_p, cos_t, -sin_t * cos_p
    m = turn
    d = (
        m[0, 0] * x + m[0, 1] * y + m[0, 2] * z,
        m[1, 0] * x + m[1, 1] * y + m[1, 2] * z,
        m[2, 0] * x + m[2, 1] * y + m[2, 2] * z,
    )
    return d, _bilinear(env, u, v), _cell_density(env, r, c, sin_t)
