"""Random places on triangles, no two nearer to each other than a distance.

Darts are thrown one after the other, and those too near to an earlier one are thrown away (Cook, "Stochastic Sampling
in Computer Graphics", ACM TOG 5(1), 1986, section 3). A grid of cells finds the neighbours of a place, as in Bridson,
"Fast Poisson Disk Sampling in Arbitrary Dimensions", SIGGRAPH 2007 sketches; its cells are hashed, so that a surface
in space takes no more memory than its darts. Darts are a pure function of the seed.
"""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..kernel import device, kernel
from ..vectors import normalize

F64 = NDArray[np.float64]
F32 = NDArray[np.float32]

EVENLY, TO_THE_MIDDLE, TO_THE_RIM, ON_THE_FLAT, LOW_DOWN, HIGH_UP, BY_PICTURE, BY_MASK = range(8)
"""Where darts are denser."""
FADE = 0.7
"""Share of the reach, from the rim inwards, over which darts become as dense as in the middle."""
TRIES = 30
"""Darts thrown for each that is wanted, at most."""
LAST_MISSES = 400
"""After so many in a row that came too near to others, hardly one more would find room."""


class Target(NamedTuple):
    """Triangles that darts are thrown at, and where on them they may stick."""

    corners: F64
    """(t, 9) m"""
    normals: F64
    """(t, 9) unit, at the corners"""
    share: F64
    """(t + 1,) cumulative share of the area"""
    region: F64
    """(3,) x and z of the middle, and how far from it darts may stick, m"""
    low: float
    """lowest place of the triangles, m"""
    high: float
    denser: int
    """one of the numbers above"""
    picture: F32
    """(h, w) 0…1, from the back left to the front right of the square around the region; of a mask, over its texture
    coordinates"""
    uvs: F64
    """(t, 6) texture coordinates of the corners"""
    away: F32
    """(h, w) distance to what is to be kept clear of, m, over the same square"""
    clear: float
    """least such distance, m"""


