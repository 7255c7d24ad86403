"""Round strands and balls as triangles, from curves and points."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .natural import round_ball

F64 = NDArray[np.float64]
I64 = NDArray[np.int64]
SIDES = 5
"""Sides of a strand; its normals are those of a round one."""
MOST_STRAND_POINTS = 500_000
"""Points of strands that are taken: ten triangles each."""
MOST_BALLS = ((20_000, 2), (100_000, 1), (500_000, 0))
"""For so many balls at most, the times that the faces of an icosahedron are divided."""
_REFERENCES = np.array(
    [[1, 0, 0], [0, 1, 0], [0, 0, 1], [1, 1, 1], [-1, 1, 1], [1, -1, 1], [1, 1, -1]], np.float64
) / np.sqrt([[1], [1], [1], [3], [3], [3], [3]])
BASES = {
    "linear": (np.array([[-1.0, 1.0], [1.0, 0.0]]), 1),
    "bezier": (np.array([[-1.0, 3, -3, 1], [3, -6, 3, 0], [-3, 3, 0, 0], [1, 0, 0, 0]]), 3),
    "bspline": (np.array([[-1.0, 3, -3, 1], [3, -6, 3, 0], [-3, 0, 3, 0], [1, 4, 1, 0]]) / 6, 1),
    "catmullRom": (np.array([[-1.0, 3, -3, 1], [2, -5, 4, -1], [-1, 0, 1, 0], [0, 2, 0, 0]]) / 2, 1),
}
"""Basis matrices, highest power first, and how many points on the next segment begins."""
CURVE_PIECES = 4
"""Straight pieces of a segment of a cubic curve."""


@dataclass(frozen=True, slots=True)
class Polylines:
    """Lines end to end, with values of their points."""

    points: F64
    """(n, 3)"""
    radii: F64
    """(n,)"""
    counts: I64
    """(c,) points of each line"""


def curves_to_lines(values: F64, counts: I64, basis: str) -> tuple[F64, I64]:
    """Cubic or linear curves (UsdGeomBasisCurves), with values (n, k) of their control points, as lines: values (m, k)
    and how many points each line has (c,). Curves of too few points are left out: 0."""
    if basis == "linear":
        fine = counts >= 2
        return values[np.repeat(fine, counts)], np.where(fine, counts, 0)
    matrix, step = BASES[basis]
    at = np.linspace(0.0, 1.0, CURVE_PIECES + 1)
    weights = np.stack([at**3, at**2, at, np.ones_like(at)], axis=1) @ matrix
    segments = np.where(counts >= 4, (counts - 4) // step + 1, 0)
    starts = np.cumsum(counts) - counts
    owner = np.repeat(np.arange(len(counts)), segments)
    number = np.arange(int(segments.sum())) - np.repeat(np.cumsum(segments) - segments, segments)
    control = (starts[owner] + step * number)[:, None] + np.arange(4)
    found = np.einsum("pw,swk->spk", weights, values[control])
    last = number == segments[owner] - 1
    keep = np.ones((len(number), CURVE_PIECES + 1), bool)
    keep[~last, -1] = False  # the next segment begins there
    return found[keep], np.where(segments > 0, segments * CURVE_PIECES + 1, 0)


def wrap_curves(values: F64, counts: I64, basis: str, wrap: str) -> tuple[F64, I64]:
    """Curves that close, or reach their first and last points, as ones that do neither by themselves."""
    starts = np.cumsum(counts) - counts
    curve = np.arange(len(counts))
    if wrap == "periodic" and len(counts):
        more = 1 if basis == "linear" else 4 - BASES[basis][1]
        owner = np.repeat(curve, counts + more)
        at = np.arange(len(owner)) - np.repeat(np.cumsum(counts + more) - counts - more, counts + more)
        return values[starts[owner] + at % np.maximum(counts[owner], 1)], counts + more
    if wrap != "pinned" or basis not in ("bspline", "catmullRom") or (counts < 2).any():
        return values, counts
    ends = starts + counts - 1
    before, after = 2 * values[starts] - values[starts + 1], 2 * values[ends] - values[ends - 1]
    owner = np.concatenate([curve, np.repeat(curve, counts), curve])
    return np.concatenate([before, values, after])[np.argsort(owner, kind="stable")], counts + 2


def thin_lines(lines: Polylines, most: int) -> tuple[Polylines, I64]:
    """As many lines as have so many points together, evenly chosen and as much thicker, and their numbers."""
    total = int(lines.counts.sum())
    if total <= most:
        return lines, np.arange(len(lines.counts))
    step = -(-total // most)
    chosen = np.arange(0, len(lines.counts), step)
    kept = np.zeros(len(lines.counts), bool)
    kept[chosen] = True
    mine = np.repeat(kept, lines.counts)
    return Polylines(lines.points[mine], lines.radii[mine] * np.sqrt(step), lines.counts[kept]), chosen


@dataclass(frozen=True, slots=True)
class StrandMesh:
    """Strands as triangles. The second coordinates run along each strand, 0…1, and once round it (see
    `render.trace.grain`)."""

    vertices: F64
    normals: NDArray[np.float32]
    triangles: I64
    along: NDArray[np.float32]
    """(v, 2)"""
    line: I64
    """(v,) the line of each vertex"""


def build_strands(lines: Polylines) -> StrandMesh:
    """Tubes round lines of at least two points, open at both ends."""
    points, counts = lines.points, lines.counts
    line = np.repeat(np.arange(len(counts)), counts)
    starts = np.cumsum(counts) - counts
    first = np.arange(len(points)) == starts[line]
    last = np.arange(len(points)) == (starts + counts - 1)[line]
    ahead = points[np.where(last, np.arange(len(points)), np.arange(len(points)) + 1) % max(len(points), 1)]
    behind = points[np.where(first, np.arange(len(points)), np.arange(len(points)) - 1)]
    tangent = ahead - behind
    length = np.linalg.norm(tangent, axis=1, keepdims=True)
    tangent = np.where(length > 0, tangent / np.maximum(length, 1e-300), [0.0, 1.0, 0.0])
    # one direction for each line that none of its tangents comes near: tubes do not twist
    facing = np.abs(tangent @ _REFERENCES.T)
    worst = np.maximum.reduceat(facing, starts, axis=0) if len(counts) else np.zeros((0, len(_REFERENCES)))
    across = _REFERENCES[worst.argmin(axis=1)][line]
    across = across - np.einsum("ij,ij->i", across, tangent)[:, None] * tangent
    across /= np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-12)
    other = np.cross(tangent, across)
    turn = np.linspace(0.0, 2 * np.pi, SIDES + 1)
    normals = np.cos(turn)[:, None] * across[:, None] + np.sin(turn)[:, None] * other[:, None]
    vertices = points[:, None] + lines.radii[:, None, None] * normals
    share = (np.arange(len(points)) - starts[line]) / np.maximum(counts[line] - 1, 1)
    along = np.empty((len(points), SIDES + 1, 2), np.float32)
    along[..., 0], along[..., 1] = share[:, None], turn / (2 * np.pi)
    ring = np.flatnonzero(~last)[:, None] * (SIDES + 1) + np.arange(SIDES)
    a, b, c, d = ring, ring + 1, ring + SIDES + 2, ring + SIDES + 1
    triangles = np.stack([a, b, c, a, c, d], axis=-1).reshape(-1, 3)
    return StrandMesh(
        vertices.reshape(-1, 3),
        normals.reshape(-1, 3).astype(np.float32),
        triangles,
        along.reshape(-1, 2),
        np.repeat(line, SIDES + 1),
    )


def build_balls(points: F64, radii: F64) -> tuple[F64, NDArray[np.float32], I64, I64]:
    """Balls round points: vertices (v, 3), normals, triangles, and the point of each vertex (v,). At most the last of
    MOST_BALLS."""
    times = next(times for most, times in MOST_BALLS if len(points) <= most)
    directions, faces = round_ball(times)
    vertices = points[:, None] + radii[:, None, None] * directions
    normals = np.broadcast_to(directions.astype(np.float32), (len(points), *directions.shape))
    triangles = faces[None] + len(directions) * np.arange(len(points))[:, None, None]
    point = np.repeat(np.arange(len(points)), len(directions))
    return vertices.reshape(-1, 3), normals.reshape(-1, 3), triangles.reshape(-1, 3), point
