"""Smooth normals by crease angle, for files that bring none."""

import math

import numpy as np
from numpy.typing import NDArray

from ..kernel import kernel
from .mesh import face_normals
from .rows import I32, distinct_rows, place_bits

STEPS = np.float32(1e4)
"""Normals of a vertex are told apart in so many steps of each part."""


def weld(vertices: NDArray[np.floating], owner: I32 | None = None) -> tuple[I32, int]:
    """For each vertex (n, 3), which distinct position it has, and how many distinct positions there are.

    owner: (n,) vertices of different owners are never the same.
    """
    bits = place_bits(vertices)
    return distinct_rows(bits if owner is None else np.column_stack([bits, owner]))


def smooth_normals(
    vertices: NDArray[np.floating],
    triangles: NDArray[np.integer],
    crease_deg: float = 35.0,
    position: I32 | None = None,
) -> NDArray[np.float32]:
    """A normal for each triangle corner (t, 3, 3), area-weighted over the faces around the same position.

    Faces that meet at more than `crease_deg` keep a hard edge. Vertices are welded by position, so seams in
    texture coordinates do not show; `position` (n,) says which are welded where that is known already.
    """
    flat = face_normals(vertices, triangles)
    position = weld(vertices)[0] if position is None else position
    count = int(position.max(initial=-1)) + 1
    starts, around = _corners_at(position[triangles.ravel()], count)
    length = np.linalg.norm(flat, axis=1)
    result = np.empty((3 * len(triangles), 3), np.float32)
    _sum_around(flat, length, starts, around, np.cos(np.radians(crease_deg)), result)
    return result.reshape(-1, 3, 3)


def _corners_at(owner: I32, count: int) -> tuple[NDArray[np.int64], I32]:
    """Where the corners of each owner begin (count + 1,) in a list of all corners (c,), in their order."""
    starts, around = np.zeros(count + 1, np.int64), np.empty(len(owner), np.int32)
    _sort_by_owner(owner, starts, around)
    return starts, around


@kernel
def _sort_by_owner(owner, starts, around):  # type: ignore[no-untyped-def]
    for i in range(owner.shape[0]):
        starts[owner[i] + 1] += 1
    for n in range(starts.shape[0] - 1):
        starts[n + 1] += starts[n]
    for i in range(owner.shape[0] - 1, -1, -1):  # from the end: what was each one's end becomes its beginning
        starts[owner[i] + 1] -= 1
        around[starts[owner[i] + 1]] = i
    for n in range(starts.shape[0] - 1):
        starts[n] = starts[n + 1]
    starts[starts.shape[0] - 1] = owner.shape[0]


@kernel
def _sum_around(flat, length, starts, around, cos_crease, result):  # type: ignore[no-untyped-def]
    """For each corner, the direction of the sum of the faces at its position that meet its own at less than the crease
    angle.

    Two faces that lean less than half of it from the sum of all never meet at more. They come first in `around` after
    this, and their own sum is taken once: thousands of faces at one vertex take a time linear in their number.
    """
    cos_half = math.sqrt(max(0.0, (1.0 + cos_crease) / 2.0)) + 1e-6
    for p in range(starts.shape[0] - 1):
        first, end = starts[p], starts[p + 1]
        whole = _sum_of(flat, around, first, end)
        near = _nearest_first(flat, length, around, first, end, whole, cos_half)
        core = whole if near == end else _sum_of(flat, around, first, near)
        for i in range(first, end):
            out = around[i]
            mine = out // 3
            known = i < near
            x, y, z = core if known else (0.0, 0.0, 0.0)
            for j in range(near if known else first, end):
                other = around[j] // 3
                along = flat[mine, 0] * flat[other, 0] + flat[mine, 1] * flat[other, 1] + flat[mine, 2] * flat[other, 2]
                if along >= cos_crease * length[mine] * length[other]:
                    x, y, z = x + flat[other, 0], y + flat[other, 1], z + flat[other, 2]
            size = math.sqrt(x * x + y * y + z * z)
            sound = size > 0.0
            result[out, 0], result[out, 1], result[out, 2] = (
                (x / size, y / size, z / size) if sound else (0.0, 1.0, 0.0)
            )


@kernel
def _sum_of(flat, around, first, end):  # type: ignore[no-untyped-def]
    x, y, z = 0.0, 0.0, 0.0
    for j in range(first, end):
        face = around[j] // 3
        x, y, z = x + flat[face, 0], y + flat[face, 1], z + flat[face, 2]
    return x, y, z


@kernel
def _nearest_first(flat, length, around, first, end, whole, cos_half):  # type: ignore[no-untyped-def]
    """Puts the corners first whose faces lean less than half the crease angle from a direction; returns their end."""
    x, y, z = whole
    size = math.sqrt(x * x + y * y + z * z)
    near = first
    for j in range(first, end):
        face = around[j] // 3
        if flat[face, 0] * x + flat[face, 1] * y + flat[face, 2] * z >= cos_half * length[face] * size:
            around[near], around[j] = around[j], around[near]
            near += 1
    return near


def with_smooth_normals(
    vertices: NDArray[np.floating],
    triangles: NDArray[np.integer],
    crease_deg: float = 35.0,
    position: I32 | None = None,
) -> tuple[NDArray[np.float32], NDArray[np.int32], NDArray[np.intp]]:
    """Normals (n, 3), triangles (t, 3) and which of the vertices (n,) each was: they are split along creases.

    Those of one vertex stand side by side, in the order of the vertices.
    """
    normals = smooth_normals(vertices, triangles, crease_deg, position).reshape(-1, 3)
    corner = np.ascontiguousarray(triangles, np.int32).ravel()
    starts, around = _corners_at(corner, len(vertices))
    index, first = np.empty(len(corner), np.int32), np.empty(len(corner), np.int32)
    count = int(_split(normals, starts, around, index, first))
    first = first[:count]
    return normals[first], index.reshape(-1, 3), corner[first].astype(np.intp)


@kernel
def _order(normals, a, b):  # type: ignore[no-untyped-def]
    """Below, at or above 0 as corner a's normal comes before, with or after b's, in steps of `STEPS`."""
    for k in range(3):
        x, y = np.rint(normals[a, k] * STEPS), np.rint(normals[b, k] * STEPS)
        if x != y:
            return -1 if x < y else 1
    return 0


@kernel
def _find(normals, first, begin, end, c):  # type: ignore[no-untyped-def]
    """Where a corner's normal stands, or would, among the ordered ones of its vertex."""
    while begin < end:
        middle = (begin + end) // 2
        if _order(normals, first[middle], c) < 0:
            begin = middle + 1
        else:
            end = middle
    return begin


@kernel
def _split(normals, starts, around, index, first):  # type: ignore[no-untyped-def]
    """Number (c,) the distinct normals of each vertex, in order; `first` is a corner with each. How many."""
    count = 0
    for v in range(starts.shape[0] - 1):
        begin = count
        for i in range(starts[v], starts[v + 1]):
            at = _find(normals, first, begin, count, around[i])
            if at == count or _order(normals, first[at], around[i]) != 0:
                for k in range(count, at, -1):
                    first[k] = first[k - 1]
                first[at] = around[i]
                count += 1
        for i in range(starts[v], starts[v + 1]):
            index[around[i]] = _find(normals, first, begin, count, around[i])
    return count
