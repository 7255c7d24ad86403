"""Transparent bodies of a model that lie in one another: which of them fills the place where they overlap, and those
that stop just short of one another.

What is told here is a guess from volumes. A body that lies in another's solid (ice in a drink) comes before it; of two
that only reach into each other, the one around comes first (a glass before its drink).
"""

from dataclasses import dataclass, replace
from itertools import permutations
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..arrays import Points
from .mesh import Mesh, face_normals
from .normals import weld

Corners = NDArray[np.float64]
"""(t, 3, 3) of triangles"""
MOST_BODIES, MOST_TRIANGLES = 12, 400_000
"""More are not looked at: comparing them would take longer than the whole intake."""
POINTS, TRIES = 160, 4000
"""Number of places in a body that decide where it lies, and of places in its box that are tried for them."""
NEAR = 0.02
"""Bodies are neighbours where they are nearer than this share of the outer one's size."""
ALONG = 0.3
"""They stand along each other where so much of the inner one is near."""
TOUCHING = 1e-4
"""Surfaces lie on each other where they are nearer than this share of the outer one's size."""
FLAT, FARTHEST = 1e-3, 3.0
"""Faces that stand by less to each other are one; a vertex goes so many times as far as its faces at most."""
REACHING = 0.02
"""A body reaches into another when so much of its surface lies in that."""


@dataclass(frozen=True, slots=True)
class Nested:
    """One body in another."""

    outer: int
    """part"""
    inner: int
    kind: Literal["inside", "overlaps", "apart"]
    """the inner one lies in the solid of the outer, reaches into it, or stops short of it"""
    gap: float = 0.0
    """units of the file between both, where they are apart"""


def nested_bodies(mesh: Mesh, clear: NDArray[np.bool_]) -> list[Nested]:
    """Bodies in one another among the parts of a mesh that are transparent (p,)."""
    if clear.sum() < 2:
        return []
    corners = {int(part): _corners(mesh, int(part)) for part in np.flatnonzero(clear)}
    corners = {part: c for part, c in corners.items() if len(c) and _is_closed(c)}
    if not 2 <= len(corners) <= MOST_BODIES or sum(map(len, corners.values())) > MOST_TRIANGLES:
        return []
    inside = {part: _places_in(c) for part, c in corners.items()}
    found = []
    for outer, inner in permutations(corners, 2):
        if not _within_box(corners[inner], corners[outer]) or not len(inside[inner]):
            continue
        below = TOUCHING * float(np.ptp(corners[outer].reshape(-1, 3), axis=0).max())
        if _are_in(corners[outer], inside[inner]).mean() > 0.5:
            found.append(Nested(outer, inner, "inside"))
        elif _are_in(corners[outer], _spread_over(corners[inner], below)).mean() > REACHING:
            found.append(Nested(outer, inner, "overlaps"))
        elif (gap := _gap(corners[outer], corners[inner])) is not None:
            found.append(Nested(outer, inner, "apart", gap))
    return found


def priorities(found: list[Nested], parts: int) -> NDArray[np.int64]:
    """Lowest priorities (p,) of so many parts that put each body in its place.

    A body inside another has the higher priority. Of two that overlap or stand apart, the outer one has.
    """
    level = np.zeros(parts, np.int64)
    before = [(n.inner, n.outer) if n.kind == "inside" else (n.outer, n.inner) for n in found]
    for _ in range(len(before)):  # longer chains than there are pairs would go round in a ring
        for high, low in before:
            level[high] = max(level[high], level[low] + 1)
    return level if level.max(initial=0) <= len(before) else np.zeros(parts, np.int64)


def grow(mesh: Mesh, part: int, by: float) -> Mesh:
    """The mesh with all faces of one part moved outwards, units of the file.

    A vertex goes where the faces round it do: to the place nearest to all their planes, in the sense of least squares.
    """
    own = mesh.triangles[mesh.part == part]
    group, count = weld(mesh.vertices)
    faces = face_normals(mesh.vertices, own)
    area = np.maximum(np.linalg.norm(faces, axis=1), 1e-300)
    normals = faces / area[:, None]
    planes, wanted = np.zeros((count, 3, 3)), np.zeros((count, 3))
    for corner in group[own].T:
        np.add.at(planes, corner, area[:, None, None] * normals[:, :, None] * normals[:, None, :])
        np.add.at(wanted, corner, faces)
    used = np.unique(own)
    held = planes[group[used]]
    steady = FLAT * np.trace(held, axis1=1, axis2=2)[:, None, None] * np.eye(3)  # along a face nothing moves
    moved = np.linalg.solve(held + steady, wanted[group[used]][..., None])[..., 0]
    moved /= np.maximum(np.linalg.norm(moved, axis=1, keepdims=True) / FARTHEST, 1.0)
    vertices = mesh.vertices.copy()
    vertices[used] += (by * moved).astype(np.float32)
    return replace(mesh, vertices=vertices)


