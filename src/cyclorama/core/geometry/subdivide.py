"""Catmull–Clark subdivision of polygons, with creases and boundaries.

Catmull and Clark, "Recursively generated B-spline surfaces on arbitrary topological meshes", 1978; creases as DeRose,
Kass and Truong, "Subdivision Surfaces in Character Animation", 1998: sharpness falls by one a level, what lies between
0 and 1 is blended.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from .rows import distinct_rows, first_of

BOUNDARY = 100.0
"""Sharpness of an edge with one face, or more than two: it stays sharp however often it is divided."""
MOST_LEVELS = 7


@dataclass(frozen=True, slots=True)
class Cage:
    """Polygons end to end, with what belongs to their corners."""

    points: NDArray[np.float64]
    """(n, 3)"""
    index: NDArray[np.int64]
    """(c,) point of each corner"""
    sizes: NDArray[np.int64]
    """(p,)"""
    values: NDArray[np.float64]
    """(c, w) anything that goes straight over faces, as texture coordinates do"""
    drawn: NDArray[np.bool_]
    """(c,) whether the edge from each corner to the next is one of the cage's"""
    sharp_edges: NDArray[np.int64]
    """(s, 2) points"""
    sharpness: NDArray[np.float64]
    """(s,)"""

    def divided(self) -> tuple["Cage", float]:
        """Once finer: a quad for each corner, (corner, next edge, middle, edge before); and how far a point or the
        middle of an edge moved at most."""
        return _divide(self)

    def until(self, off: float, most_corners: int) -> tuple["Cage", int, float]:
        """As fine as it takes to lie within `off` of the surface it stands for, or as there is room; how often it was
        divided, and how far off it may still be.

        What moves falls to a quarter each time, as chords of a curve do: all that is to come is a third of it.
        """
        cage, levels, left = self, 0, np.inf
        while levels < MOST_LEVELS and 4 * len(cage.index) <= most_corners and left > off:
            finer, moved = cage.divided()
            if levels == 0 and moved <= off:
                return cage, 0, moved
            cage, levels, left = finer, levels + 1, moved / 3
        return cage, levels, left


def _divide(cage: Cage) -> tuple[Cage, float]:
    count, faces, corners = len(cage.points), len(cage.sizes), len(cage.index)
    face = np.repeat(np.arange(faces), cage.sizes)
    first = np.cumsum(cage.sizes) - cage.sizes
    place = np.arange(corners) - first[face]
    following = first[face] + (place + 1) % cage.sizes[face]
    before = first[face] + (place - 1) % cage.sizes[face]
    ends = np.sort(np.column_stack([cage.index, cage.index[following]]), axis=1)
    edge, edges = distinct_rows(ends.astype(np.int32))
    ends = ends[first_of(edge, edges)]
    share = 1.0 / cage.sizes[face]

    middle = np.zeros((faces, 3))
    np.add.at(middle, face, cage.points[cage.index] * share[:, None])
    sharpness = _sharpness(cage, ends, np.bincount(edge, minlength=edges))
    halfway = cage.points[ends].mean(axis=1)
    smooth = np.zeros((edges, 3))
    np.add.at(smooth, edge, middle[face] / 4)
    smooth += cage.points[ends].sum(axis=1) / 4
    sharp = np.clip(sharpness, 0, 1)[:, None]
    edge_points = np.where(sharp >= 1, halfway, smooth + sharp * (halfway - smooth))
    points = np.concatenate([_vertices(cage, ends, sharpness, halfway, middle, face), edge_points, middle])

    on_edge, in_middle = count + edge.astype(np.int64), count + edges + face
    index = np.column_stack([cage.index, on_edge, in_middle, on_edge[before]])
    mean = np.zeros((faces, cage.values.shape[1]))
    np.add.at(mean, face, cage.values * share[:, None])
    v = cage.values
    values = np.stack([v, (v + v[following]) / 2, mean[face], (v + v[before]) / 2], axis=1)
    inside = np.zeros(corners, bool)
    drawn = np.column_stack([cage.drawn, inside, inside, cage.drawn[before]])
    left = sharpness > 1
    left &= sharpness < BOUNDARY
    halves = np.concatenate([np.column_stack([ends[left][:, k], count + np.flatnonzero(left)]) for k in (0, 1)])
    finer = replace(
        cage,
        points=points,
        index=index.ravel(),
        sizes=np.full(corners, 4),
        values=values.reshape(4 * corners, v.shape[1]),
        drawn=drawn.ravel(),
        sharp_edges=halves,
        sharpness=np.tile(sharpness[left] - 1, 2),
    )
    moved = np.concatenate([edge_points - halfway, points[:count] - cage.points])
    return finer, float(np.linalg.norm(moved, axis=1).max(initial=0.0))


def _sharpness(cage: Cage, ends: NDArray[np.int64], used: NDArray[np.int64]) -> NDArray[np.float64]:
    """Sharpness of each edge (e,)."""
    sharpness = np.where(used == 2, 0.0, BOUNDARY)
    if len(cage.sharp_edges):
        known = np.sort(cage.sharp_edges, axis=1)
        index, count = distinct_rows(np.concatenate([ends, known]).astype(np.int32))
        table = np.zeros(count)
        np.maximum.at(table, index[len(ends) :], cage.sharpness)
        sharpness = np.maximum(sharpness, table[index[: len(ends)]])
    return sharpness


def _vertices(
    cage: Cage,
    ends: NDArray[np.int64],
    sharpness: NDArray[np.float64],
    halfway: NDArray[np.float64],
    middle: NDArray[np.float64],
    face: NDArray[np.int64],
) -> NDArray[np.float64]:
    """Where the points (n, 3) themselves go."""
    p, count = cage.points, len(cage.points)
    faces, valence = np.bincount(cage.index, minlength=count), np.bincount(ends.ravel(), minlength=count)
    around, across = np.zeros((count, 3)), np.zeros((count, 3))
    np.add.at(around, cage.index, middle[face])
    for k in (0, 1):
        np.add.at(across, ends[:, k], halfway)
    n = np.maximum(valence, 1)[:, None]
    smooth = (around / np.maximum(faces, 1)[:, None] + 2 * across / n + (n - 3) * p) / n
    sharp = np.flatnonzero(sharpness > 0)
    meeting, total, others = np.zeros(count, int), np.zeros(count), np.zeros((count, 3))
    for k in (0, 1):
        np.add.at(meeting, ends[sharp, k], 1)
        np.add.at(total, ends[sharp, k], sharpness[sharp])
        np.add.at(others, ends[sharp, k], p[ends[sharp, 1 - k]])
    creased = np.where((meeting == 2)[:, None], (6 * p + others) / 8, p)
    weight = np.where(meeting >= 2, np.clip(total / np.maximum(meeting, 1), 0, 1), 0.0)
    weight = np.where(valence == 0, 1.0, weight)[:, None]
    return np.asarray(np.where(weight >= 1, creased, smooth + weight * (creased - smooth)))
