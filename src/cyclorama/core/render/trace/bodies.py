"""Bodies and ray queries: one Embree scene a body, rays are taken into the body's own space.

A body that does not turn in a frame is queried directly. Moving a body changes a few numbers, never a structure;
while the shutter is open every ray meets the body where it stands at the ray's own time. A body that bends has a
structure for each frame, which knows its shape at even times of the shutter.
"""

import math
from dataclasses import dataclass, field

import numpy as np
import scipy
from numpy.typing import NDArray

from ...kernel import device, kernel
from ...vectors import get, put
from .arrays import F32, I32, TURNS, U64A
from .embree import (
    HIT_COPY,
    HIT_GEOMETRY,
    HIT_PROTOTYPE,
    HIT_TRIANGLE,
    HIT_U,
    HIT_V,
    NOTHING,
    RAY_DIRECTION,
    RAY_FAR,
    RAY_FLAGS,
    RAY_ID,
    RAY_MASK,
    RAY_NEAR,
    RAY_ORIGIN,
    RAY_TIME,
    Structure,
    intersect1,
    occluded1,
    pointer,
)
from .prefetch import fetch_rays
from .surface import place, place_back, turn, turn_back


@dataclass(frozen=True, slots=True)
class Body:
    """Triangles and copies that move together, with the structure to meet them."""

    structure: Structure
    first_triangle: int
    prototypes: I32 = field(default_factory=lambda: np.zeros((0, 2), np.int32))
    """(p, 2) number of each prototype's first triangle among all, and of its first copy in this body"""
    copies: F32 = field(default_factory=lambda: np.zeros((0, 12), np.float32))
    """(n, 12) see `arrays.Bodies`"""


def pose_keys(matrices: NDArray[np.float64]) -> F32:
    """Rigid (k, 4, 4) as (k, 7) quaternion and translation, neighbours on the same side."""
    quaternions = scipy.spatial.transform.Rotation.from_matrix(matrices[:, :3, :3]).as_quat()
    for i in range(1, len(quaternions)):
        if quaternions[i] @ quaternions[i - 1] < 0:
            quaternions[i] = -quaternions[i]
    return np.concatenate([quaternions, matrices[:, :3, 3]], axis=1).astype(np.float32)


def addresses_of(bodies: list[Body]) -> tuple[U64A, I32, I32, I32, F32]:
    """Structures, first triangles, prototypes and copies of bodies for `Bodies`, which does not keep bodies alive."""
    prototypes, copied, copies = [np.zeros((0, 2), np.int32)], [], 0
    for body in bodies:
        copied.append(sum(map(len, prototypes)))
        prototypes.append(body.prototypes + np.array([0, copies], np.int32))
        copies += len(body.copies)
    poses = [b.copies for b in bodies if len(b.copies)]
    if len(poses) > 1:
        poses = [np.concatenate(poses)]
    return (
        np.array([b.structure.handle for b in bodies], np.uint64),
        np.array([b.first_triangle for b in bodies], np.int32),
        np.array(copied, np.int32),
        np.concatenate(prototypes).astype(np.int32),
        poses[0] if poses else np.zeros((0, 12), np.float32),
    )


@device
def keys_at(count, time):
    """Which two of so many keys at even times of the shutter a time 0…1 lies between, and how far on."""
    last = count - 1
    x = min(max(time, 0.0), 1.0) * last
    i = min(int(x), max(last - 1, 0))
    return i, min(i + 1, last), x - i


@device
def pose_at(keys, time, m):
    """Fill m (3, 4) with the pose between keys (k, 7) at time 0…1: straight in between, brought back to a rotation."""
    i, j, f = keys_at(keys.shape[0], time)
    qx, qy = keys[i, 0] + f * (keys[j, 0] - keys[i, 0]), keys[i, 1] + f * (keys[j, 1] - keys[i, 1])
    qz, qw = keys[i, 2] + f * (keys[j, 2] - keys[i, 2]), keys[i, 3] + f * (keys[j, 3] - keys[i, 3])
    s = 2.0 / (qx * qx + qy * qy + qz * qz + qw * qw)
    m[0, 0], m[0, 1], m[0, 2] = 1.0 - s * (qy * qy + qz * qz), s * (qx * qy - qz * qw), s * (qx * qz + qy * qw)
    m[1, 0], m[1, 1], m[1, 2] = s * (qx * qy + qz * qw), 1.0 - s * (qx * qx + qz * qz), s * (qy * qz - qx * qw)
    m[2, 0], m[2, 1], m[2, 2] = s * (qx * qz - qy * qw), s * (qy * qz + qx * qw), 1.0 - s * (qx * qx + qy * qy)
    for c in range(3):
        m[c, 3] = keys[i, 4 + c] + f * (keys[j, 4 + c] - keys[i, 4 + c])


@device
def moving_as(where, body, copy):
    """Movement of a body, or of a copy in it: copies are placed as if they turned."""
    return TURNS if copy >= 0 else where.moving[body]


@device
def axis_of(pose, first):
    """An axis, or the place, of a copy's pose (12,)."""
    return pose[first] * 1.0, pose[first + 1] * 1.0, pose[first + 2] * 1.0


@device
def size_of(pose):
    """Size of a copy (×), and 1 through that."""
    x, y, z = axis_of(pose, 0)
    size = math.sqrt(x * x + y * y + z * z)
    return size, 1.0 / size


