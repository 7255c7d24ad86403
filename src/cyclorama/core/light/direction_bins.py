"""Which way a surface faces, in few bits: for what is worked out once for all surfaces that face about the same way.

Directions lie on the unfolded octahedron (Cigolle, Donow, Evangelakos, Mara, McGuire and Meyer, "A Survey of Efficient
Representations for Independent Unit Vectors", JCGT 3(2), 2014). A word holds a direction on the octahedron's square
(11 bits each way) and the number of a bin (10 bits).
"""

import math

import numpy as np
from numpy.typing import NDArray

from ..kernel import device

BINS = 17
"""Along each side of the square; odd, so that the axes do not lie between two."""
ANY_WAY = BINS * BINS
"""Number of the bin of surfaces that take light from all sides."""
BIN_REACH = 0.28
"""Sine of the largest angle between a direction and the middle of its bin, and some more."""
STEPS = 2047.0


@device
def along_u(x, y, z):
    """Where a unit vector lies on the octahedron's square, 0…1."""
    k = 1.0 / (abs(x) + abs(y) + abs(z))
    return 0.5 + 0.5 * ((x * k) if z >= 0.0 else (1.0 - abs(y * k)) * (1.0 if x >= 0.0 else -1.0))


@device
def along_v(x, y, z):
    k = 1.0 / (abs(x) + abs(y) + abs(z))
    return 0.5 + 0.5 * ((y * k) if z >= 0.0 else (1.0 - abs(x * k)) * (1.0 if y >= 0.0 else -1.0))


@device
def from_square(u, v):
    """The unit vector (3,) at a place of the octahedron's square."""
    x, y = 2.0 * u - 1.0, 2.0 * v - 1.0
    z = 1.0 - abs(x) - abs(y)
    if z < 0.0:
        x, y = (1.0 - abs(y)) * (1.0 if x >= 0.0 else -1.0), (1.0 - abs(x)) * (1.0 if y >= 0.0 else -1.0)
    k = 1.0 / math.sqrt(x * x + y * y + z * z)
    return x * k, y * k, z * k


@device
def bin_at(u, v):
    """The bin of a place of the square."""
    i, j = int(u * BINS), int(v * BINS)
    return min(i, BINS - 1) * BINS + min(j, BINS - 1)


@device
def word_of(u, v, number):
    """A place of the square and the number of a bin as a word."""
    a, b = np.uint32(u * STEPS), np.uint32(v * STEPS)
    return np.uint32((a << np.uint32(21)) | (b << np.uint32(10)) | np.uint32(number))


@device
def direction_of(word):
    """The unit vector (3,) of a word."""
    a, b = np.uint32(word >> np.uint32(21)), np.uint32((word >> np.uint32(10)) & np.uint32(2047))
    return from_square(np.float64(a) / STEPS, np.float64(b) / STEPS)


@device
def bin_in(word):
    """The bin of a word."""
    return np.int64(word & np.uint32(1023))


def bin_directions() -> NDArray[np.float64]:
    """The middle of each bin, (ANY_WAY, 3)."""
    u, v = (a.ravel() for a in np.meshgrid(*[(np.arange(BINS) + 0.5) / BINS] * 2, indexing="ij"))
    x, y = 2 * u - 1, 2 * v - 1
    z = 1 - abs(x) - abs(y)
    folded_x, folded_y = (1 - abs(y)) * np.where(x >= 0, 1, -1), (1 - abs(x)) * np.where(y >= 0, 1, -1)
    d = np.stack([np.where(z < 0, folded_x, x), np.where(z < 0, folded_y, y), z], axis=-1)
    return d / np.linalg.norm(d, axis=-1, keepdims=True)
