"""Which edges of a mesh's triangles are edges of the polygons it was made of, and which only split them.

For each triangle three bits: bit e is set when the edge from corner e to the next lies inside a polygon.
"""

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from .mesh import face_normals
from .normals import weld

MOSTLY = 0.8
"""A mesh whose triangles follow each other in pairs to at least this share was split from quads."""
BENT_DEG = 30.0
"""The halves of a quad meet at a smaller angle."""

Inner = NDArray[np.uint8]
Outlines = NDArray[np.float64]


def outlines_of(vertices: NDArray[np.floating], polygons: Iterable[NDArray[np.integer]]) -> Outlines:
    """Start and end (e, 2, 3) of every edge of some polygons (each a list of vertex numbers)."""
    by_length: dict[int, list[NDArray[np.integer]]] = {}
    for polygon in polygons:
        by_length.setdefault(len(polygon), []).append(polygon)
    edges = [np.stack([p, np.roll(p, -1, axis=1)], axis=-1).reshape(-1, 2) for p in map(np.array, by_length.values())]
    pairs = np.concatenate(edges) if edges else np.zeros((0, 2), np.int64)
    sound = ((pairs >= 0) & (pairs < len(vertices))).all(axis=1)
    return np.asarray(vertices[pairs[sound]], np.float64)


def inside_outlines(vertices: NDArray[np.floating], triangles: NDArray[np.integer], outlines: Outlines) -> Inner:
    """Bits (t,) of the edges that are none of the outlines (positions alike to float32)."""
    ends = np.concatenate([vertices.astype(np.float32), outlines.reshape(-1, 3).astype(np.float32)])
    place, count = weld(ends)
    place = place.astype(np.int64)

    def keys(a: NDArray[np.int64], b: NDArray[np.int64]) -> NDArray[np.int64]:
        return np.minimum(a, b) * count + np.maximum(a, b)

    drawn = place[len(vertices) :].reshape(-1, 2)
    known = np.unique(keys(drawn[:, 0], drawn[:, 1]))
    inner = np.zeros(len(triangles), np.uint8)
    corners = place[triangles]
    for e in range(3):
        inner |= (~np.isin(keys(corners[:, e], corners[:, (e + 1) % 3]), known)).astype(np.uint8) << e
    return inner


def split_quads(vertices: NDArray[np.floating], triangles: NDArray[np.integer]) -> Inner:
    """Bits (t,) for a mesh that came as triangles: quads split one after the other are put together again.

    Only where most triangles come in such pairs (`MOSTLY`), or the two halves lie in one plane.
    """
    inner = np.zeros(len(triangles), np.uint8)
    if len(triangles) < 2:
        return inner
    normal = face_normals(vertices, triangles)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-30)
    even = (normal[1:] * normal[:-1]).sum(axis=1)
    place = weld(vertices)[0][triangles]
    shared = np.full(len(triangles) - 1, -1)
    for e in range(3):
        for f in range(3):
            same = (place[:-1, e] == place[1:, (f + 1) % 3]) & (place[:-1, (e + 1) % 3] == place[1:, f])
            same &= _convex(vertices, triangles, e, f)
            shared[same] = 3 * e + f
    pairs = _in_pairs((shared >= 0) & (even > np.cos(np.radians(BENT_DEG))))
    if 2 * pairs.sum() < MOSTLY * len(triangles):
        pairs = _in_pairs((shared >= 0) & (even > 1 - 1e-6))
    first = np.flatnonzero(pairs)
    inner[first] = 1 << (shared[first] // 3)
    inner[first + 1] = 1 << (shared[first] % 3)
    return inner


def _in_pairs(follows: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Of a run of triangles that each share an edge with the next, the first of every two."""
    at = np.arange(len(follows))
    start = np.maximum.accumulate(np.where(follows & ~np.concatenate([[False], follows[:-1]]), at, 0))
    return np.asarray(follows & ((at - start) % 2 == 0))


def _convex(vertices: NDArray[np.floating], triangles: NDArray[np.integer], e: int, f: int) -> NDArray[np.bool_]:
    """Whether each triangle and the next make a convex quad across edge e of the one and f of the other."""
    one, two = triangles[:-1], triangles[1:]
    a, b = vertices[one[:, e]], vertices[one[:, (e + 1) % 3]]
    apex, other = vertices[one[:, (e + 2) % 3]], vertices[two[:, (f + 2) % 3]]
    normal = np.cross(b - a, apex - a)
    sides = [np.einsum("ij,ij->i", normal, np.cross(end - other, apex - other)) for end in (a, b)]
    return np.asarray((sides[0] < 0) & (sides[1] > 0))
