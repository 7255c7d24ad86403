"""Half floats as they lie in masters, made into the floats that are worked with."""

import numpy as np
from numpy.typing import NDArray

from ..kernel import kernel

F16 = NDArray[np.float16]
F32 = NDArray[np.float32]
MOST = np.float16(65504.0)
_EXPONENT = np.uint16(0x7C00)


def widen_halves(halves: F16) -> F32:
    """The same numbers (…) as floats; exact. All must be finite.

    A half's exponent and mantissa, moved to where a float has them, are the number divided by 2^112, also where it is
    a subnormal one (IEEE 754-2019, 3.4): bits are moved, then multiplied, both as vectors.
    """
    bits = np.ascontiguousarray(halves).ravel().view(np.uint16)
    out = np.empty(len(bits), np.float32)
    _move(bits, out.view(np.int32))
    _multiply(out)
    return out.reshape(halves.shape)


def repair_pixels(halves: F16) -> tuple[F16, int]:
    """A picture (h, w, channels) of which all is finite, and how many pixels were not: what is no number becomes black,
    what is infinite the brightest that there is."""
    if not ((halves.view(np.uint16) & _EXPONENT) == _EXPONENT).any():
        return halves, 0
    broken = int((~np.isfinite(halves)).any(axis=2).sum())
    return np.nan_to_num(halves, nan=0.0, posinf=MOST, neginf=-MOST), broken  # type: ignore[call-overload]


@kernel
def _move(halves, out):
    for i in range(halves.shape[0]):
        half = np.int32(halves[i])
        out[i] = ((half & np.int32(0x7FFF)) << np.int32(13)) | ((half & np.int32(0x8000)) << np.int32(16))


@kernel
def _multiply(values):
    for i in range(values.shape[0]):
        values[i] *= np.float32(2.0**112)
