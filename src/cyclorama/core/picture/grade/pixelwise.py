"""Operators of a grade as kernels: one pass over the pixels each.

Powers and curves are factors of light from a table that is entered with the bits of a float. These are its logarithm
cut into straight pieces: nothing has to be calculated to find the place, so either costs a look and a multiplication.
"""

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ...arrays import RGBImage
from ...colour import LUMA32
from ...kernel import device, kernel

F32 = NDArray[np.float32]
LEAST, MOST = -24, 20
"""Of tables, as powers of two: from the smallest half float on to what no picture has."""
SHIFT = 14
"""Bits of a float below the steps of a table: 512 of them in an octave, off by 1e-6 for powers."""
FIRST = int(np.float32(2.0**LEAST).view(np.int32))
STEPS = (MOST - LEAST) << (23 - SHIFT)
PLACES: F32 = (FIRST + (np.arange(STEPS + 1, dtype=np.int32) << SHIFT)).view(np.float32)
"""The light that each entry of a table stands for; between two of them, floats are evenly spaced."""


@lru_cache(maxsize=32)
def power_factors(exponent: float, about: float = 1.0) -> F32:
    """(x / about)^exponent by x."""
    return np.asarray((PLACES.astype(np.float64) / about) ** exponent, np.float32)


def scale(values: F32, factors: F32) -> F32:
    """Values (…) times factors (STEPS + 1,) of how far from zero they are."""
    flat = np.ascontiguousarray(values, np.float32).ravel()
    out = np.empty_like(flat)
    _scale(flat, flat.view(np.int32), factors, out)
    return out.reshape(values.shape)


def scaled_by_luma(picture: RGBImage, factors: F32) -> RGBImage:
    """A picture (…, 3) times factors of its luminance; below zero that is black."""
    flat = np.ascontiguousarray(picture, np.float32).reshape(-1, 3)
    luma = np.empty(len(flat), np.float32)
    out = np.empty_like(flat)
    _luma(flat, LUMA32, luma)
    _scale_pixels(flat, luma.view(np.int32), factors, out)
    return out.reshape(picture.shape)


