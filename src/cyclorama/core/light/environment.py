"""An equirectangular environment: reading, importance tables, lookup and sampling.

The middle of the picture lies towards −Z in the environment's own axes; a matrix turns them into the studio.
Sampling by marginal and conditional distributions over latitude and longitude, as in Pharr, Jakob and Humphreys,
"Physically Based Rendering", 4th edition, section 12.5.2, in two steps: a large cell by what it gives to a surface
that faces a certain way (see `facing`), then a place in it by luminance. From the luminance a constant is taken that
the other technique, scattering at the surface, finds as well (Karlík, Šik, Vévoda, Skřivan and Křivánek, "MIS
Compensation", ACM TOG 38(6), 2019).
"""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..arrays import RGBImage
from ..colour import LUMA32
from ..kernel import device, routine
from ..trig import half_turns_from_pole, sincos_turns, turns_of
from .direction_bins import BIN_REACH, bin_directions

ROWS, COLUMNS = 16, 32
"""Large cells."""
_FINEST = 8
"""At most so many small cells across a large one: the tables stay in a core's own memory."""
COMPENSATED, FLOOR = 0.3, 0.05
"""Shares of the mean luminance: what is taken away, and what stays at least (bilinear lookup reaches into dark
neighbours of bright cells, and after the last bounce light is only aimed at)."""

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]


class EnvironmentMap(NamedTuple):
    """Pixels and their importance tables; radiance is in units of `scale` nit chosen per frame."""

    pixels: F32
    """(h, w, 3)"""
    rows: F32
    """(f, ROWS + 1) cumulative chance of the bands of large cells, for each way that a surface may face"""
    columns: F32
    """(f, ROWS, COLUMNS + 1) the same of the cells of each band"""
    fine_rows: F32
    """(ROWS, COLUMNS, m + 1) of the bands of small cells in each large one"""
    fine_columns: F32
    """(ROWS, COLUMNS, m, m + 1) of the small cells in these"""
    strength: F32
    """(f,) about the illuminance of a surface that faces so, lx per unit"""
    mean_luminance: float


def build_environment(pixels: RGBImage) -> EnvironmentMap:
    """Importance tables for a linear picture (h, w, 3).

    NaN and negative pixels count as black, infinite ones as the brightest half float.
    """
    clean = np.nan_to_num(np.asarray(pixels, np.float32)[..., :3], nan=0.0, posinf=65504.0, neginf=0.0)
    clean = np.ascontiguousarray(np.maximum(clean, 0.0))
    m = next(m for m in (1, 2, 4, _FINEST) if m == _FINEST or m * ROWS >= clean.shape[0])
    rows, columns = ROWS * m, COLUMNS * m
    picture = Image.fromarray(_interpolated(clean @ LUMA32)).resize((columns, rows), Image.Resampling.BOX)
    luminance = np.asarray(picture, np.float64)
    sphere = np.sin(_latitudes(rows))[:, None] * (math.pi / rows) * (2 * math.pi / columns)
    mean = float((luminance * sphere).sum() / (sphere.sum() * columns))
    weight = (np.maximum(luminance - COMPENSATED * mean, 0.0) + FLOOR * mean + 1e-12) * sphere
    cells = weight.reshape(ROWS, m, COLUMNS, m).transpose(0, 2, 1, 3)
    large, strength = _by_facing(weight, luminance * sphere, directions(rows, columns))
    bands = large.sum(axis=2)
    return EnvironmentMap(
        clean,
        cumulative(bands),
        cumulative(large),
        cumulative(cells.sum(axis=3)),
        cumulative(cells),
        strength.astype(np.float32),
        mean,
    )


def _interpolated(values: F32) -> F32:
    """Means of what `_bilinear` reads over each pixel of (h, w); it reaches half a pixel into its neighbours."""
    across = 0.75 * values + 0.125 * (np.roll(values, 1, axis=1) + np.roll(values, -1, axis=1))
    rim = np.pad(across, ((1, 1), (0, 0)), mode="edge")
    return np.asarray(0.75 * across + 0.125 * (rim[:-2] + rim[2:]), np.float32)


def _latitudes(rows: int) -> F64:
    """Angles from straight up to the middles of so many rows of cells, rad."""
    return (np.arange(rows) + 0.5) / rows * math.pi


def directions(rows: int, columns: int) -> F64:
    """Towards the middle of each of so many cells, (rows, columns, 3), in the environment's own axes."""
    theta = _latitudes(rows)
    phi = ((np.arange(columns) + 0.5) / columns - 0.5) * 2 * math.pi
    sine, up = np.sin(theta)[:, None], np.cos(theta)[:, None]
    return np.stack([sine * np.sin(phi), np.broadcast_to(up, (len(theta), columns)), -sine * np.cos(phi)], axis=-1)


