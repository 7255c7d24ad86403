"""Smooth normals by crease angle, for files that bring none."""

import numpy as np
from numpy.typing import NDArray

from ..kernel import kernel
from .mesh import face_normals, unit_rows
from .rows import I32, distinct_rows, first_of, place_bits


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
    corner_position = position[triangles.ravel()]
    order = np.argsort(corner_position, kind="stable")
    starts = np.searchsorted(corner_position[order], np.arange(count + 1))
    result = np.zeros((len(corner_position), 3))
    unit = unit_rows(flat).astype(np.float64)
    _sum_around(flat, unit, order // 3, starts, order, np.cos(np.radians(crease_deg)), result)
    return unit_rows(result).reshape(-1, 3, 3)


@kernel
def _sum_around(flat, unit, face_of, starts, order, cos_crease, result):  # type: ignore[no-untyped-def]
    """For each corner, the sum of the faces at its position that meet its own at less than the crease angle."""
    for p in range(starts.shape[0] - 1):
        for i in range(starts[p], starts[p + 1]):
            mine, out = face_of[i], order[i]
            for j in range(starts[p], starts[p + 1]):
                other = face_of[j]
                cosine = (
                    unit[mine, 0] * unit[other, 0] + unit[mine, 1] * unit[other, 1] + unit[mine, 2] * unit[other, 2]
                )
                if cosine >= cos_crease:
                    for c in range(3):
                        result[out, c] += flat[other, c]


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
    rows = np.column_stack([corner, np.round(normals * 1e4).astype(np.int32)])
    index, count = distinct_rows(rows)
    first = first_of(index, count)
    order = np.lexsort(rows[first].T[::-1])
    rank = np.empty(count, np.int32)
    rank[order] = np.arange(count, dtype=np.int32)
    first = first[order]
    return normals[first], rank[index].reshape(-1, 3), corner[first].astype(np.intp)
