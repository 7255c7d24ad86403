"""Light times a factor that depends on light, from a table that is entered with the bits of a float.

These are its logarithm cut into straight pieces: nothing has to be calculated to find the place, so a power or a curve
costs one look and one multiplication.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ...kernel import kernel

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


def scaled(values: F32, factors: F32, by: F32 | None = None) -> F32:
    """Values (…) times factors (STEPS + 1,) of how far from zero they are themselves, or other values of that shape."""
    flat = np.ascontiguousarray(values, np.float32).ravel()
    keys = flat if by is None else np.ascontiguousarray(by, np.float32).ravel()
    out = np.empty_like(flat)
    _times_factor(flat, keys.view(np.int32), factors, out)
    return out.reshape(values.shape)


@kernel
def _times_factor(values, bits, factors, out):
    """Flat arrays; `bits` are those of what the factors depend on, of which the sign is left out."""
    for i in range(values.shape[0]):
        at = min(max((bits[i] & 0x7FFFFFFF) - FIRST, 0), (STEPS << SHIFT) - 1)
        step = at >> SHIFT
        share = np.float32((at & ((1 << SHIFT) - 1)) * (1.0 / (1 << SHIFT)))
        low = factors[step]
        out[i] = values[i] * (low + share * (factors[step + 1] - low))
