"""Vectors of three numbers as kernels use them."""

import math

from .kernel import device


@device
def normalize(x, y, z):
    length = math.sqrt(x * x + y * y + z * z)
    if length < 1e-30:
        return 0.0, 0.0, 1.0
    return x / length, y / length, z / length


@device
def dot(a, b):
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@device
def cross(a, b):
    return a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]


@device
def turned_about_axis(v, radians):
    """A vector turned about +Y, as `motion.turned` does."""
    c, s = math.cos(radians), math.sin(radians)
    return c * v[0] + s * v[2], v[1], c * v[2] - s * v[0]


@device
def basis(n):
    """Two unit vectors that make a right-handed frame with n (Duff et al., JCGT 6(1), 2017)."""
    s = 1.0 if n[2] >= 0.0 else -1.0
    a = -1.0 / (s + n[2])
    b = n[0] * n[1] * a
    return (1.0 + s * n[0] * n[0] * a, s * b, -s * n[0]), (b, s + n[1] * n[1] * a, -n[1])


@device
def off_axis(axis, x, y, z):
    """A direction given along an axis (z) and across it (x, y), turned to where the axis points."""
    a, b = basis(axis)
    return x * a[0] + y * b[0] + z * axis[0], x * a[1] + y * b[1] + z * axis[1], x * a[2] + y * b[2] + z * axis[2]


@device
def get(array, row):
    """Three numbers of a row, in double precision."""
    return array[row, 0] * 1.0, array[row, 1] * 1.0, array[row, 2] * 1.0


@device
def put(array, row, v):
    """Write three numbers into a row."""
    array[row, 0] = v[0]
    array[row, 1] = v[1]
    array[row, 2] = v[2]


@device
def add(array, row, v):
    """Add three numbers to a row."""
    array[row, 0] += v[0]
    array[row, 1] += v[1]
    array[row, 2] += v[2]


@device
def scale(v, k):
    return v[0] * k, v[1] * k, v[2] * k


@device
def times(a, b):
    return a[0] * b[0], a[1] * b[1], a[2] * b[2]


@device
def to_local(w, t, b, n):
    """A direction of the studio in a frame of tangent, bitangent and normal."""
    return dot(w, t), dot(w, b), dot(w, n)


@device
def to_world(w, t, b, n):
    """A direction of a frame in the studio, of unit length again."""
    return normalize(
        w[0] * t[0] + w[1] * b[0] + w[2] * n[0],
        w[0] * t[1] + w[1] * b[1] + w[2] * n[1],
        w[0] * t[2] + w[1] * b[2] + w[2] * n[2],
    )
