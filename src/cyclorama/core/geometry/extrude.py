"""Solid bodies from flat outlines: faces, bevels and sides."""

import math
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import Polygon

from ..scene.made import Extrusion
from .mesh import Mesh
from .normals import weld, with_smooth_normals

F64 = NDArray[np.float64]
I64 = NDArray[np.int64]
FACE, BEVEL, SIDE = range(3)
"""Parts of what is extruded."""
BEVEL_STEPS = 4
CREASE_DEG = 30.0
STRIP_DEG = 3.0
"""No edge of what goes round a cylinder is wider."""
SMALLEST_BEVEL = 0.05
"""A bevel that would cross itself is made smaller, down to this share."""


@dataclass(frozen=True, slots=True)
class _Rings:
    """Outlines of one polygon: the outer one counter-clockwise, then its holes clockwise, each (n, 2)."""

    rings: list[F64]

    def drawn_in(self, by: float) -> "_Rings":
        """Each corner moved inwards along the bisector of its sides; corners stay as many."""
        return _Rings([_inset(ring, by) for ring in self.rings])

    @property
    def polygon(self) -> Polygon:
        return Polygon(self.rings[0], self.rings[1:])


def polygons_of(contours: list[F64]) -> list[Polygon]:
    """Areas that closed contours (n, 2) enclose: those of the direction of the largest are filled, others are holes."""
    shapes = [(_area(c), shapely.make_valid(Polygon(c))) for c in contours if len(c) > 2]
    shapes = [(area, shape) for area, shape in shapes if area != 0.0]
    if not shapes:
        return []
    sign = math.copysign(1.0, max(shapes, key=lambda pair: abs(pair[0]))[0])
    filled = shapely.union_all([shape for area, shape in shapes if area * sign > 0])
    holes = shapely.union_all([shape for area, shape in shapes if area * sign < 0])
    found = shapely.difference(filled, holes)
    return [shape for shape in shapely.get_parts(found).tolist() if isinstance(shape, Polygon) and shape.area > 0]


def _area(ring: F64) -> float:
    x, y = ring.T
    return float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y)) / 2


def extrude(polygons: list[Polygon], depth: float, bevel: float) -> Mesh:
    """A body with its outline in x and y, its front at z = depth and its back at 0; parts FACE, BEVEL and SIDE.

    The bevel is round and goes no deeper than half the depth. Where it would cross itself it is made smaller.
    """
    points: list[F64] = []
    triangles: list[I64] = []
    parts: list[NDArray[np.int32]] = []
    count = 0

    def add(corners: F64, faces: I64, part: int) -> None:
        nonlocal count
        points.append(corners)
        triangles.append(faces + count)
        parts.append(np.full(len(faces), part, np.int32))
        count += len(corners)

    for polygon in polygons:
        rings = _rings_of(polygon)
        by = _fitting_bevel(rings, min(bevel, depth / 2))
        steps = [(0.0, 0.0)]  # how far in, and how far below the face
        if by > 0:
            angles = np.linspace(0, math.pi / 2, BEVEL_STEPS + 1)
            steps = [(by * (1 - math.cos(a)), by * (1 - math.sin(a))) for a in angles]
        levels = [rings.drawn_in(inwards) for inwards, _ in steps]
        below = [low for _, low in steps]
        for k in range(len(levels) - 1):
            for lower, upper in zip(levels[k].rings, levels[k + 1].rings, strict=True):
                add(*_wall(lower, upper, depth - below[k], depth - below[k + 1]), BEVEL)
                add(*_wall(upper, lower, below[k + 1], below[k]), BEVEL)
        for ring in rings.rings:
            add(*_wall(ring, ring, below[0], depth - below[0]), SIDE)
        flat, faces = _filled(levels[-1].polygon)
        add(np.column_stack([flat, np.full(len(flat), depth)]), faces, FACE)
        add(np.column_stack([flat, np.zeros(len(flat))]), faces[:, ::-1], FACE)
    if not points:
        return _solid(np.zeros((0, 3)), np.zeros((0, 3), np.int64), np.zeros(0, np.int32))
    return _solid(np.concatenate(points), np.concatenate(triangles), np.concatenate(parts))


def _solid(points: F64, triangles: I64, parts: NDArray[np.int32]) -> Mesh:
    normals, corners, source = with_smooth_normals(points, triangles, CREASE_DEG)
    placed = points[source]
    return Mesh(placed.astype(np.float32), normals, placed[:, :2].astype(np.float32), corners, parts)


def lay(mesh: Mesh, lies: Extrusion, depth: float) -> Mesh:
    """An extruded body (see `extrude`) as it lies, m, its lowest point at height 0."""
    if not len(mesh.vertices):
        return mesh
    if lies.laid == "round":
        mesh = narrow(mesh, math.radians(STRIP_DEG) * lies.radius_m)
        x, y, z = mesh.vertices.astype(np.float64).T
        angle, away = x / lies.radius_m, lies.radius_m + z
        bent = np.stack([np.sin(angle) * away, y, np.cos(angle) * away], axis=1).astype(np.float32)
        mesh = shade_smooth(replace(mesh, vertices=bent))
    m = np.eye(4)
    if lies.laid == "standing":
        m[2, 3] = -depth / 2
    elif lies.laid == "lying":  # its top goes to the back, its face up
        m[:3, :3] = [[1, 0, 0], [0, 0, 1], [0, -1, 0]]
    mesh = mesh.transformed(m)
    low, high = mesh.vertices.min(axis=0), mesh.vertices.max(axis=0)
    m = np.eye(4)
    m[1, 3] = -low[1]
    if lies.laid == "lying":
        m[2, 3] = -(low[2] + high[2]) / 2
    return mesh.transformed(m)


