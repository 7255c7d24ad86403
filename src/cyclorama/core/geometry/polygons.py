"""Polygons as triangles, and which edges of the triangles are edges of the polygons and which only split them.

For each triangle three bits: bit e is set when the edge from corner e to the next lies inside a polygon.
"""

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray

from .mesh import face_normals
from .normals import weld
from .rows import runs

MOSTLY = 0.8
"""A mesh whose triangles follow each other in pairs to at least this share was split from quads."""
BENT_DEG = 30.0
"""The halves of a quad meet at a smaller angle."""
FLAT = 1e-9
"""A corner turns the wrong way when its sine, measured against the polygon's area, is below minus this."""
MANY = 64
"""Corners above which that measure shrinks with the cube of their number, as the turns of a round polygon do."""

Inner = NDArray[np.uint8]
Corners = NDArray[np.int64]


def triangulate(
    points: NDArray[np.floating], sizes: NDArray[np.integer], drawn: NDArray[np.bool_] | None = None
) -> tuple[Corners, NDArray[np.int64], Inner]:
    """Triangles of polygons whose corners (c, 3) stand one polygon after the other, `sizes` (p,) of them each.

    Returns the corners of each triangle (t, 3), its polygon (t,) and its inner edges as bits (t,). Polygons of less
    than three corners give none. `drawn` (c,): only these edges, from their corner to the next, are not inner. Convex
    polygons are fanned, hollow quads are split at their hollow corner, all other hollow ones by ear clipping in the
    plane of their area (a polygon that crosses itself is filled somehow).
    """
    starts = np.concatenate([[0], np.cumsum(sizes)])[:-1]
    pieces: list[tuple[Corners, NDArray[np.int64]]] = []
    for size in np.unique(sizes[sizes >= 3]):
        which = np.flatnonzero(sizes == size)
        index = starts[which][:, None] + np.arange(size)
        first = np.zeros(len(which), np.int64)
        if size > 3:
            hollow = _hollow_corners(points[index])
            crooked = hollow.any(axis=1)
            if size == 4:
                first = hollow.argmax(axis=1)
            else:
                pieces += [_clipped(points, index[i], which[i]) for i in np.flatnonzero(crooked)]
                index, which, first = index[~crooked], which[~crooked], first[~crooked]
        fan = np.stack([np.zeros(size - 2, np.int64), np.arange(1, size - 1), np.arange(2, size)], axis=1)
        turned = (fan[None] + first[:, None, None]) % size
        triangles = np.take_along_axis(index, turned.reshape(len(index), 3 * (size - 2)), axis=1).reshape(-1, 3)
        pieces.append((triangles, np.repeat(which, size - 2)))
    if not pieces:
        return np.zeros((0, 3), np.int64), np.zeros(0, np.int64), np.zeros(0, np.uint8)
    triangles, polygon = np.concatenate([p[0] for p in pieces]), np.concatenate([p[1] for p in pieces])
    order = np.argsort(polygon, kind="stable")
    triangles, polygon = triangles[order], polygon[order]
    return triangles, polygon, _inside(triangles, starts[polygon], np.asarray(sizes)[polygon], drawn)


def _hollow_corners(rings: NDArray[np.floating]) -> NDArray[np.bool_]:
    """Which corners of polygons (p, k, 3) turn against the rest."""
    rings = np.asarray(rings, np.float64)
    ahead, back = np.roll(rings, -1, axis=1) - rings, rings - np.roll(rings, 1, axis=1)
    local = rings - rings[:, :1]
    area = np.cross(local, np.roll(local, -1, axis=1)).sum(axis=1)  # Newell's normal
    turn = np.einsum("pki,pi->pk", np.cross(back, ahead), area)
    flat = FLAT * min(1.0, MANY / rings.shape[1]) ** 3
    return np.asarray(turn < -flat * np.einsum("pi,pi->p", area, area)[:, None])


def _clipped(points: NDArray[np.floating], ring: Corners, polygon: int) -> tuple[Corners, NDArray[np.int64]]:
    local = np.asarray(points[ring], np.float64) - points[ring[0]]
    normal = np.cross(local, np.roll(local, -1, axis=0)).sum(axis=0)
    drop = int(np.argmax(np.abs(normal)))
    flat = np.ascontiguousarray(np.delete(local, drop, axis=1))
    found = mapbox_earcut.triangulate_float64(flat, np.array([len(ring)], np.uint32)).astype(np.int64).reshape(-1, 3)
    a, b, c = local[found[:, 0]], local[found[:, 1]], local[found[:, 2]]
    against = np.cross(b - a, c - a) @ normal < 0
    found[against] = found[against][:, ::-1]
    return ring[found], np.full(len(found), polygon)