def saturate(picture: RGBImage, saturation: float) -> RGBImage:
    """luma + saturation · (x − luma), of a picture (…, 3)."""
    flat = np.ascontiguousarray(picture, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    _saturate(flat, LUMA32, np.float32(saturation), out)
    return out.reshape(picture.shape)


def lines(picture: RGBImage, slope: F32, offset: F32) -> RGBImage:
    """x · slope + offset, of a picture (…, 3) and by channel (3,)."""
    flat = np.ascontiguousarray(picture, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    _lines(flat, slope, offset, out)
    return out.reshape(picture.shape)


def by_matrix(picture: RGBImage, matrix: F32) -> RGBImage:
    """matrix (3, 3) · pixel, of a picture (…, 3)."""
    flat = np.ascontiguousarray(picture, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    _matrix(flat, matrix, out)
    return out.reshape(picture.shape)


ANGLES = 2880


def angles() -> NDArray[np.float64]:
    """Radians from 0 to 2π that `rotate_hues` has a table for (ANGLES + 1,): evenly spaced on the square |a| + |b| = 1
    instead of on the circle, so that none has to be calculated."""
    quarter, share = np.divmod(np.arange(ANGLES + 1) * (4 / ANGLES), 1.0)
    return np.asarray(quarter * np.pi / 2 + np.arctan2(share, 1 - share))


def rotate_hues(roots: RGBImage, to_lab: F32, from_lab: F32, table: F32) -> RGBImage:
    """Cube roots of what cones get (…, 3), by way of OKLab with hue, chroma, brightness changed by hue; cubed.

    table (ANGLES + 1, 3) by `angles()`: what chroma is multiplied by along and across its direction, and stops, which
    are weighed by chroma up to a tenth.
    """
    flat = np.ascontiguousarray(roots, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    _turn(flat, to_lab, from_lab, table, bool(table[:, 2].any()), out)
    return out.reshape(roots.shape)


@device
def _factor(bits, factors):
    """The factor of a float by its bits, of which the sign is left out."""
    # of 32 bits and without signs, as whole numbers of 64 and places counted from the end cost half of it all
    at = np.int32(bits & np.int32(0x7FFFFFFF)) - np.int32(FIRST)
    at = min(max(at, np.int32(0)), np.int32((STEPS << SHIFT) - 1))
    step = np.uint32(at >> SHIFT)
    low = factors[step]
    share = np.float32(np.int32(at & np.int32((1 << SHIFT) - 1))) * np.float32(1.0 / (1 << SHIFT))
    return low + share * (factors[step + np.uint32(1)] - low)


@kernel
def _scale(values, bits, factors, out):
    for i in range(values.shape[0]):
        out[i] = values[i] * _factor(bits[i], factors)


@kernel
def _scale_pixels(picture, bits, factors, out):
    for i in range(picture.shape[0]):
        factor = _factor(bits[i], factors)
        out[i, 0], out[i, 1], out[i, 2] = picture[i, 0] * factor, picture[i, 1] * factor, picture[i, 2] * factor


@kernel
def _luma(picture, weights, out):
    a, b, c = weights[0], weights[1], weights[2]
    for i in range(picture.shape[0]):
        out[i] = max(picture[i, 0] * a + picture[i, 1] * b + picture[i, 2] * c, np.float32(0.0))


@kernel
def _matrix(picture, m, out):
    for i in range(picture.shape[0]):
        x, y, z = picture[i, 0], picture[i, 1], picture[i, 2]
        out[i, 0] = m[0, 0] * x + m[0, 1] * y + m[0, 2] * z
        out[i, 1] = m[1, 0] * x + m[1, 1] * y + m[1, 2] * z
        out[i, 2] = m[2, 0] * x + m[2, 1] * y + m[2, 2] * z


@device
def _place(a, b):
    """Where a direction is on the square |a| + |b| = 1, in quarters of it from 0 to 4."""
    across, up = abs(a), abs(b)
    share = up / max(across + up, np.float32(1e-20))
    share = np.float32(2.0) - share if a < np.float32(0.0) else share
    return np.float32(4.0) - share if b < np.float32(0.0) else share


@kernel
def _turn(roots, to, back, table, lifts, out):
    for i in range(roots.shape[0]):
        x, y, z = roots[i, 0], roots[i, 1], roots[i, 2]
        lightness = to[0, 0] * x + to[0, 1] * y + to[0, 2] * z
        a = to[1, 0] * x + to[1, 1] * y + to[1, 2] * z
        b = to[2, 0] * x + to[2, 1] * y + to[2, 2] * z
        at = _place(a, b) * np.float32(ANGLES / 4)
        step = min(np.int32(at), np.int32(ANGLES - 1))
        share = at - np.float32(step)
        low, high = table[np.uint32(step)], table[np.uint32(step + 1)]
        along = low[0] + share * (high[0] - low[0])
        across = low[1] + share * (high[1] - low[1])
        if lifts:
            stops = low[2] + share * (high[2] - low[2])
            weight = min(np.float32(math.sqrt(a * a + b * b)) * np.float32(10.0), np.float32(1.0))
            brighter = np.float32(2.0) ** (stops * weight * np.float32(1.0 / 3.0))
            lightness, along, across = lightness * brighter, along * brighter, across * brighter
        a, b = a * along - b * across, a * across + b * along
        for c in range(3):
            root = back[c, 0] * lightness + back[c, 1] * a + back[c, 2] * b
            out[i, c] = root * root * root


@kernel
def _lines(picture, slope, offset, out):
    for i in range(picture.shape[0]):
        for c in range(3):
            out[i, c] = picture[i, c] * slope[c] + offset[c]


@kernel
def _saturate(picture, weights, saturation, out):
    a, b, c = weights[0], weights[1], weights[2]
    for i in range(picture.shape[0]):
        luma = picture[i, 0] * a + picture[i, 1] * b + picture[i, 2] * c
        out[i, 0] = luma + saturation * (picture[i, 0] - luma)
        out[i, 1] = luma + saturation * (picture[i, 1] - luma)
        out[i, 2] = luma + saturation * (picture[i, 2] - luma)