def _corners(mesh: Mesh, part: int) -> Corners:
    return mesh.vertices.astype(np.float64)[mesh.triangles[mesh.part == part]]


def _is_closed(corners: Corners) -> bool:
    """True when the areas of all faces add up to nothing, as they do round a body."""
    faces = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    total = float(np.linalg.norm(faces, axis=1).sum())
    return total > 0.0 and float(np.linalg.norm(faces.sum(axis=0))) < 1e-3 * total


def _within_box(inner: Corners, outer: Corners) -> bool:
    low, high = outer.min(axis=(0, 1)), outer.max(axis=(0, 1))
    room = NEAR * float((high - low).max())
    return bool((inner.min(axis=(0, 1)) >= low - room).all() and (inner.max(axis=(0, 1)) <= high + room).all())


def _places_in(corners: Corners) -> Points:
    """Places spread evenly in a body; always the same."""
    low, high = corners.min(axis=(0, 1)), corners.max(axis=(0, 1))
    found: list[Points] = []
    rng = np.random.default_rng(1)
    tries = max(POINTS, min(TRIES, 40_000_000 // len(corners)))
    places = low + rng.random((tries, 3)) * (high - low)
    for some in np.array_split(places, max(1, tries * len(corners) // 4_000_000)):
        found.append(some[_are_in(corners, some)])
    return np.concatenate(found)[:POINTS]


def _are_in(corners: Corners, places: Points) -> NDArray[np.bool_]:
    """True for places (n,) inside a body: a ray upwards leaves the body once more often than it enters."""
    found = np.zeros(len(places), bool)
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    ux, uz, vx, vz = b[:, 0] - a[:, 0], b[:, 2] - a[:, 2], c[:, 0] - a[:, 0], c[:, 2] - a[:, 2]
    area = ux * vz - uz * vx
    flat = np.abs(area) > 0.0
    safe = np.where(flat, area, 1.0)
    for i, (x, y, z) in enumerate(places):
        px, pz = x - a[:, 0], z - a[:, 2]
        s, t = (px * vz - pz * vx) / safe, (ux * pz - uz * px) / safe
        height = a[:, 1] + s * (b[:, 1] - a[:, 1]) + t * (c[:, 1] - a[:, 1])
        above = flat & (s >= 0.0) & (t >= 0.0) & (s + t < 1.0) & (height > y)
        found[i] = np.sign(area[above]).sum() < -0.5
    return found


def _gap(outer: Corners, inner: Corners) -> float | None:
    """Distance between two surfaces that stand along each other, None where they do not."""
    reach = NEAR * float(np.ptp(outer.reshape(-1, 3), axis=0).max())
    low, high = outer.min(axis=1) - reach, outer.max(axis=1) + reach
    away = []
    for place in _spread_over(inner):
        near = outer[(place >= low).all(axis=1) & (place <= high).all(axis=1)]
        away.append(_distance(near, place) if len(near) else np.inf)
    close = np.array([d for d in away if d < reach])
    return float(np.median(close)) if len(close) >= ALONG * len(away) else None


def _spread_over(corners: Corners, below: float = 0.0) -> Points:
    """Places on a surface or so far below it, as many under each piece of it as it is large; always the same."""
    rng = np.random.default_rng(2)
    faces = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = np.linalg.norm(faces, axis=1)
    number = rng.choice(len(corners), POINTS, p=area / area.sum())
    chosen = corners[number] - below * (faces[number] / area[number, None])[:, None]
    u, v = rng.random((2, POINTS, 1))
    u, v = np.where(u + v > 1.0, 1.0 - u, u), np.where(u + v > 1.0, 1.0 - v, v)
    return np.asarray(chosen[:, 0] + u * (chosen[:, 1] - chosen[:, 0]) + v * (chosen[:, 2] - chosen[:, 0]))


def _distance(corners: Corners, place: NDArray[np.float64]) -> float:
    """Distance of a place from the nearest of some triangles: from its face where it stands above it, else from its
    edges."""
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.maximum(np.linalg.norm(normal, axis=1), 1e-300)
    above = np.ones(len(corners), bool)
    nearest = np.full(len(corners), np.inf)
    for k in range(3):
        start, along = corners[:, k], corners[:, (k + 1) % 3] - corners[:, k]
        to = place - start
        share = np.clip((to * along).sum(axis=1) / np.maximum((along**2).sum(axis=1), 1e-300), 0.0, 1.0)
        nearest = np.minimum(nearest, np.linalg.norm(to - share[:, None] * along, axis=1))
        above &= (np.cross(along, to) * normal).sum(axis=1) >= 0.0
    height = np.abs(((place - corners[:, 0]) * normal).sum(axis=1)) / length
    return float(np.where(above, height, nearest).min())
