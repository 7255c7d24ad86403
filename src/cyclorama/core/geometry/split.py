"""Parts of a model taken apart: into pieces that do not touch, or what of one is seen inside a line."""

import numpy as np
import scipy
from numpy.typing import NDArray

from .mesh import Mesh, face_normals
from .normals import weld

I32 = NDArray[np.int32]
MOST_PIECES = 64
"""The largest pieces become parts of their own; what is left stays together with the first."""


def pieces_of(mesh: Mesh, part: int) -> I32:
    """For each triangle of a part, in their order, which of its pieces it belongs to: 0 the largest (and all beyond
    `MOST_PIECES`), 1 the next; pieces share no corner in space."""
    triangles = mesh.triangles[mesh.part == part]
    used, corners = np.unique(triangles, return_inverse=True)
    place, count = weld(mesh.vertices[used])
    a, b, c = place[corners.reshape(-1, 3)].T
    edges = np.concatenate([a, b]), np.concatenate([b, c])
    graph = scipy.sparse.coo_array((np.ones(len(edges[0]), np.int8), edges), (count, count))
    _, label = scipy.sparse.csgraph.connected_components(graph, directed=False)
    mine = label[a]
    sizes = np.bincount(mine)
    rank = np.empty(len(sizes), np.int32)
    rank[np.argsort(-sizes, kind="stable")] = np.arange(len(sizes))
    rank[rank >= MOST_PIECES] = 0
    return rank[mine]


def seen_inside(
    mesh: Mesh, part: int, places: NDArray[np.float64], eye: NDArray[np.float64], line: NDArray[np.float64]
) -> I32:
    """For each triangle of a part, in their order, 1 where it faces the eye and its middle lies inside a closed line.

    places: (v, 2) where the mesh's vertices are in the picture, NaN behind the camera; eye: (3,) in the mesh's own
    space; line: (n, 2) in the picture.
    """
    triangles = mesh.triangles[mesh.part == part]
    middle = mesh.vertices[triangles].mean(axis=1, dtype=np.float64)
    faces = (face_normals(mesh.vertices, triangles) * (eye - middle)).sum(axis=1) > 0
    x, y = places[triangles].mean(axis=1).T
    inside = np.zeros(len(triangles), bool)
    for (x0, y0), (x1, y1) in zip(line, np.roll(line, -1, axis=0), strict=True):
        with np.errstate(invalid="ignore", divide="ignore"):
            inside ^= ((y0 > y) != (y1 > y)) & (x < (x1 - x0) * (y - y0) / (y1 - y0) + x0)
    return (inside & faces).astype(np.int32)


def split(mesh: Mesh, part: int, label: I32, parts: int) -> Mesh:
    """The mesh in which the triangles of a part that are labelled k > 0 belong to a new part, `parts` + k − 1."""
    of = mesh.part.copy()
    mine = np.flatnonzero(of == part)
    of[mine[label > 0]] = parts - 1 + label[label > 0]
    order = np.argsort(of, kind="stable")
    inner = mesh.inner[order] if len(mesh.inner) else mesh.inner
    return Mesh(
        mesh.vertices, mesh.normals, mesh.uvs, mesh.triangles[order], of[order], inner, mesh.more_uvs, mesh.colours
    )
