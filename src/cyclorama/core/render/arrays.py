"""The arrays kernels work on, grouped by what they are for. All bodies' geometry lies end to end."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
I32 = NDArray[np.int32]
U32A = NDArray[np.uint32]
U8 = NDArray[np.uint8]


class Geometry(NamedTuple):
    """Triangles of all bodies, each in its body's own space."""

    corners: F32
    """(t, 24) what shading reads of a triangle, in one piece so that it costs one or two cache lines: three
    positions (m), three unit normals, three texture coordinates"""
    material: I32
    """(t,) row of Materials"""
    is_subject: U8
    """(t,) 1 for the subject, 0 for the set"""


class Materials(NamedTuple):
    """One row a material: numbers and map indices (−1: none); columns in `material_rows`."""

    values: F32
    """(m, VALUE_COLUMNS)"""
    maps: I32
    """(m, 4) base colour, metal-rough, normal, emission"""


class Textures(NamedTuple):
    """All maps end to end as bytes; the row says where and how."""

    texels: U8
    """(n, 4)"""
    layout: NDArray[np.int64]
    """(textures, 4) first texel, width, height, wrap mode"""
    decode: F32
    """(256,) sRGB byte → linear"""


class Lights(NamedTuple):
    """What shines in one frame."""

    rects: F32
    """(n, RECT_COLUMNS)"""
    pick: F32
    """(n + 1,) probability of choosing each light, the environment last"""
    env_scale: float
    """nit per unit of the environment's pixels; 0: off"""
    env_rotation: float
    """radians"""
    background: F32
    """(3,) nit, seen by camera rays that leave the set"""
    env_seen: bool
    """camera rays that leave the set see the environment"""


class Bodies(NamedTuple):
    """Where the bodies stand in one frame."""

    matrices: F32
    """(b, 3, 4) body → studio"""


class Rays(NamedTuple):
    origin: F32
    direction: F32


class Hits(NamedTuple):
    """Nearest hits: distance, barycentric u v, triangle (−1: none) and body."""

    t: F32
    u: F32
    v: F32
    triangle: I32
    body: I32


class Paths(NamedTuple):
    """State of the paths in flight."""

    throughput: F32
    """(n, 3)"""
    density: F32
    """(n,) density of the last direction, 0 after a smooth bounce or from the camera"""
    inside: I32
    """(n,) material row of the medium the path is in, −1: air"""
    slot: I32
    """(n,) which sample of the batch this is"""
    flags: U8
    """(n,) bits below"""


FROM_CAMERA = 1
"""Nothing but holes has been met since the camera."""
SEEN = 2
"""The guide passes (albedo, normal) have been recorded."""


class Shadows(NamedTuple):
    """Rays towards lights with what arrives if nothing is in the way."""

    rays: Rays
    distance: F32
    value: F32
    """(n, 3)"""
    slot: I32


class Samples(NamedTuple):
    """Results, one row a sample of the batch."""

    radiance: F32
    """(n, 3) nit"""
    albedo: F32
    """(n, 3)"""
    normal: F32
    """(n, 3)"""
    depth: F32
    """(n,) m, 0 where nothing is"""
    coverage: F32
    """(n, 2) any surface, the subject"""
    seed: U32A
    """(n,) of the pixel"""
    number: U32A
    """(n,) sample number"""


def make_rays(n: int) -> Rays:
    return Rays(np.empty((n, 3), np.float32), np.empty((n, 3), np.float32))


def make_paths(n: int) -> Paths:
    return Paths(
        np.empty((n, 3), np.float32),
        np.empty(n, np.float32),
        np.empty(n, np.int32),
        np.empty(n, np.int32),
        np.empty(n, np.uint8),
    )


def make_shadows(n: int) -> Shadows:
    return Shadows(make_rays(n), np.empty(n, np.float32), np.empty((n, 3), np.float32), np.empty(n, np.int32))


def make_samples(n: int) -> Samples:
    return Samples(
        np.zeros((n, 3), np.float32),
        np.zeros((n, 3), np.float32),
        np.zeros((n, 3), np.float32),
        np.zeros(n, np.float32),
        np.zeros((n, 2), np.float32),
        np.zeros(n, np.uint32),
        np.zeros(n, np.uint32),
    )
