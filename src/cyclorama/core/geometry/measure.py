"""Measures of a subject: box, centroid, axis of revolution, convex hull. All of them follow an affine placement,
so they are taken once in the file's space and carried along."""

import io
from dataclasses import dataclass, field, replace

import numpy as np
import scipy
from numpy.typing import NDArray

from ..arrays import Points, Vec3
from ..scene import Item, Placement
from ..scene.item import CentreMethod
from ..scene.writing import revise
from .mesh import Mesh, face_normals, used_by
from .placement import file_to_metres, placement_matrix
from .rows import runs


@dataclass(frozen=True, slots=True)
class Measures:
    """Measures in the file's own space."""

    hull: Points
    """(k, 3) corners of the convex hull"""
    centroid: Vec3
    """area-weighted"""
    axis_point: Vec3
    axis_direction: Vec3
    """best-fit axis of revolution, unit"""
    axis_residual: float
    """0 for a perfect body of revolution, towards 1 for a shape without an axis"""
    rooms: Points = field(default_factory=lambda: np.zeros((0, 3)))
    """(r, 3) corners of the hulls of all that each animation passes through, end to end"""
    room_sizes: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))
    """(a,) how many of them belong to each animation"""

    def playing(self, item: Item) -> "Measures":
        """The same, its hull that of all the room which the item's animations take."""
        if item.playing is None:
            return self
        rooms = np.split(self.rooms, np.cumsum(self.room_sizes)[:-1])
        return replace(self, hull=np.concatenate([rooms[number] for number in sorted(item.playing)]))

    def to_bytes(self) -> bytes:
        buffer = io.BytesIO()
        np.savez(buffer, **{name: getattr(self, name) for name in self.__slots__})
        return buffer.getvalue()

    @staticmethod
    def from_bytes(data: bytes) -> "Measures":
        with np.load(io.BytesIO(data), allow_pickle=False) as file:
            values = {name: file[name] for name in Measures.__slots__ if name in file}
        return Measures(**{**values, "axis_residual": float(values["axis_residual"])})


class _Faces:
    """Middles and area-weighted normals of a mesh's triangles, made as they are needed: together they would take more
    than the mesh."""

    def __init__(self, mesh: Mesh):
        self._vertices, self._triangles = mesh.vertices, mesh.triangles

    def normals(self, some: slice) -> Points:
        """Directions of faces (t, 3), as long as their area."""
        normals = face_normals(self._vertices, self._triangles[some])
        normals /= 2
        return normals

    def middles(self, some: slice) -> Points:
        """(t, 3)"""
        triangles = self._triangles[some]
        middles = np.zeros((len(triangles), 3))
        for corner in triangles.T:
            middles += self._vertices[corner]
        middles /= 3
        return middles


def measure(mesh: Mesh) -> Measures:
    """Measure a mesh with at least one triangle."""
    faces = _Faces(mesh)
    area = np.empty(len(mesh.triangles))
    for some in runs(len(area)):
        area[some] = np.linalg.norm(faces.normals(some), axis=1)
    total = max(float(area.sum()), 1e-300)
    centroid = np.zeros(3)
    for some in runs(len(area)):  # row after row, as one sum over all of them would
        centroid = np.concatenate([centroid[None], faces.middles(some) * area[some, None]]).sum(axis=0)
    centroid /= total
    point, direction, residual = revolution_axis(faces, area, centroid)
    points = mesh.vertices[used_by(mesh.triangles, len(mesh.vertices))].astype(np.float64)
    return Measures(convex_corners(points), centroid, point, direction, residual)


def part_boxes(mesh: Mesh, count: int) -> list[tuple[float, float, float, float, float, float] | None]:
    """Lowest and highest corner of each of so many parts; None for parts without triangles."""
    order = np.argsort(mesh.part, kind="stable")
    sizes = np.bincount(mesh.part, minlength=count)
    there = np.flatnonzero(sizes)
    starts = (np.cumsum(sizes) - sizes)[there]
    low, high = np.full((count, 3), np.nan), np.full((count, 3), np.nan)
    for axis in range(3):
        at = mesh.vertices[:, axis][mesh.triangles[order]]
        low[there, axis] = np.minimum.reduceat(at.min(axis=1), starts)
        high[there, axis] = np.maximum.reduceat(at.max(axis=1), starts)
    boxes = np.concatenate([low, high], axis=1).tolist()
    return [tuple(box) if size else None for box, size in zip(boxes, sizes, strict=True)]