@device
def stand_at(where, body, copy, time, m):
    """Fill m (3, 4) with the pose of a body that moves, or of a copy in a body, at a time 0…1; returns its size (×), as
    m itself only turns and moves."""
    moving = where.moving[body]
    if moving:
        pose_at(where.keys[body], time, m)
    if copy < 0:
        return 1.0
    pose = where.copies[copy]
    size, k = size_of(pose)
    x, y, z, at = axis_of(pose, 0), axis_of(pose, 3), axis_of(pose, 6), axis_of(pose, 9)
    if moving:
        x, y, z, at = turn(m, x), turn(m, y), turn(m, z), place(m, at)
    for c in range(3):
        m[c, 0], m[c, 1], m[c, 2], m[c, 3] = k * x[c], k * y[c], k * z[c], at[c]
    return size


@device
def placed_copy(where, copy, p):
    """A point (3,) of a copy, or of no copy (−1), in the space of its body."""
    if copy < 0:
        return p
    pose = where.copies[copy]
    x, y, z, at = axis_of(pose, 0), axis_of(pose, 3), axis_of(pose, 6), axis_of(pose, 9)
    return (
        p[0] * x[0] + p[1] * y[0] + p[2] * z[0] + at[0],
        p[0] * x[1] + p[1] * y[1] + p[2] * z[1] + at[1],
        p[0] * x[2] + p[1] * y[2] + p[2] * z[2] + at[2],
    )


@device
def put_ray(rays, n, origin, direction, time):
    """Make a ray the n-th of `rays`."""
    put(rays.origin, n, origin)
    put(rays.direction, n, direction)
    rays.time[n] = time


@device
def _hand_over(scratch, moving, rays, i, far):
    """Ray i, taken into the space of a body that moves (its pose is in the scratch), as the library wants it."""
    o, d = get(rays.origin, i), get(rays.direction, i)
    if moving:
        o, d = place_back(scratch.matrix, o), turn_back(scratch.matrix, d)
    ray, words = scratch.ray, scratch.words
    ray[RAY_ORIGIN], ray[RAY_ORIGIN + 1], ray[RAY_ORIGIN + 2] = o
    ray[RAY_DIRECTION], ray[RAY_DIRECTION + 1], ray[RAY_DIRECTION + 2] = d
    ray[RAY_NEAR], ray[RAY_TIME] = 0.0, rays.time[i]
    ray[RAY_FAR] = far
    words[RAY_MASK] = NOTHING
    words[RAY_ID] = words[RAY_FLAGS] = 0


@kernel
def nearest_hits(where, rays, count, scratch, hits):
    """Nearest hits of the first `count` rays over all bodies."""
    address, nothing = pointer(np.uint64(scratch.ray.ctypes.data)), pointer(np.uint64(0))
    ray, words = scratch.ray, scratch.words
    for i in range(count):
        hits.triangle[i] = -1
    for body in range(where.structures.shape[0]):
        structure, first, moving = pointer(where.structures[body]), where.first[body], where.moving[body]
        still = where.keys.shape[1] == 1
        if moving and still:
            pose_at(where.keys[body], 0.0, scratch.matrix)
        for i in range(count):
            fetch_rays(i, rays)
            if moving and not still:
                pose_at(where.keys[body], rays.time[i], scratch.matrix)
            known = body > 0 and hits.triangle[i] >= 0
            _hand_over(scratch, moving, rays, i, hits.t[i] if known else np.inf)
            words[HIT_GEOMETRY] = words[HIT_PROTOTYPE] = NOTHING
            intersect1(structure, address, nothing)
            if words[HIT_GEOMETRY] != NOTHING:
                hits.t[i], hits.u[i], hits.v[i] = ray[RAY_FAR], ray[HIT_U], ray[HIT_V]
                hits.body[i] = body
                start, copy = first, np.int32(-1)
                if words[HIT_PROTOTYPE] != NOTHING:
                    # the body's own triangles are its geometry 0
                    row = np.int64(where.copied[body]) + np.int64(words[HIT_PROTOTYPE]) - 1
                    start = where.prototypes[row, 0]
                    copy = where.prototypes[row, 1] + np.int32(words[HIT_COPY])
                hits.triangle[i] = np.int32(words[HIT_TRIANGLE]) + start
                hits.copy[i] = copy


@kernel
def find_blocked(where, rays, distance, count, scratch, blocked):
    """For the first `count` rays, 0 where something lies nearer than `distance`, −1 where nothing does."""
    address, nothing = pointer(np.uint64(scratch.ray.ctypes.data)), pointer(np.uint64(0))
    ray = scratch.ray
    for i in range(count):
        blocked[i] = -1
    for body in range(where.structures.shape[0]):
        structure, moving = pointer(where.structures[body]), where.moving[body]
        still = where.keys.shape[1] == 1
        if moving and still:
            pose_at(where.keys[body], 0.0, scratch.matrix)
        for i in range(count):
            fetch_rays(i, rays)
            if blocked[i] >= 0:
                continue
            if moving and not still:
                pose_at(where.keys[body], rays.time[i], scratch.matrix)
            _hand_over(scratch, moving, rays, i, distance[i])
            occluded1(structure, address, nothing)
            if ray[RAY_FAR] < 0.0:
                blocked[i] = 0
