"""Views of points of the sweep past it, for `light.set_occlusion`."""

import numpy as np
from numpy.typing import NDArray

from ...geometry.mesh import Mesh
from ...light.direction_bins import bin_directions
from ...light.set_occlusion import Views
from ...light.shapes import FAR
from ..trace.arrays import STANDS, Bodies, Rays, make_scratch
from ..trace.bodies import Body, addresses_of, find_blocked, pose_keys
from ..trace.embree import Structure

POINTS = 384
PLASTIC = np.array([[0.7548776662466927], [0.5698402909980532]])
"""Steps of an even sequence of points in the plane (Roberts, "The Unreasonable Effectiveness of Quasirandom Sequences",
2018)."""
ABOVE_M = 1e-3
"""Rays begin so far above the sweep's facets."""


def views_of(sweep: Mesh) -> Views:
    """Views of evenly spread points of a sweep; the same for the same mesh."""
    points, normals = _spread(sweep)
    ways = bin_directions()
    origins = np.repeat(points + ABOVE_M * normals, len(ways), axis=0).astype(np.float32)
    towards = np.tile(ways, (len(points), 1)).astype(np.float32)
    count = len(origins)
    body = Body(Structure(sweep.vertices, sweep.triangles), 0)
    where = Bodies(pose_keys(np.eye(4)[None])[None], np.array([STANDS], np.uint8), *addresses_of([body]))
    blocked = np.empty(count, np.int32)
    find_blocked(
        where,
        Rays(origins, towards, np.full(count, 0.5, np.float32)),
        np.full(count, FAR, np.float32),
        count,
        make_scratch(),
        blocked,
    )
    return Views(normals, (blocked < 0).reshape(len(points), len(ways)))


def spread_points(amounts: NDArray[np.floating], count: int) -> tuple[NDArray[np.intp], NDArray[np.float64]]:
    """Points on triangles, evenly by an amount for each: numbers of the triangles, and weights of their corners
    (count, 3, 1)."""
    places = (np.arange(count) + 0.5) / count * amounts.sum()
    chosen = np.minimum(np.searchsorted(np.cumsum(amounts), places), len(amounts) - 1)
    u, v = (np.arange(count) + 0.5) * PLASTIC % 1.0
    u, v = np.where(u + v > 1.0, (1.0 - u, 1.0 - v), (u, v))
    return chosen, np.stack([1.0 - u - v, u, v], axis=1)[..., None]


def _spread(mesh: Mesh) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Points (k, 3), evenly by area, and their unit normals (k, 3)."""
    corners = mesh.vertices[mesh.triangles].astype(np.float64)
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    chosen, weights = spread_points(area, POINTS)
    normals = (mesh.normals[mesh.triangles[chosen]] * weights).sum(axis=1)
    return (corners[chosen] * weights).sum(axis=1), normals / np.linalg.norm(normals, axis=1, keepdims=True)
