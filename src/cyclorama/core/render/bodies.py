"""Rigid bodies and ray queries: one Embree scene a body, rays are taken into the body's own space.

A body that does not turn in a frame is queried directly. Moving a body changes a few numbers, never a structure;
while the shutter is open every ray meets the body where it stands at the ray's own time.
"""

from dataclasses import dataclass

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from ..kernel import device, kernel
from .arrays import F32, I32, Bodies, Hits, Rays, Records


@dataclass(frozen=True, slots=True)
class Body:
    """Triangles that move together, with the structure to meet them."""

    scene: EmbreeScene
    mesh: TriangleMesh
    first_triangle: int


def build_body(vertices: F32, triangles: I32, first_triangle: int) -> Body:
    """Build the structure for vertices (n, 3) m and triangles (m, 3)."""
    scene = EmbreeScene()
    mesh = TriangleMesh(scene, np.ascontiguousarray(vertices, np.float32), np.ascontiguousarray(triangles, np.int32))
    # The structure is built on the first query; do it now, on one thread, not in the middle of a frame.
    scene.run(np.zeros((1, 3), np.float32), np.array([[0, 1, 0]], np.float32), output=1)
    return Body(scene, mesh, first_triangle)


def pose_keys(matrices: NDArray[np.float64]) -> F32:
    """Rigid (k, 4, 4) as (k, 7) quaternion and translation, neighbours on the same side."""
    quaternions = Rotation.from_matrix(matrices[:, :3, :3]).as_quat()
    for i in range(1, len(quaternions)):
        if quaternions[i] @ quaternions[i - 1] < 0:
            quaternions[i] = -quaternions[i]
    return np.concatenate([quaternions, matrices[:, :3, 3]], axis=1).astype(np.float32)


@device
def pose_at(keys, time, m):
    """Fill m (3, 4) with the pose between keys (k, 7) at time 0…1: straight in between, brought back to a rotation."""
    last = keys.shape[0] - 1
    x = min(max(time, 0.0), 1.0) * last
    i = min(int(x), max(last - 1, 0))
    j = min(i + 1, last)
    f = x - i
    qx, qy = keys[i, 0] + f * (keys[j, 0] - keys[i, 0]), keys[i, 1] + f * (keys[j, 1] - keys[i, 1])
    qz, qw = keys[i, 2] + f * (keys[j, 2] - keys[i, 2]), keys[i, 3] + f * (keys[j, 3] - keys[i, 3])
    s = 2.0 / (qx * qx + qy * qy + qz * qz + qw * qw)
    m[0, 0], m[0, 1], m[0, 2] = 1.0 - s * (qy * qy + qz * qz), s * (qx * qy - qz * qw), s * (qx * qz + qy * qw)
    m[1, 0], m[1, 1], m[1, 2] = s * (qx * qy + qz * qw), 1.0 - s * (qx * qx + qz * qz), s * (qy * qz - qx * qw)
    m[2, 0], m[2, 1], m[2, 2] = s * (qx * qz - qy * qw), s * (qy * qz + qx * qw), 1.0 - s * (qx * qx + qy * qy)
    for c in range(3):
        m[c, 3] = keys[i, 4 + c] + f * (keys[j, 4 + c] - keys[i, 4 + c])


@kernel
def _into_body(keys, samples, items, origin, direction, m, out_origin, out_direction):
    """Rays (n, 3) from studio to body space at their own times."""
    still = keys.shape[0] == 1
    if still:
        pose_at(keys, 0.0, m)
    for i in range(origin.shape[0]):
        if not still:
            pose_at(keys, samples[items[i].slot].time, m)
        x, y, z = origin[i, 0] - m[0, 3], origin[i, 1] - m[1, 3], origin[i, 2] - m[2, 3]
        dx, dy, dz = direction[i, 0], direction[i, 1], direction[i, 2]
        for c in range(3):
            out_origin[i, c] = m[0, c] * x + m[1, c] * y + m[2, c] * z
            out_direction[i, c] = m[0, c] * dx + m[1, c] * dy + m[2, c] * dz


@kernel
def _nearer_hits(t, u, v, triangle, first_triangle, body, hits):
    for i in range(t.shape[0]):
        if triangle[i] >= 0 and (hits.triangle[i] < 0 or t[i] < hits.t[i]):
            hits.t[i], hits.u[i], hits.v[i] = t[i], u[i], v[i]
            hits.triangle[i] = triangle[i] + first_triangle
            hits.body[i] = body


@kernel
def _nearest(found, result):
    for i in range(result.shape[0]):
        result[i] = max(result[i], found[i])


def _rays_for(where: Bodies, b: int, rays: Rays, n: int, samples: Records, items: Records) -> Rays:
    origin, direction = rays.origin[:n], rays.direction[:n]
    if not where.moving[b]:
        return Rays(origin, direction)
    local = Rays(np.empty_like(origin), np.empty_like(direction))
    _into_body(where.keys[b], samples, items[:n], origin, direction, np.zeros((3, 4)), local.origin, local.direction)
    return local


def nearest_hits(bodies: list[Body], where: Bodies, rays: Rays, n: int, samples: Records, items: Records) -> Hits:
    """Nearest hit of the first n rays over all bodies; ray i has the time of the sample that items[i] names."""
    hits = None
    for b, body in enumerate(bodies):
        local = _rays_for(where, b, rays, n, samples, items)
        found = body.scene.run(local.origin, local.direction, output=1)
        t, u, v, triangle = found["tfar"], found["u"], found["v"], found["primID"]
        if hits is None:
            hits = Hits(t, u, v, triangle, np.zeros(n, np.int32))
        else:
            _nearer_hits(t, u, v, triangle, body.first_triangle, b, hits)
    if hits is None:
        nowhere = np.zeros(n, np.float32)
        hits = Hits(nowhere, nowhere, nowhere, np.full(n, -1, np.int32), np.zeros(n, np.int32))
    return hits


def blocked(
    bodies: list[Body], where: Bodies, rays: Rays, distance: F32, n: int, samples: Records, items: Records
) -> I32:
    """For the first n rays, ≥ 0 where something lies nearer than `distance`, −1 where nothing does."""
    result = np.full(n, -1, np.int32)
    for b, body in enumerate(bodies):
        local = _rays_for(where, b, rays, n, samples, items)
        found = body.scene.run(local.origin, local.direction, dists=distance[:n], query="OCCLUDED")
        if b == 0:
            result = found
        else:
            _nearest(found, result)
    return result
