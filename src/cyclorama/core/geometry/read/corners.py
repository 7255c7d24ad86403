"""From polygons whose corners refer to places, map places and normals apart to parts with one list of vertices."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..polygons import triangulate
from ..rows import distinct_rows, first_of
from .model import ModelPart


@dataclass(slots=True)
class Polygons:
    """Polygons end to end, as files of polygons have them."""

    corners: NDArray[np.integer]
    """(c, k) what each corner refers to: first the point, then whatever else must be alike for corners to be one"""
    sizes: NDArray[np.integer]
    """(p,) how many corners each has"""
    part: NDArray[np.integer]
    """(p,) which part each belongs to"""
    drawn: NDArray[np.bool_] | None = None
    """(c,) whether the edge from each corner to the next is one of the cage's; None: all are"""


def distinct_values(values: NDArray[np.floating]) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    """The distinct rows of values (c, w) to single precision, and which of them each was (c,)."""
    single = np.ascontiguousarray(values, np.float32)
    at, count = distinct_rows(single.view(np.int32))
    return single[first_of(at, count)], at.astype(np.int64)


def from_top(u: NDArray[np.floating], v: NDArray[np.floating]) -> NDArray[np.float32]:
    """Texture coordinates (n, 2) counted from the top left, of those that count v from the bottom."""
    return np.column_stack([u, 1.0 - v]).astype(np.float32)


def _in_order(
    polygons: Polygons,
) -> tuple[NDArray[np.integer], NDArray[np.integer], NDArray[np.integer], NDArray[np.bool_] | None]:
    """Corners, sizes, parts and drawn edges with the polygons of each part together."""
    if (polygons.part[1:] >= polygons.part[:-1]).all():
        return polygons.corners, polygons.sizes, polygons.part, polygons.drawn
    order = np.argsort(polygons.part, kind="stable")
    sizes = polygons.sizes[order]
    starts = (np.cumsum(polygons.sizes) - polygons.sizes)[order]
    # numbers of the corners in the new order of polygons
    first = np.cumsum(sizes) - sizes
    place = np.arange(int(sizes.sum())) + np.repeat(starts - first, sizes)
    drawn = None if polygons.drawn is None else polygons.drawn[place]
    return polygons.corners[place], sizes, polygons.part[order], drawn


def cut_apart(points: NDArray[np.float64], polygons: Polygons) -> list[tuple[int, NDArray[np.int64], ModelPart]]:
    """Each number in `polygons.part` that has a face, in order, with what its vertices (v, k) refer to and its mesh.

    Names, maps, normals and materials are left to the caller.
    """
    if not len(polygons.sizes):
        return []
    corners, sizes, part, drawn = _in_order(polygons)
    all_triangles = bool((sizes == 3).all())
    if all_triangles and drawn is None:
        used = corner = None  # every corner is one of a triangle, and stands where it is
        owner, inner = part, np.zeros(0, np.uint8)
    else:
        triangles, polygon, inner = triangulate(points[corners[:, 0]], sizes, drawn)
        owner = part[polygon] if len(polygon) else np.zeros(0, np.int64)
        used, corner = np.unique(triangles, return_inverse=True) if len(triangles) else (np.zeros(0, np.int64),) * 2
    rows = np.empty((len(corners) if used is None else len(used), corners.shape[1] + 1), np.int32)
    rows[:, :-1] = corners if used is None else corners[used]
    rows[:, -1] = np.repeat(part, sizes) if used is None else np.repeat(part, sizes)[used]
    differs = [k for k in range(rows.shape[1]) if k == 0 or (len(rows) and np.ptp(rows[:, k]))]
    index, count = distinct_rows(rows if len(differs) == rows.shape[1] else rows[:, differs])
    vertex = rows[first_of(index, count)][:, :-1].astype(np.int64)
    faces = (index if corner is None else index[corner]).reshape(-1, 3)
    found = []
    numbers, begins = np.unique(owner, return_index=True)
    ends = np.append(begins[1:], len(owner))
    for number, begin, end in zip(numbers, begins, ends, strict=True):
        mine = faces[begin:end]
        low, high = int(mine.min()), int(mine.max()) + 1  # parts share no vertex and come one after the other
        rows = vertex[low:high]
        piece = ModelPart("", points[rows[:, 0]], mine - low, inner=None if all_triangles else inner[begin:end])
        found.append((int(number), rows, piece))
    return found
