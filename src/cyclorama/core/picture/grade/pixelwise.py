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


def scaled(values: F32, factors: F32) -> F32:
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


def saturated(picture: RGBImage, saturation: float) -> RGBImage:
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


def turned(lab: RGBImage, turn: F32, saturation: F32, stops: F32) -> RGBImage:
    """A picture (…, 3) of OKLab by tables of its hue, which go once round: see `operators.by_hue`."""
    flat = np.ascontiguousarray(lab, np.float32).reshape(-1, 3).copy()
    _turn(flat, turn, saturation, stops)
    return flat.reshape(lab.shape)


@device
def _factor(bits, factors):
    """The factor of a float by its bits, of which the sign is left out."""
    at = min(max((bits & 0x7FFFFFFF) - FIRST, 0), (STEPS << SHIFT) - 1)
    step = at >> SHIFT
    low = factors[step]
    return low + np.float32(at & ((1 << SHIFT) - 1)) * np.float32(1.0 / (1 << SHIFT)) * (factors[step + 1] - low)


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
def _turn(lab, turn, saturation, stops):
    steps = turn.shape[0] - 1
    for i in range(lab.shape[0]):
        a, b = lab[i, 1], lab[i, 2]
        at = math.atan2(b, a) * np.float32(steps / (2.0 * math.pi))
        at = at + steps if at < 0.0 else at
        step = min(int(at), steps - 1)
        share = at - step
        angle = turn[step] + share * (turn[step + 1] - turn[step])
        more = saturation[step] + share * (saturation[step + 1] - saturation[step])
        lift = stops[step] + share * (stops[step + 1] - stops[step])
        weight = min(math.sqrt(a * a + b * b) * np.float32(10.0), np.float32(1.0))
        brighter = np.float32(2.0) ** (lift * weight * np.float32(1.0 / 3.0)) if lift != 0.0 else np.float32(1.0)
        cosine, sine = math.cos(angle) * brighter * more, math.sin(angle) * brighter * more
        lab[i, 0] *= brighter
        lab[i, 1], lab[i, 2] = a * cosine - b * sine, a * sine + b * cosine


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
