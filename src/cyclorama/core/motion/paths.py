"""Paths by arc length: smooth curves through points, along which one goes at even speed.

Cubic Bézier curves where points have handles, and else centripetal Catmull–Rom splines (Yuksel, Schaefer and Keyser,
"On the parameterization of Catmull-Rom curves", SIAM/ACM Conference on Geometric and Physical Modeling, 2009): no cusps
and no loops between points. Lengths are integrated by Gauss's rule of eight points on eight pieces of each stretch, and
inverted between the pieces by Newton's method.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..arrays import Points
from ..scene import Path, PathPoint

F64 = NDArray[np.float64]
PIECES, ROUNDS = 8, 6
NEAR_M = 1e-9
BENDS = 257
"""Places at which the sharpest bend of a path is looked for."""
_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(8)


def along(path: Path, shares: F64) -> tuple[Points, Points]:
    """Places (n, 3) at shares (n,) of a path's length, and directions (n, 3) there, unit.

    A closed path goes on beyond 0…1; an open one ends there. A path without length is a place; it leads to the front.
    """
    return _track(path).at(shares)


def lean(path: Path, shares: F64) -> F64:
    """Curvature of a path to the left at shares (n,) of its length, seen from above; ±1 where it is largest."""
    track = _track(path)
    most = float(np.abs(track.bends(np.linspace(0.0, 1.0, BENDS))).max())
    return track.bends(shares) / max(most, 1e-12)


def length_m(path: Path) -> float:
    """Length of a path, m."""
    return _track(path).length


def handles_of(path: Path, number: int) -> tuple[F64, F64]:
    """Handles (3,) of a point as the path goes through it: from the point to that before it, and to that after it."""
    track = _track(path)
    arrives, leaves = (int(np.clip(i, 0, len(track.cubics) - 1)) for i in (number - 1, number))
    if not len(track.cubics):
        return np.zeros(3), np.zeros(3)
    if track.closed:
        arrives = (number - 1) % len(track.cubics)
    elif number == 0:  # an end has a handle on its outer side too, opposite to the other
        slope = _slope(track.cubics[:1], np.zeros(1))[0] / 3.0
        return -slope, slope
    elif number == len(track.cubics):
        slope = _slope(track.cubics[-1:], np.ones(1))[0] / 3.0
        return -slope, slope
    arriving = _slope(track.cubics[arrives : arrives + 1], np.ones(1))[0] / 3.0
    return -arriving, _slope(track.cubics[leaves : leaves + 1], np.zeros(1))[0] / 3.0


def nearest_stretch(path: Path, at: tuple[float, float, float]) -> int:
    """Number of the stretch between two points that comes nearest to a place, 0 the first."""
    cubics = _track(path).cubics
    if not len(cubics):
        return 0
    t = np.linspace(0.0, 1.0, 33)
    places = np.stack([_place(np.broadcast_to(c, (len(t), 4, 3)), t) for c in cubics])
    return int(np.argmin(np.linalg.norm(places - np.asarray(at), axis=2).min(axis=1)))


@lru_cache(maxsize=64)
def _track(path: Path) -> "_Track":
    return _Track(path)


class _Track:
    """A path as cubic polynomials, with the lengths of their pieces."""

    def __init__(self, path: Path):
        points = np.array([(p.x_m, p.y_m, p.z_m) for p in path.points], float)
        keep = np.ones(len(points), bool)
        keep[1:] = np.linalg.norm(np.diff(points, axis=0), axis=1) > NEAR_M
        through = [p for p, kept in zip(path.points, keep, strict=True) if kept]
        points = points[keep]
        self.closed = path.closed and len(points) > 2
        if self.closed and np.linalg.norm(points[0] - points[-1]) <= NEAR_M:
            points, through = points[:-1], through[:-1]
        self.cubics = _cubics(points, through, self.closed) if len(points) > 1 else np.zeros((0, 4, 3))
        self.start = points[0]
        edges = np.tile(np.arange(PIECES) / PIECES, len(self.cubics))
        lengths = _arcs(np.repeat(self.cubics, PIECES, axis=0), edges, edges + 1 / PIECES)
        self.ends = np.concatenate([[0.0], np.cumsum(lengths)])
        self.length = float(self.ends[-1])

    def at(self, shares: F64) -> tuple[Points, Points]:
        if self.length <= NEAR_M:
            return np.tile(self.start, (len(shares), 1)), np.tile([0.0, 0.0, 1.0], (len(shares), 1))
        shares = np.mod(shares, 1.0) if self.closed else np.clip(shares, 0.0, 1.0)
        wanted = shares * self.length
        piece = np.clip(np.searchsorted(self.ends, wanted, side="right") - 1, 0, len(self.ends) - 2)
        cubic, begin = self.cubics[piece // PIECES], (piece % PIECES) / PIECES
        far = wanted - self.ends[piece]
        span = self.ends[piece + 1] - self.ends[piece]
        t = begin + far / np.maximum(span, 1e-300) / PIECES
        for _ in range(ROUNDS):
            done = _arcs(cubic, begin, t)
            speed = np.linalg.norm(_slope(cubic, t), axis=1)
            t = np.clip(t - (done - far) / np.maximum(speed, 1e-12), begin, begin + 1 / PIECES)
        slope = _slope(cubic, t)
        turns_back = np.linalg.norm(slope, axis=1) < 1e-9 * self.length  # at a point: it still leads there
        slope[turns_back] = _slope(cubic, t - 1e-6 * np.where(t > 0.5, 1.0, -1.0))[turns_back]
        size = np.linalg.norm(slope, axis=1, keepdims=True)
        return _place(cubic, t), slope / np.maximum(size, 1e-300)

    def bends(self, shares: F64) -> F64:
        """Change of heading (n,) about the vertical over a part of the length in which nobody feels a jerk, rad."""
        ends = [self.at(shares + by)[1] for by in (-0.02, 0.02)]
        before, after = (np.arctan2(d[:, 0], d[:, 2]) for d in ends)
        return np.asarray((after - before + np.pi) % (2 * np.pi) - np.pi)


def _handles(point: PathPoint) -> tuple[F64, F64] | None:
    """From a point to its handles (3,), before and after it; None where the path goes through it by itself."""
    if point.bends == "smooth":
        return None
    leaves = np.array([point.out_x_m, point.out_y_m, point.out_z_m])
    return -leaves if point.bends == "even" else np.array([point.in_x_m, point.in_y_m, point.in_z_m]), leaves


def _cubics(points: Points, through: list[PathPoint], closed: bool) -> F64:
    """Coefficients (s, 4, 3) of 1, t, t², t³ of each stretch between neighbouring points (n, 3)."""
    if closed:
        around = np.concatenate([points[-1:], points, points[:2]])
    else:  # beyond its ends it goes on as it came
        around = np.concatenate([2 * points[:1] - points[1:2], points, 2 * points[-1:] - points[-2:-1]])
    knots = np.sqrt(np.linalg.norm(np.diff(around, axis=0), axis=1))
    out = []
    for i in range(1, len(around) - 2):
        p0, p1, p2, p3 = around[i - 1 : i + 3]
        a, b, c = knots[i - 1 : i + 2]
        m1 = b * ((p1 - p0) / a - (p2 - p0) / (a + b)) + (p2 - p1)
        m2 = (p2 - p1) + b * ((p3 - p2) / c - (p3 - p1) / (b + c))
        begin, end = (_handles(through[k % len(through)]) for k in (i - 1, i))
        m1 = m1 if begin is None else 3.0 * begin[1]
        m2 = m2 if end is None else -3.0 * end[0]
        out.append([p1, m1, 3 * (p2 - p1) - 2 * m1 - m2, 2 * (p1 - p2) + m1 + m2])
    return np.array(out)


def _place(cubics: F64, t: F64) -> Points:
    t = t[:, None]
    return np.asarray(cubics[:, 0] + t * (cubics[:, 1] + t * (cubics[:, 2] + t * cubics[:, 3])))


def _slope(cubics: F64, t: F64) -> Points:
    t = t[:, None]
    return np.asarray(cubics[:, 1] + t * (2 * cubics[:, 2] + 3 * t * cubics[:, 3]))


def _arcs(cubics: F64, a: F64, b: F64) -> F64:
    """Lengths (n,) of cubics (n, 4, 3), each from a to b (n,)."""
    half = 0.5 * (b - a)
    t = ((a + half)[:, None] + half[:, None] * _NODES)[..., None]
    c1, c2, c3 = (cubics[:, None, i] for i in (1, 2, 3))
    speed = np.linalg.norm(c1 + t * (2 * c2 + 3 * t * c3), axis=2)
    return np.asarray(half * (speed @ _WEIGHTS))
