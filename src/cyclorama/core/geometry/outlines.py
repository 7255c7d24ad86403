"""Outlines of a drawing: named areas of one colour that do not overlap."""

import io
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import Polygon

from ..errors import IntakeError

F64 = NDArray[np.float64]
Colour = tuple[float, float, float]
SMALLEST_SHARE = 1e-9
"""Areas smaller than this share of the whole are none that anybody drew."""


@dataclass(frozen=True, slots=True)
class Outline:
    """Areas of one name and colour."""

    name: str
    colour: Colour
    """linear Rec.709"""
    polygons: tuple[Polygon, ...]


@dataclass(frozen=True, slots=True)
class Outlines:
    """A drawing one unit high, its lowest point at y = 0 and the middle of its width at x = 0."""

    pieces: tuple[Outline, ...]

    @property
    def aspect(self) -> float:
        """Width in heights."""
        low, _, high, _ = shapely.total_bounds([p for piece in self.pieces for p in piece.polygons])
        return float(high - low)

    def to_bytes(self) -> bytes:
        """One self-contained file (NumPy npz)."""
        shapes = [shapely.MultiPolygon(list(p.polygons)) for p in self.pieces]
        buffer = io.BytesIO()
        np.savez_compressed(
            buffer,
            names=np.array([p.name for p in self.pieces]),
            colours=np.array([p.colour for p in self.pieces]),
            shapes=np.array([shapely.to_wkb(s).hex() for s in shapes]),
        )
        return buffer.getvalue()

    @staticmethod
    def from_bytes(data: bytes) -> "Outlines":
        """Raises IntakeError when the data are no outlines."""
        try:
            with np.load(io.BytesIO(data), allow_pickle=False) as file:
                shapes = [shapely.from_wkb(bytes.fromhex(str(s))) for s in file["shapes"]]
                rows = zip(file["names"].tolist(), file["colours"].tolist(), shapes, strict=True)
                return Outlines(tuple(Outline(n, (r, g, b), tuple(s.geoms)) for n, (r, g, b), s in rows))
        except Exception as error:  # whatever is wrong with a file, it holds no outlines
            raise IntakeError("The outlines of that mark are damaged. Bring the drawing in again.") from error


def upright(pieces: Iterable[Outline]) -> Outlines:
    """Outlines of a drawing whose y goes down, in their own size and place. Raises ValueError when it has no area."""
    pieces = list(pieces)
    low_x, low_y, high_x, high_y = shapely.total_bounds([p for piece in pieces for p in piece.polygons])
    high = high_y - low_y
    if not high > 0 or not high_x > low_x:
        raise ValueError("no area")
    middle = (low_x + high_x) / 2

    def placed(points: F64) -> F64:
        return np.stack([(points[:, 0] - middle) / high, (high_y - points[:, 1]) / high], axis=1)

    return Outlines(
        tuple(Outline(p.name, p.colour, tuple(shapely.transform(list(p.polygons), placed))) for p in pieces)
    )


def visible_areas(painted: list[tuple[str, Colour, shapely.Geometry]], most: int) -> list[Outline]:
    """Areas that are painted one over the other, without what later ones cover; those of one name and colour are one.

    Of more than `most`, those of one colour are one.
    """
    whole = sum(shape.area for *_, shape in painted)
    over: shapely.Geometry = Polygon()
    seen: dict[tuple[str, Colour], list[Polygon]] = {}
    for name, colour, shape in reversed(painted):
        left = shapely.difference(shape, over)
        over = shapely.union(over, shape)
        parts = [p for p in shapely.get_parts(left).tolist() if isinstance(p, Polygon)]
        seen.setdefault((name, colour), []).extend(p for p in parts if p.area > SMALLEST_SHARE * whole)
    found = {key: polygons for key, polygons in reversed(seen.items()) if polygons}
    if len(found) > most:
        names: dict[Colour, str] = {}
        merged: dict[tuple[str, Colour], list[Polygon]] = {}
        for (name, colour), polygons in found.items():
            merged.setdefault((names.setdefault(colour, name), colour), []).extend(polygons)
        found = merged
    return [Outline(name, colour, _joined(polygons)) for (name, colour), polygons in found.items()]


def _joined(polygons: list[Polygon]) -> tuple[Polygon, ...]:
    return tuple(p for p in shapely.get_parts(shapely.union_all(polygons)).tolist() if isinstance(p, Polygon))


def filled_area(rings: list[F64], even_odd: bool) -> shapely.Geometry:
    """The area that closed rings (n, 2) fill, by the even-odd or the non-zero rule, however they cross.

    Rings are cut where they cross, and each piece of the plane between them is asked how often they go round it
    (SVG 2, section 13.4.2).
    """
    closed = [np.vstack([ring, ring[:1]]) for ring in rings if len(ring) > 2]
    if not closed:
        return Polygon()
    lines = shapely.union_all([shapely.LineString(ring) for ring in closed])
    faces = shapely.get_parts(shapely.polygonize(shapely.get_parts(lines).tolist()))
    if not len(faces):
        return Polygon()
    points = shapely.get_coordinates(shapely.point_on_surface(faces))
    starts, ends = (np.concatenate([ring[a:b] for ring in closed]) for a, b in ((0, -1), (1, None)))
    winding = np.array([_winding(point, starts, ends) for point in points])
    inside = winding % 2 != 0 if even_odd else winding != 0
    return shapely.union_all(faces[inside])


def _winding(point: F64, starts: F64, ends: F64) -> int:
    """Number of times that closed lines go round a point: signed crossings of a ray to the right (Sunday 2001)."""
    (x0, y0), (x1, y1) = (starts - point).T, (ends - point).T
    left = x0 * y1 - x1 * y0
    return int(np.sum((y0 <= 0) & (y1 > 0) & (left > 0))) - int(np.sum((y0 > 0) & (y1 <= 0) & (left < 0)))
