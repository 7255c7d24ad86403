"""Parts that are cages, refined into the surfaces they stand for."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernel import kernel
from .mesh import together
from .polygons import split_quads
from .read import ModelPart
from .read.corners import Polygons, cut_apart, distinct_values
from .rows import I32, distinct_rows, first_of, place_bits
from .subdivide import Cage

MOST_CORNERS = 4_000_000
"""Corners that all refined surfaces of a model may come to."""
_WIDTHS = {"uvs": 2, "more_uvs": 2, "colours": 4}


@dataclass(frozen=True, slots=True)
class Refined:
    """Result of refining."""

    levels: tuple[int, ...] = ()
    """how often surfaces were divided, each number once"""
    off: float = 0.0
    """how far the mesh may be off the surfaces, in units of the file"""


def refine(parts: list[ModelPart], which: list[bool], off: float) -> Refined:
    """Refine some of the parts in place, until they lie within `off` (file units) of their surfaces.

    Pieces of one mesh are refined together, so that nothing shows where they meet.
    """
    bodies: dict[tuple[int, int], list[ModelPart]] = {}
    for i, part in enumerate(parts):
        if which[i]:
            bodies.setdefault((part.body, -1 if part.body >= 0 else i), []).append(part)
    total = sum(len(p.triangles) for p, chosen in zip(parts, which, strict=True) if chosen)
    levels, left = set(), 0.0
    for pieces in bodies.values():
        share = sum(len(p.triangles) for p in pieces) / max(total, 1)
        cage, owner = _cage(pieces)
        fine, times, still = cage.until(off, int(MOST_CORNERS * share))
        if times:
            _put_back(pieces, fine, np.repeat(owner, cage.sizes * 4 ** (times - 1)))
        levels.add(times)
        left = max(left, still if np.isfinite(still) else 0.0)
    return Refined(tuple(sorted(levels)), left)


def _cage(pieces: list[ModelPart]) -> tuple[Cage, NDArray[np.int64]]:
    """The polygons of pieces of one mesh as one cage, and which piece each belongs to."""
    sizes = [len(p.vertices) for p in pieces]
    first = np.cumsum(sizes) - sizes
    vertices = np.concatenate([p.vertices for p in pieces]).astype(np.float64)
    copy = np.concatenate([np.arange(n) // max(n // p.copies, 1) for n, p in zip(sizes, pieces, strict=True)])
    place, count = distinct_rows(np.column_stack([place_bits(vertices), copy.astype(np.int32)]))
    corners, polygon_sizes, owner = [], [], []
    creases: list[NDArray[np.int64]] = [np.zeros((0, 2), np.int64)]
    sharpness = [np.zeros(0)]
    for i, (part, f) in enumerate(zip(pieces, first, strict=True)):
        index, many = polygons_of(part, place[f : f + len(part.vertices)])
        corners.append(index + f)
        polygon_sizes.append(many)
        owner.append(np.full(len(many), i))
        if part.creases is not None:
            creases.append(place[part.creases.edges + f].astype(np.int64))
            sharpness.append(part.creases.sharpness)
    corner = np.concatenate(corners)
    columns = [
        together([getattr(p, name) for p in pieces], sizes, width, 1.0 if name == "colours" else 0.0)
        for name, width in _WIDTHS.items()
    ]
    held = [c if len(c) else np.zeros((len(vertices), 0), np.float32) for c in columns]
    values = np.concatenate(held, axis=1).astype(np.float64)[corner]
    return Cage(
        vertices[first_of(place, count)],
        place[corner].astype(np.int64),
        np.concatenate(polygon_sizes),
        values,
        np.ones(len(corner), bool),
        np.concatenate(creases),
        np.concatenate(sharpness),
    ), np.concatenate(owner)


def _put_back(pieces: list[ModelPart], cage: Cage, owner: NDArray[np.int64]) -> None:
    """Give pieces their share of the refined surface; normals come from its shape."""
    values, at = distinct_values(cage.values) if cage.values.shape[1] else (cage.values, np.zeros(len(cage.index), int))
    found = cut_apart(cage.points, Polygons(np.column_stack([cage.index, at]), cage.sizes, owner, cage.drawn))
    widths = {name: _WIDTHS[name] for name in _WIDTHS if any(getattr(p, name) is not None for p in pieces)}
    for number, rows, mesh in found:
        part = pieces[number]
        part.vertices, part.triangles, part.inner = mesh.vertices, mesh.triangles, mesh.inner
        part.normals, part.creases, part.refined, begin = None, None, True, 0
        for name, width in widths.items():
            if getattr(part, name) is not None:
                setattr(part, name, values[rows[:, 1], begin : begin + width].astype(np.float32))
            begin += width


def polygons_of(part: ModelPart, place: I32) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The polygons that a part's triangles were cut from: their corners' vertices (c,) and sizes (p,).

    place (v,): which vertices are at one place. Files of triangles are taken as quads where they were split from such.
    """
    triangles = np.ascontiguousarray(part.triangles, np.int64)
    inner = part.inner if part.inner is not None else split_quads(part.vertices, triangles, position=place)
    ends = np.stack([place[triangles], place[np.roll(triangles, -1, axis=1)]], axis=2).reshape(-1, 2)
    inside = ((inner[:, None] >> np.arange(3)) & 1).astype(bool).ravel()
    half = np.flatnonzero(inside)
    twin = np.full(len(ends), -1, np.int64)
    index, count = distinct_rows(np.sort(ends[half], axis=1).astype(np.int32))
    order = np.argsort(index, kind="stable")
    pairs = np.bincount(index, minlength=count)
    start = np.cumsum(pairs) - pairs
    two = start[pairs == 2]
    one, other = half[order[two]], half[order[two + 1]]
    twin[one], twin[other] = other, one
    corners, sizes = np.empty(len(ends), np.int64), np.empty(len(ends), np.int64)
    used, polygons = _walk(triangles.ravel(), twin, np.zeros(len(ends), np.bool_), corners, sizes)
    return corners[:used], sizes[:polygons]


@kernel
def _walk(vertex, twin, seen, corners, sizes):  # type: ignore[no-untyped-def]
    """Go round each polygon along edges that are not inside it (`twin` (3 t,) −1); how many corners and polygons."""
    used, polygons = 0, 0
    for first in range(vertex.shape[0]):
        if seen[first] or twin[first] >= 0:
            continue
        h, begin = first, used
        while not seen[h]:
            seen[h] = True
            corners[used] = vertex[h]
            used += 1
            h = h - h % 3 + (h + 1) % 3
            while twin[h] >= 0:
                h = twin[h]
                h = h - h % 3 + (h + 1) % 3
        if used - begin >= 3:
            sizes[polygons] = used - begin
            polygons += 1
        else:
            used = begin
    return used, polygons
