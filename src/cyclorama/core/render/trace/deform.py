"""Triangles of a subject that bends: where they are at a ray's own time, and how directions go with them.

Materials are looked up on the triangle as it was bound, so that maps, patterns and rounded edges stick to it; the
normal they give is then carried along, by a rotation that goes with `surface.turn` and `turn_back`.
"""

import numpy as np

from ...kernel import device, routine
from ...vectors import cross, normalize
from .arrays import BENDS
from .bodies import keys_at
from .surface import corner, hit_surface


@device
def bent_triangle(shapes, triangle, time, out):
    """Fill the record `out` (1, 32) with positions and normals of a triangle at a time 0…1 of the shutter."""
    i, j, f = keys_at(shapes.corners.shape[0], time)
    d = np.int64(triangle) - shapes.first
    a, b = shapes.corners[i, d], shapes.corners[j, d]
    for c in range(18):
        out[0, c] = a[c] + f * (b[c] - a[c])


@device
def corners_at(geometry, moving, triangle, time, scratch):
    """The records in which a triangle of a body stands as it is at a time, and its number there."""
    corners, at = geometry.corners, np.int64(triangle)
    if moving == BENDS:
        bent_triangle(geometry.shapes, at, time, scratch.triangle)
        corners, at = scratch.triangle, 0
    return corners, at


@device
def _frame(record, triangle, normal):
    """Two unit vectors (3,) in the plane of a normal, the first along the triangle's first edge."""
    a, b = corner(record, triangle, 0), corner(record, triangle, 3)
    e = (b[0] - a[0], b[1] - a[1], b[2] - a[2])
    side = cross(normal, e)
    side = normalize(side[0], side[1], side[2])
    return cross(side, normal), side


@routine
def bent_surface(shapes, corners, triangle, u, v, time, smooth, record, carry):
    """Position, geometric normal and terminator position of a triangle as it has bent (as `hit_surface` gives them).

    Fills `carry`. `smooth`: the smooth normal as bound.
    """
    bent_triangle(shapes, triangle, time, record)
    p, flat, leant, lifted = hit_surface(record, 0, u, v)
    t0, b0 = _frame(corners, triangle, smooth)
    t1, b1 = _frame(record, 0, leant)
    for r in range(3):
        for c in range(3):
            carry[r, c] = t1[r] * t0[c] + b1[r] * b0[c] + leant[r] * smooth[c]
    return p, flat, lifted


@device
def place_of(shapes, k, triangle, u, v):
    """The position (3,) of a place on a triangle in this frame (k = 0), the next (1) or the one before (2)."""
    q = shapes.places[k, np.int64(triangle) - shapes.first]
    w = 1.0 - u - v
    return w * q[0] + u * q[3] + v * q[6], w * q[1] + u * q[4] + v * q[7], w * q[2] + u * q[5] + v * q[8]