@device
def _mixed(x):
    """Bits of a number well mixed (Steele, Lea and Flood, "Fast Splittable Pseudorandom Number Generators", OOPSLA
    2014: splitmix64)."""
    x = (x ^ (x >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    x = (x ^ (x >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return x ^ (x >> np.uint64(31))


@device
def _fraction(seed, number, draw):
    """A number 0…1 for a draw of a dart."""
    word = _mixed(_mixed(seed + np.uint64(number)) + np.uint64(draw) * np.uint64(0x9E3779B97F4A7C15))
    return float(word >> np.uint64(11)) * (1.0 / 9007199254740992.0)


@device
def _cell(x, y, z, mask):
    """Row of the hash table of a cell."""
    word = np.uint64(x) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(y) * np.uint64(0xC2B2AE3D27D4EB4F)
    return np.int64(_mixed(word + np.uint64(z) * np.uint64(0x165667B19E3779F9)) & np.uint64(mask))


@device
def _looked_up(grid, region, x, z):
    """Value of a grid over the square around the region."""
    h, w = grid.shape
    column = int((x - region[0] + region[2]) / (2.0 * region[2]) * w)
    row = int((z - region[1] + region[2]) / (2.0 * region[2]) * h)
    return grid[min(max(row, 0), h - 1), min(max(column, 0), w - 1)] * 1.0


@device
def _in_mask(picture, u, v):
    """Value of a picture at texture coordinates, which repeat it."""
    h, w = picture.shape
    column, row = int((u - math.floor(u)) * w), int((v - math.floor(v)) * h)
    return picture[min(row, h - 1), min(column, w - 1)] * 1.0


@device
def _density(target, p, n, away, u, v):
    """Density 0…1 at a place, compared with where it is highest. away: share of the reach from the middle."""
    if target.denser == TO_THE_MIDDLE:
        k = min((1.0 - away) / FADE, 1.0)
        return k * k * (3.0 - 2.0 * k)
    if target.denser == TO_THE_RIM:
        return away * away
    if target.denser == ON_THE_FLAT:
        return max(n[1], 0.0) ** 8
    if target.denser == BY_MASK:
        return _in_mask(target.picture, u, v)
    if target.denser == BY_PICTURE:
        return _looked_up(target.picture, target.region, p[0], p[2])
    if target.denser == LOW_DOWN or target.denser == HIGH_UP:
        share = (p[1] - target.low) / max(target.high - target.low, 1e-9)
        share = share if target.denser == HIGH_UP else 1.0 - share
        return min(max(share, 0.0), 1.0) ** 2
    return 1.0


@device
def _triangle(share, u):
    """Triangle in which a cumulative share lies."""
    low, high = 0, share.shape[0] - 1
    while high - low > 1:
        middle = (low + high) // 2
        if share[middle] <= u:
            low = middle
        else:
            high = middle
    return low


@device
def _is_free(target, places, p, spacing, heads, following):
    """True where no dart sticks within the spacing of a place."""
    x, y, z = math.floor(p[0] / spacing), math.floor(p[1] / spacing), math.floor(p[2] / spacing)
    lowest, highest = math.floor(target.low / spacing), math.floor(target.high / spacing)
    mask = heads.shape[0] - 1
    for i in range(27):
        level = y + i // 9 - 1
        if level < lowest or level > highest:
            continue
        k = heads[_cell(np.int64(x) + i % 3 - 1, np.int64(level), np.int64(z) + i // 3 % 3 - 1, mask)]
        while k >= 0:
            a, b, c = places[k, 0] - p[0], places[k, 1] - p[1], places[k, 2] - p[2]
            if a * a + b * b + c * c < spacing * spacing:
                return False
            k = following[k]
    return True


@kernel
def throw_darts(target, seed, spacing, heads, following, places, normals):
    """Throw darts until all of `places` (n, 3) and `normals` (n, 3) are filled or so many have been tried; returns how
    many stick. heads (a power of 2,) of −1 and following (n,): room for the cells; spacing 0: they may lie anywhere."""
    wanted, found, missed = places.shape[0], 0, 0
    for number in range(wanted * TRIES):
        if found == wanted:
            break
        t = _triangle(target.share, _fraction(seed, number, 0))
        root, v = math.sqrt(_fraction(seed, number, 1)), _fraction(seed, number, 2)
        a, b, c = 1.0 - root, root * (1.0 - v), root * v
        q, m = target.corners[t], target.normals[t]
        p = (a * q[0] + b * q[3] + c * q[6], a * q[1] + b * q[4] + c * q[7], a * q[2] + b * q[5] + c * q[8])
        n = normalize(a * m[0] + b * m[3] + c * m[6], a * m[1] + b * m[4] + c * m[7], a * m[2] + b * m[5] + c * m[8])
        e = target.uvs[t]
        at_u, at_v = a * e[0] + b * e[2] + c * e[4], a * e[1] + b * e[3] + c * e[5]
        x, z = p[0] - target.region[0], p[2] - target.region[1]
        away = math.sqrt(x * x + z * z) / target.region[2]
        if away > 1.0 or _fraction(seed, number, 3) >= _density(target, p, n, away, at_u, at_v):
            continue
        if target.clear > 0.0 and _looked_up(target.away, target.region, p[0], p[2]) < target.clear:
            continue
        if spacing > 0.0:
            if not _is_free(target, places, p, spacing, heads, following):
                missed += 1
                if missed > LAST_MISSES:
                    break
                continue
            at = _cell(
                np.int64(math.floor(p[0] / spacing)),
                np.int64(math.floor(p[1] / spacing)),
                np.int64(math.floor(p[2] / spacing)),
                heads.shape[0] - 1,
            )
            following[found], heads[at] = heads[at], found
        for k in range(3):
            places[found, k], normals[found, k] = p[k], n[k]
        found, missed = found + 1, 0
    return found
