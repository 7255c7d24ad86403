"""Rigid bodies and ray queries: one Embree scene a body, rays are taken into the body's own space.

A body that does not turn in a frame is queried directly. Moving a body changes a matrix, never a structure.
"""

from dataclasses import dataclass

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene

from ..kernel import kernel
from .arrays import F32, I32, Bodies, Hits, Rays


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


@kernel
def _into_body(m, origin, direction, out_origin, out_direction):
    """Rays (n, 3) from studio to body space by the inverse of a rotation and translation (3, 4)."""
    for i in range(origin.shape[0]):
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


_IDENTITY = np.eye(4, dtype=np.float32)[:3]


def _rays_for(matrix: F32, rays: Rays, n: int) -> Rays:
    origin, direction = rays.origin[:n], rays.direction[:n]
    if np.array_equal(matrix, _IDENTITY):
        return Rays(origin, direction)
    local = Rays(np.empty_like(origin), np.empty_like(direction))
    _into_body(matrix, origin, direction, local.origin, local.direction)
    return local


def nearest_hits(bodies: list[Body], where: Bodies, rays: Rays, n: int) -> Hits:
    """Nearest hit of the first n rays over all bodies."""
    hits = None
    for b, body in enumerate(bodies):
        local = _rays_for(where.matrices[b], rays, n)
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


def blocked(bodies: list[Body], where: Bodies, rays: Rays, distance: F32, n: int) -> I32:
    """For the first n rays, ≥ 0 where something lies nearer than `distance`, −1 where nothing does."""
    result = np.full(n, -1, np.int32)
    for b, body in enumerate(bodies):
        local = _rays_for(where.matrices[b], rays, n)
        found = body.scene.run(local.origin, local.direction, dists=distance[:n], query="OCCLUDED")
        result = found if b == 0 else np.maximum(result, found)
    return result
