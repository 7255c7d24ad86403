"""Heavy meshes made lighter by what cannot be seen: as few triangles as stay within a distance of the surface."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from .edge_collapse import add_planes, cheapest, corners_at, scratch_room, take_out
from .mesh import Mesh, face_normals
from .normals import weld
from .rows import I32

SLIP = 4.0
"""How many tolerances a texture may slip along the surface: what slides shows less than an outline that moves."""
LEAN = 0.1
"""By how much shading normals may differ (rad)."""
TINT = 0.04
"""By how much vertex colours may differ, as shown on a display, of 1."""
_ENOUGH = 0.003
"""A pass that takes out less than this share of what is left is the last one."""


def reduce_mesh(
    mesh: Mesh, tolerance: float, owner: NDArray[np.integer], keep: NDArray[np.bool_]
) -> tuple[Mesh, NDArray[np.intp]]:
    """The mesh with as few triangles as stay within `tolerance` (units of the mesh), and which vertices it kept (n,).

    Every vertex of the mesh lies within the tolerance of the new surface, and there its texture slips by at most
    `SLIP` tolerances, its normal leans by `LEAN` and its colour differs by `TINT`. What is kept stays where it is.
    owner: (v,) the part of each vertex; keep: (t,) triangles that must stay as they are.
    """
    place, count = weld(mesh.vertices, owner.astype(np.int32))
    points = mesh.vertices.astype(np.float64) - mesh.vertices.mean(axis=0, dtype=np.float64)
    triangles = mesh.triangles.copy()
    values = _values(mesh, tolerance)
    quadrics = np.zeros((count, 10))
    add_planes(points, place, triangles, quadrics)
    refused = np.zeros(count, bool)
    refused[place[triangles[keep]]] = True
    stays = refused.copy()
    head, following = np.full(len(triangles), -1, np.int32), np.full(len(points), -1, np.int32)
    starts, around = np.zeros(count + 1, np.int64), np.empty(3 * len(triangles), np.int32)
    cost, touched, scratch = np.empty(count), np.empty(count, bool), scratch_room()
    while True:
        corners_at(place, triangles, starts, around)
        refused |= stays
        cheapest(points, place, triangles, starts, around, quadrics, refused, cost)
        which = np.flatnonzero(np.isfinite(cost))
        order = which[np.argsort(cost[which], kind="stable")]
        done = take_out(points, values, place, triangles, starts, around, order, quadrics, refused, head, following,
                        tolerance, touched, scratch)  # fmt: skip
        if done <= _ENOUGH * int((np.diff(starts) > 0).sum()):
            return _left(mesh, triangles)


def _left(mesh: Mesh, triangles: I32) -> tuple[Mesh, NDArray[np.intp]]:
    """The mesh of the triangles that are not gone, without the vertices that nothing uses any more."""
    stands = triangles[:, 0] >= 0
    left = replace(mesh, triangles=triangles[stands], part=mesh.part[stands], inner=np.zeros(0, np.uint8))
    return left.compacted()


def _values(mesh: Mesh, tolerance: float) -> NDArray[np.float32]:
    """Attributes of each vertex (v, k), in units of their tolerance."""
    columns = [mesh.normals / LEAN]
    for uvs in (mesh.uvs, mesh.more_uvs):
        if len(uvs):
            columns.append(uvs * (_metres_per_unit(mesh, uvs) / (SLIP * tolerance))[:, None])
    if len(mesh.colours):
        columns.append(np.sqrt(mesh.colours) / TINT)
    return np.concatenate(columns, axis=1, dtype=np.float32)


def _metres_per_unit(mesh: Mesh, uvs: NDArray[np.float32]) -> NDArray[np.float64]:
    """Length of one unit of texture coordinates on the surface at each vertex (v,), as a mean over its part."""
    a, b, c = (uvs[mesh.triangles[:, k]].astype(np.float64) for k in range(3))
    flat = np.abs((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]))
    area = np.linalg.norm(face_normals(mesh.vertices, mesh.triangles), axis=1)
    parts = int(mesh.part.max()) + 1
    on_map, on_surface = np.bincount(mesh.part, flat, parts), np.bincount(mesh.part, area, parts)
    scale = np.sqrt(np.divide(on_surface, on_map, out=np.zeros(parts), where=on_map > 1e-12))
    part = np.zeros(len(uvs), np.int64)
    part[mesh.triangles] = mesh.part[:, None]
    return scale[part]