MAX_HULL_INPUT = 200_000
MAX_CORNERS = 4000
AT_ONCE = 1 << 18
"""Triangles that are worked on together, to save memory."""
MANY_CORNERS = 40_000
"""Looking at all of them in every direction takes seconds: the farthest in each solid angle do."""
_DIRECTIONS = 2048


def convex_corners(points: Points) -> Points:
    """Corners of the convex hull of points (n, 3).

    Exact for up to 200 000 points and 4000 corners. Beyond that it keeps the extreme points in all directions a
    degree or two apart (less than a thousandth of the size is missed) and exactly those along the axes, so that
    size and contact with the floor are always exact.
    """
    # loaded here: only intake needs it, and it is a good part of the time the studio takes to start
    try:
        outer = outermost_points(points) if len(points) > MAX_HULL_INPUT else points
        corners = np.ascontiguousarray(outer[scipy.spatial.ConvexHull(outer).vertices])
    except (scipy.spatial.QhullError, ValueError):
        # flat or thinner: the corners of its box contain it
        low, high = points.min(axis=0), points.max(axis=0)
        return np.array(np.meshgrid(*zip(low, high, strict=True))).T.reshape(-1, 3)
    if len(corners) > MANY_CORNERS:
        corners = outermost_points(corners)
    return corners if len(corners) <= MAX_CORNERS else extreme_points(corners)


def _axis_extremes(points: Points) -> NDArray[np.intp]:
    return np.concatenate([points.argmin(axis=0), points.argmax(axis=0)])