def _inside(
    triangles: Corners, start: NDArray[np.int64], size: NDArray[np.int64], wanted: NDArray[np.bool_] | None
) -> Inner:
    inner = np.zeros(len(triangles), np.uint8)
    place = triangles - start[:, None]
    for e in range(3):
        a, b = place[:, e], place[:, (e + 1) % 3]
        ahead, back = (a + 1) % size == b, (b + 1) % size == a
        drawn = ahead | back
        if wanted is not None:
            drawn &= wanted[start + np.where(ahead, a, b)]
        inner |= (~drawn).astype(np.uint8) << e
    return inner


def split_quads(
    vertices: NDArray[np.floating],
    triangles: NDArray[np.integer],
    part: NDArray[np.integer] | None = None,
    position: NDArray[np.integer] | None = None,
) -> Inner:
    """Bits (t,) for a mesh that came as triangles: quads split one after the other are put together again.

    Only in parts (t,) where most triangles come in such pairs (`MOSTLY`), or where the two halves lie in one plane.
    `position` (v,) says which vertices are at one place where that is known already.
    """
    inner = np.zeros(len(triangles), np.uint8)
    if len(triangles) < 2:
        return inner
    part = np.zeros(len(triangles), np.int64) if part is None else part
    position = weld(vertices)[0] if position is None else position
    even, shared = np.empty(len(triangles) - 1), np.empty(len(triangles) - 1, np.int8)
    for some in runs(len(even)):
        both = triangles[some.start : some.stop + 1]  # each with its next
        normal = face_normals(vertices, both)
        normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-30)
        even[some] = (normal[1:] * normal[:-1]).sum(axis=1)
        shared[some] = _shared_edges(vertices, both, part[some.start : some.stop + 1], position)
    pairs = _in_pairs((shared >= 0) & (even > np.cos(np.radians(BENT_DEG))))
    paired = np.bincount(part[:-1][pairs], minlength=int(part.max()) + 1)
    few = 2 * paired < MOSTLY * np.bincount(part)
    pairs = np.where(few[part[:-1]], _in_pairs((shared >= 0) & (even > 1 - 1e-6)), pairs)
    first = np.flatnonzero(pairs)
    inner[first] = 1 << (shared[first] // 3)
    inner[first + 1] = 1 << (shared[first] % 3)
    return inner


def _shared_edges(
    vertices: NDArray[np.floating],
    triangles: NDArray[np.integer],
    part: NDArray[np.integer],
    position: NDArray[np.integer],
) -> NDArray[np.int8]:
    """For each triangle and the next (t − 1,), 3·e + f where edge e of the one is edge f of the other and both make
    a convex quad; −1 where there is none."""
    place = position[triangles]
    alike = part[:-1] == part[1:]
    shared = np.full(len(triangles) - 1, -1, np.int8)
    for e in range(3):
        for f in range(3):
            same = (place[:-1, e] == place[1:, (f + 1) % 3]) & (place[:-1, (e + 1) % 3] == place[1:, f])
            which = np.flatnonzero(same & alike)
            shared[which[_convex(vertices, triangles[which], triangles[which + 1], e, f)]] = 3 * e + f
    return shared


def _in_pairs(follows: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Of a run of triangles that each share an edge with the next, the first of every two."""
    at = np.arange(len(follows))
    start = np.maximum.accumulate(np.where(follows & ~np.concatenate([[False], follows[:-1]]), at, 0))
    return np.asarray(follows & ((at - start) % 2 == 0))


def _convex(
    vertices: NDArray[np.floating], one: NDArray[np.integer], two: NDArray[np.integer], e: int, f: int
) -> NDArray[np.bool_]:
    """True when pairs of triangles make a convex quad across edge e of the one and f of the other."""
    a, b = vertices[one[:, e]], vertices[one[:, (e + 1) % 3]]
    apex, other = vertices[one[:, (e + 2) % 3]], vertices[two[:, (f + 2) % 3]]
    normal = np.cross(b - a, apex - a)
    sides = [np.einsum("ij,ij->i", normal, np.cross(end - other, apex - other)) for end in (a, b)]
    return np.asarray((sides[0] < 0) & (sides[1] > 0))
