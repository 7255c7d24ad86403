"""Hard edges of a mesh, and which triangles lie within reach of them: what rounding at render time needs."""

import numpy as np
from numpy.typing import NDArray

from ..kernel import kernel
from .mesh import face_normals
from .normals import weld

HARD_DEG = 20.0
"""Faces that meet at a smaller angle are taken as one curved face."""
MOST_PAIRS = 4_000_000_000
"""Beyond this many edge–triangle pairs only the triangles at the edge itself are rounded."""


def hard_segments(vertices: NDArray[np.float32], triangles: NDArray[np.int32]) -> NDArray[np.float32]:
    """Ends (e, 2, 3) of all hard edges of a mesh."""
    none = np.full(len(triangles), np.float32(1e-9))
    return hard_edges(vertices, triangles, none)[2][:, :6].reshape(-1, 2, 3)


def hard_edges(
    vertices: NDArray[np.float32], triangles: NDArray[np.int32], radius: NDArray[np.float32]
) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.float32]]:
    """Edges near each triangle, for triangles whose `radius` (t,) m is above zero.

    Returns first (t + 1,), index (n,), edge (e, 12): start, end and the normals of both faces.
    """
    wanted = np.flatnonzero(radius > 0)
    normals = face_normals(vertices, triangles[wanted])
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-30)
    # the same place is the same corner, whatever normals and maps do there
    used = triangles[wanted].ravel()
    place = weld(vertices[used])[0].reshape(-1, 3)
    sides = np.concatenate([place[:, [0, 1]], place[:, [1, 2]], place[:, [2, 0]]])
    owner = np.tile(np.arange(len(wanted)), 3)
    key = np.sort(sides, axis=1)
    order = np.lexsort((key[:, 1], key[:, 0]))
    same = (key[order][1:] == key[order][:-1]).all(axis=1)
    first, second = order[:-1][same], order[1:][same]
    cosine = (normals[owner[first]] * normals[owner[second]]).sum(axis=1)
    hard = cosine < np.cos(np.radians(HARD_DEG))
    first, second = first[hard], second[hard]
    corner_of = np.empty(int(place.max(initial=-1)) + 1, np.int64)
    corner_of[place.ravel()] = used
    edge = np.concatenate(
        [
            vertices[corner_of[sides[first, 0]]],
            vertices[corner_of[sides[first, 1]]],
            normals[owner[first]],
            normals[owner[second]],
        ],
        axis=1,
    ).astype(np.float32)
    cosine = np.clip(cosine[hard], -0.9, 1)
    reach = (
        np.maximum(radius[wanted[owner[first]]], radius[wanted[owner[second]]]) * np.sqrt((1 - cosine) / (1 + cosine))
    ).astype(np.float32)
    box = np.concatenate([vertices[triangles].min(axis=1), vertices[triangles].max(axis=1)], axis=1)
    if len(edge) * len(wanted) > MOST_PAIRS:
        pairs = np.unique(
            np.stack([np.concatenate([owner[first], owner[second]]), np.tile(np.arange(len(edge)), 2)], axis=1), axis=0
        )
        counts = np.bincount(wanted[pairs[:, 0]], minlength=len(triangles))
        starts = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
        return starts, pairs[:, 1].astype(np.int32), edge
    counts = np.zeros(len(triangles), np.int64)
    _near(box, wanted, edge, reach, counts, np.zeros(1, np.int64), np.zeros(0, np.int32), False)
    starts = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
    index = np.zeros(int(starts[-1]), np.int32)
    _near(box, wanted, edge, reach, np.zeros_like(counts), starts, index, True)
    return starts, index, edge


@kernel
def _near(box, wanted, edge, reach, counts, starts, index, fill):  # type: ignore[no-untyped-def]
    """Count, or list, the edges whose box reaches each wanted triangle's box."""
    for w in range(wanted.shape[0]):
        t = wanted[w]
        for e in range(edge.shape[0]):
            r = reach[e]
            near = True
            for c in range(3):
                low, high = min(edge[e, c], edge[e, 3 + c]) - r, max(edge[e, c], edge[e, 3 + c]) + r
                if high < box[t, c] or low > box[t, 3 + c]:
                    near = False
                    break
            if near:
                if fill:
                    index[starts[t] + counts[t]] = e
                counts[t] += 1


def curvature(vertices: NDArray[np.float32], triangles: NDArray[np.int32]) -> NDArray[np.float32]:
    """Mean curvature (v,) at vertices, 1/m: positive where the surface bulges, as on a ball of radius 1/H.

    From how far neighbours lie below the plane through a vertex: 2 n·(p − q) / |p − q|² is the curvature along an edge
    (Taubin, "Estimating the Tensor of Curvature of a Surface from a Polyhedral Approximation", 1995).
    """
    place, count = weld(vertices)
    a, b, c = place[triangles].T
    start, end = np.concatenate([a, b, c, b, c, a]), np.concatenate([b, c, a, a, b, c])
    points = np.zeros((count, 3))
    points[place] = vertices
    normals = np.zeros((count, 3))
    faces = face_normals(vertices, triangles).astype(np.float64)
    for corner in (a, b, c):
        np.add.at(normals, corner, faces)
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-30)
    along = points[end] - points[start]
    bend = -2.0 * (normals[start] * along).sum(axis=1) / np.maximum((along**2).sum(axis=1), 1e-24)
    total = np.bincount(start, bend, count) / np.maximum(np.bincount(start, minlength=count), 1)
    return np.asarray(total[place], np.float32)