def outermost_points(points: Points, columns: int = 256) -> Points:
    """The farthest point in each of many small solid angles around the middle of the box, and the box's touches."""
    low, high = points.min(axis=0), points.max(axis=0)
    p = (points - (low + high) / 2) / np.maximum(high - low, 1e-300)
    radius = np.linalg.norm(p, axis=1)
    row = np.arccos(np.clip(p[:, 1] / np.maximum(radius, 1e-300), -1, 1)) / np.pi * (columns // 2)
    column = (np.arctan2(p[:, 2], p[:, 0]) / (2 * np.pi) + 0.5) * columns
    cell = row.astype(np.int64) * (columns + 1) + column.astype(np.int64)
    order = np.lexsort((radius, cell))
    last = np.append(cell[order[1:]] != cell[order[:-1]], True)
    return np.asarray(points[np.union1d(order[last], _axis_extremes(points))])


def extreme_points(points: Points, count: int = _DIRECTIONS) -> Points:
    """The points (k, 3) that reach farthest in so many directions, evenly all round, and along the axes."""
    i = np.arange(count) + 0.5
    polar, turn = np.arccos(1 - 2 * i / count), np.pi * (1 + 5**0.5) * i
    directions = np.stack([np.cos(turn) * np.sin(polar), np.cos(polar), np.sin(turn) * np.sin(polar)])
    # in the space of the unit box, so that long and thin shapes are sampled as finely as round ones
    p = points / np.maximum(np.ptp(points, axis=0), 1e-300)
    # so many directions at once that their products take no more than the points of a large model
    best = [
        i
        for some in np.array_split(directions, -(-len(p) * count // AT_ONCE // 64) or 1, axis=1)
        for i in (p @ some).argmax(axis=0)
    ]
    return np.asarray(points[np.union1d(best, _axis_extremes(points))])


def revolution_axis(faces: _Faces, area: NDArray[np.float64], origin: Vec3) -> tuple[Vec3, Vec3, float]:
    """The line that the surface normals of a body of revolution meet: a point on it, its direction, residual.

    area (t,): of the faces. The normals of such a body belong to
    a singular linear line complex (Pottmann and Randrup, "Rotational and helical surface approximation for
    reverse engineering", Computing 60, 1998): c̄·n + c·(p × n) = 0 for every normal line, with axis direction c
    and moment c̄ = point × c. With |c| = 1 this is a small eigenvalue problem. The moment along c (a helix's
    pitch) is dropped.
    """
    away = np.empty(len(area))
    for some in runs(len(area)):
        away[some] = np.sum((faces.middles(some) - origin) ** 2, axis=1)
    size = np.sqrt(np.average(away, weights=np.maximum(area, 1e-300))) or 1.0
    del away
    total, a, b, d = max(area.sum(), 1e-300), np.zeros((3, 3)), np.zeros((3, 3)), np.zeros((3, 3))
    for some in runs(len(area), AT_ONCE):
        p, n = (faces.middles(some) - origin) / size, faces.normals(some) / np.maximum(area[some], 1e-300)[:, None]
        moment, w = np.cross(p, n), (area[some] / total)[:, None]
        a += (n * w).T @ n
        b += (n * w).T @ moment
        d += (moment * w).T @ moment
    solve = np.linalg.pinv(a, rcond=1e-9) @ b
    values, vectors = np.linalg.eigh(d - b.T @ solve)
    c = vectors[:, 0]
    if c[np.argmax(np.abs(c))] < 0:
        c = -c
    c_bar = -solve @ c
    c_bar -= c * (c @ c_bar)
    residual = float(np.sqrt(max(values[0], 0.0) / max(values[-1], 1e-300)))
    return origin + size * np.cross(c, c_bar), c, min(residual, 1.0)


def placed_hull(measures: Measures, placement: Placement) -> Points:
    """Corners of the hull (k, 3) in studio space at rest, m."""
    m = placement_matrix(placement)
    return np.asarray(measures.hull @ m[:3, :3].T + m[:3, 3])


def centre_m(measures: Measures, placement: Placement, method: CentreMethod) -> tuple[float, float]:
    """The centre (x, z) by a method, in metres, before it is put on the axis of the turn."""
    m = file_to_metres(placement)[:3, :3]
    if method == "file":
        return 0.0, 0.0
    if method == "area":
        c = m @ measures.centroid
    elif method == "revolution":
        point, direction = m @ measures.axis_point, m @ measures.axis_direction
        box = (m @ measures.hull.T).T
        middle = (box[:, 1].min() + box[:, 1].max()) / 2
        # where a leaning axis passes the middle height; a lying one has no such place, take its point
        lean = direction[1] / max(float(np.linalg.norm(direction)), 1e-300)
        k = (middle - point[1]) / direction[1] if abs(lean) > 0.5 else 0.0
        c = point + k * direction
    else:
        box = (m @ measures.hull.T).T
        c = (box.min(axis=0) + box.max(axis=0)) / 2
    return float(c[0]), float(c[2])


def axis_lean_deg(measures: Measures, placement: Placement) -> float:
    """Angle between the fitted axis of revolution and the vertical."""
    d = file_to_metres(placement)[:3, :3] @ measures.axis_direction
    return float(np.degrees(np.arccos(min(1.0, abs(d[1]) / max(float(np.linalg.norm(d)), 1e-300)))))


def wobble_mm(measures: Measures, placement: Placement, method: CentreMethod) -> float:
    """Distance between the centre by `method` and the axis of the turn, mm."""
    x, z = centre_m(measures, placement, method)
    return float(np.hypot(x - placement.centre_x_m, z - placement.centre_z_m) * 1000)


def gap_m(measures: Measures, placement: Placement, stand_height_m: float) -> float:
    """Height of the lowest point above what it stands on; negative when it cuts in."""
    return float(placed_hull(measures, placement)[:, 1].min()) - stand_height_m


def centre_placement(measures: Measures, placement: Placement, method: CentreMethod) -> Placement:
    """The placement with the centre by `method` on the axis of its turn."""
    x, z = centre_m(measures, placement, method)
    return revise(placement, centre_method=method, centre_x_m=x, centre_z_m=z)


def ground_placement(measures: Measures, placement: Placement, stand_height_m: float) -> Placement:
    """The placement lifted or lowered until the lowest point touches the stand height."""
    lowest = float(placed_hull(measures, placement)[:, 1].min())
    return revise(placement, lift_m=placement.lift_m + stand_height_m - lowest)