def shade_smooth(mesh: Mesh) -> Mesh:
    """The mesh with normals as its shape has them now."""
    normals, corners, source = with_smooth_normals(mesh.vertices.astype(np.float64), mesh.triangles, CREASE_DEG)
    return Mesh(mesh.vertices[source], normals, mesh.uvs[source], corners, mesh.part)


def _rings_of(polygon: Polygon) -> _Rings:
    polygon = shapely.orient_polygons(shapely.remove_repeated_points(polygon, 1e-9))
    lines = [polygon.exterior, *polygon.interiors]
    return _Rings([np.asarray(line.coords, np.float64)[:-1] for line in lines])


def _inset(ring: F64, by: float) -> F64:
    """A ring whose inside is on its left, each corner moved inwards so that its sides are `by` farther in; sharp
    corners no farther than four times that."""
    before, after = ring - np.roll(ring, 1, axis=0), np.roll(ring, -1, axis=0) - ring
    n1, n2 = (_left(v) for v in (before, after))
    middle = n1 + n2
    length = np.maximum(np.einsum("ij,ij->i", middle, middle), 1e-12)
    step = 2.0 * by * middle / length[:, None]
    far = np.maximum(np.linalg.norm(step, axis=1) / max(4.0 * by, 1e-300), 1.0)
    return np.asarray(ring + step / far[:, None])


def _left(v: F64) -> F64:
    return np.stack([-v[:, 1], v[:, 0]], axis=1) / np.maximum(np.linalg.norm(v, axis=1, keepdims=True), 1e-300)


def _fitting_bevel(rings: _Rings, wanted: float) -> float:
    """The largest bevel, no larger than wanted, whose outline does not cross itself."""
    area, by = rings.polygon.area, wanted
    while by > SMALLEST_BEVEL * wanted:
        inner = rings.drawn_in(by)
        if all(_area(r) * _area(s) > 0 for r, s in zip(inner.rings, rings.rings, strict=True)):
            shape = inner.polygon
            if shape.is_valid and shape.area < area:
                return by
        by *= 0.8
    return 0.0


def _wall(lower: F64, upper: F64, low: float, high: float) -> tuple[F64, I64]:
    """A strip of quads between two rings of as many corners, seen from outside."""
    n = len(lower)
    corners = np.concatenate([np.column_stack([lower, np.full(n, low)]), np.column_stack([upper, np.full(n, high)])])
    i = np.arange(n)
    j = (i + 1) % n
    return corners, np.concatenate([np.stack([i, j, j + n], 1), np.stack([i, j + n, i + n], 1)])


def _filled(polygon: Polygon) -> tuple[F64, I64]:
    """Triangles between all corners of a polygon, counter-clockwise: points (n, 2) and corners (t, 3)."""
    found = shapely.get_parts(shapely.constrained_delaunay_triangles(polygon))
    corners = shapely.get_coordinates(shapely.orient_polygons(found)).reshape(-1, 4, 2)[:, :3]
    points, index = np.unique(corners.reshape(-1, 2), axis=0, return_inverse=True)
    return points, index.reshape(-1, 3).astype(np.int64)


def narrow(mesh: Mesh, widest: float) -> Mesh:
    """The mesh with no edge wider (in x) than that: edges are halved together with both their triangles."""
    position, count = weld(mesh.vertices)
    points = np.empty((count, 3))
    points[position] = mesh.vertices
    corners, part = position[mesh.triangles].astype(np.int64), mesh.part
    while True:
        edges = np.sort(corners[:, [[0, 1], [1, 2], [2, 0]]], axis=2)
        wide = np.abs(points[edges[..., 0], 0] - points[edges[..., 1], 0])
        keys = edges[..., 0] * len(points) + edges[..., 1]
        if not (wide > widest).any():
            return _solid(points, corners, part)
        # one edge of each triangle: the widest, of equal ones the same for both neighbours
        place = np.where(wide > widest, wide, -1.0)
        best = place.max(axis=1, keepdims=True)
        which = np.where(place == best, keys, -1).argmax(axis=1)
        t = np.arange(len(corners))
        chosen = np.where(best[:, 0] > 0, keys[t, which], -1)
        asked, sides = np.unique(chosen[chosen >= 0], return_counts=True)
        every, needed = np.unique(keys, return_counts=True)
        agreed = asked[sides == needed[np.searchsorted(every, asked)]]
        cut = np.isin(chosen, agreed)
        middle = len(points) + np.searchsorted(agreed, chosen[cut])
        i, j, k = corners[cut][np.arange(cut.sum())[:, None], (which[cut][:, None] + np.arange(3)) % 3].T
        halves = [np.stack([i, middle, k], 1), np.stack([middle, j, k], 1)]
        ends = np.stack([agreed // len(points), agreed % len(points)], axis=1)
        points = np.concatenate([points, points[ends].mean(axis=1)])
        corners, part = np.concatenate([corners[~cut], *halves]), np.concatenate([part[~cut], part[cut], part[cut]])