def _by_facing(weight: F64, light: F64, d: F64) -> tuple[F64, F64]:
    """Weights of the large cells (f, ROWS, COLUMNS), and illuminance (f,), of surfaces by the way they face.

    weight, light: (rows, columns) of the small cells in directions d. The last are for surfaces that take light from
    all sides.
    """
    halves = 2 if len(weight) > ROWS else 1
    w, g = _quartered(weight, halves), _quartered(light, halves)
    along = bin_directions() @ _quartered(d, halves).reshape(-1, 3).T / (len(weight) // (halves * ROWS)) ** 2
    reached = np.maximum(along + BIN_REACH, 0.0) / (1.0 + BIN_REACH)
    within = (reached * w.ravel()).reshape(-1, ROWS, halves, COLUMNS, halves).sum(axis=(2, 4))
    every = w.reshape(ROWS, halves, COLUMNS, halves).sum(axis=(1, 3))
    strength = np.append(np.maximum(along, 0.0) @ g.ravel(), g.sum() / 4)
    return np.concatenate([within, every[None]]), strength


def _quartered(values: F64, halves: int) -> F64:
    """Sums of (rows, columns, …) over the parts of large cells that are halved so in rows and columns."""
    m = len(values) // (halves * ROWS)
    return values.reshape(halves * ROWS, m, halves * COLUMNS, m, *values.shape[2:]).sum(axis=(1, 3))


def cumulative(weights: F64) -> F32:
    """Cumulative chances along the last axis; even ones where there is nothing."""
    total = weights.sum(axis=-1, keepdims=True)
    share = np.where(total > 0, weights / np.where(total > 0, total, 1.0), 1.0 / weights.shape[-1])
    start = np.zeros((*weights.shape[:-1], 1))
    return np.ascontiguousarray(np.concatenate([start, np.cumsum(share, axis=-1)], axis=-1), np.float32)


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
def _cell_density(env, facing, r, c, sin_theta):
    """Density (1/sr) of a place in the small cell of row r and column c."""
    m = env.fine_rows.shape[2] - 1
    i, j = r // m, c // m
    k, n = r - i * m, c - j * m
    p = (env.rows[facing, i + 1] - env.rows[facing, i]) * (env.columns[facing, i, j + 1] - env.columns[facing, i, j])
    p *= env.fine_rows[i, j, k + 1] - env.fine_rows[i, j, k]
    p *= env.fine_columns[i, j, k, n + 1] - env.fine_columns[i, j, k, n]
    return p * (ROWS * m) * (COLUMNS * m) / (2.0 * math.pi * math.pi * max(sin_theta, 1e-6))


@device
def environment_at(env, facing, u, v, y):
    """Radiance (3,) at a place, and the density (1/sr) with which it would be sampled for a surface that faces so; y of
    the direction there."""
    m = env.fine_rows.shape[2] - 1
    rows, columns = ROWS * m, COLUMNS * m
    r, c = min(int(v * rows), rows - 1), min(int(u * columns), columns - 1)
    return _bilinear(env, u, v), _cell_density(env, facing, r, c, math.sqrt(max(1.0 - y * y, 0.0)))


@device
def _part(cumulative, u):
    """The part of a cumulative table (n + 1,) that u in 0…1 falls into, and where in it, 0…1: by counting, side by
    side."""
    low, least = 0, np.float32(u)
    for k in range(1, cumulative.shape[0] - 1):
        low += 1 if cumulative[k] <= least else 0
    width = cumulative[low + 1] - cumulative[low]
    return low, min(max((u - cumulative[low]) / max(width, 1e-20), 0.0), 0.999999)


@routine
def draw_place(env, facing, u1, u2):
    """A place by importance for a surface that faces so: row and column of its small cell, and where it is in the
    picture (0…1)."""
    m = env.fine_rows.shape[2] - 1
    i, u1 = _part(env.rows[facing], u1)
    j, u2 = _part(env.columns[facing, i], u2)
    k, u1 = _part(env.fine_rows[i, j], u1)
    n, u2 = _part(env.fine_columns[i, j, k], u2)
    r, c = i * m + k, j * m + n
    return r, c, (c + u2) / (COLUMNS * m), (r + u1) / (ROWS * m)


@device
def environment_from(env, facing, r, c, u, v, turn):
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
    return d, _bilinear(env, u, v), _cell_density(env, facing, r, c, sin_t)
