"""Bodies and ray queries: one Embree scene a body, rays are taken into the body's own space.

A body that does not turn in a frame is queried directly. Moving a body changes a few numbers, never a structure;
while the shutter is open every ray meets the body where it stands at the ray's own time. A body that bends has a
structure for each frame, which knows its shape at even times of the shutter.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from ..kernel import device, kernel
from .arrays import BENDS, F32, I32, Bodies, Hits, Rays, Records
from .embree import (
    HIT_GEOMETRY,
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
    ray_room,
)


@dataclass(frozen=True, slots=True)
class Body:
    """Triangles that move together, with the structure to meet them."""

    structure: Structure
    first_triangle: int


def pose_keys(matrices: NDArray[np.float64]) -> F32:
    """Rigid (k, 4, 4) as (k, 7) quaternion and translation, neighbours on the same side."""
    quaternions = Rotation.from_matrix(matrices[:, :3, :3]).as_quat()
    for i in range(1, len(quaternions)):
        if quaternions[i] @ quaternions[i - 1] < 0:
            quaternions[i] = -quaternions[i]
    return np.concatenate([quaternions, matrices[:, :3, 3]], axis=1).astype(np.float32)


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
def _put_ray(room, words, moving, m, origin, direction, i, far, time):
    """Ray i, taken into the space of a body that moves, as the library wants it."""
    x, y, z = origin[i, 0] * 1.0, origin[i, 1] * 1.0, origin[i, 2] * 1.0
    dx, dy, dz = direction[i, 0] * 1.0, direction[i, 1] * 1.0, direction[i, 2] * 1.0
    if moving:
        x, y, z = x - m[0, 3], y - m[1, 3], z - m[2, 3]
        x, y, z = (m[0, 0] * x + m[1, 0] * y + m[2, 0] * z, m[0, 1] * x + m[1, 1] * y + m[2, 1] * z,
                   m[0, 2] * x + m[1, 2] * y + m[2, 2] * z)  # fmt: skip
        dx, dy, dz = (m[0, 0] * dx + m[1, 0] * dy + m[2, 0] * dz, m[0, 1] * dx + m[1, 1] * dy + m[2, 1] * dz,
                      m[0, 2] * dx + m[1, 2] * dy + m[2, 2] * dz)  # fmt: skip
    room[RAY_ORIGIN], room[RAY_ORIGIN + 1], room[RAY_ORIGIN + 2] = x, y, z
    room[RAY_DIRECTION], room[RAY_DIRECTION + 1], room[RAY_DIRECTION + 2] = dx, dy, dz
    room[RAY_NEAR], room[RAY_TIME] = 0.0, time
    room[RAY_FAR] = far
    words[RAY_MASK] = NOTHING
    words[RAY_ID] = words[RAY_FLAGS] = 0


@kernel
def _nearest_in_body(
    structure, body, first_triangle, keys, moving, rays, samples, items, m, room, words, address, hits
):
    """Nearest hits with one body; those with bodies before it (body > 0) stay where they are nearer."""
    still = keys.shape[0] == 1
    if moving and still:
        pose_at(keys, 0.0, m)
    scene, ray, nothing = pointer(structure), pointer(address), pointer(np.uint64(0))
    for i in range(hits.t.shape[0]):
        if moving and not still:
            pose_at(keys, samples[items[i].slot].time, m)
        known = body > 0 and hits.triangle[i] >= 0
        time = samples[items[i].slot].time if moving == BENDS else np.float32(0)
        _put_ray(room, words, moving, m, rays.origin, rays.direction, i, hits.t[i] if known else np.inf, time)
        words[HIT_GEOMETRY] = NOTHING
        intersect1(scene, ray, nothing)
        if words[HIT_GEOMETRY] != NOTHING:
            hits.t[i], hits.u[i], hits.v[i] = room[RAY_FAR], room[HIT_U], room[HIT_V]
            hits.triangle[i] = np.int32(words[HIT_TRIANGLE]) + first_triangle
            hits.body[i] = body
        elif body == 0:
            hits.triangle[i] = -1


@kernel
def _blocked_by_body(structure, body, keys, moving, rays, distance, samples, items, m, room, words, address, result):
    """0 where one body lies nearer than `distance`, −1 where none does; what is blocked already stays so."""
    still = keys.shape[0] == 1
    if moving and still:
        pose_at(keys, 0.0, m)
    scene, ray, nothing = pointer(structure), pointer(address), pointer(np.uint64(0))
    for i in range(result.shape[0]):
        if body > 0 and result[i] >= 0:
            continue
        if moving and not still:
            pose_at(keys, samples[items[i].slot].time, m)
        time = samples[items[i].slot].time if moving == BENDS else np.float32(0)
        _put_ray(room, words, moving, m, rays.origin, rays.direction, i, distance[i], time)
        occluded1(scene, ray, nothing)
        result[i] = 0 if room[RAY_FAR] < 0.0 else -1


def nearest_hits(bodies: list[Body], where: Bodies, rays: Rays, n: int, samples: Records, items: Records) -> Hits:
    """Nearest hit of the first n rays over all bodies; ray i has the time of the sample that items[i] names."""
    t, u, v = np.empty((3, n), np.float32)
    hits = Hits(t, u, v, np.full(n, -1, np.int32), np.zeros(n, np.int32))
    matrix, room = np.zeros((3, 4)), ray_room()
    for b, body in enumerate(bodies):
        _nearest_in_body(body.structure.handle, b, body.first_triangle, where.keys[b], where.moving[b], rays, samples,
                         items, matrix, *room, hits)  # fmt: skip
    return hits


def blocked(
    bodies: list[Body], where: Bodies, rays: Rays, distance: F32, n: int, samples: Records, items: Records
) -> I32:
    """For the first n rays, ≥ 0 where something lies nearer than `distance`, −1 where nothing does."""
    result = np.full(n, -1, np.int32)
    matrix, room = np.zeros((3, 4)), ray_room()
    for b, body in enumerate(bodies):
        _blocked_by_body(body.structure.handle, b, where.keys[b], where.moving[b], rays, distance, samples, items,
                         matrix, *room, result)  # fmt: skip
    return result
