"""Where something goes through the sweep, or is hidden behind it."""

import numpy as np
from numpy.typing import NDArray

from ..arrays import Points, Vec3
from ..scene import Sweep
from .set_edges import covered_rays, wall_m

F64 = NDArray[np.float64]


def hides(sweep: Sweep, points: Points, place: Vec3) -> bool:
    """True when floor and wall hide all of an outline (n, 3) from a place within the sweep (3,)."""
    floor, wall = _beyond(sweep, points)
    return bool((((floor < 0) | (wall < 0)) & covered_rays(sweep, place, points - place)).all())


def cuts(sweep: Sweep, points: Points) -> tuple[Points, Points]:
    """Places (k, 3) where the hull of an outline (n, 3) goes through floor and wall."""
    floor, wall = _beyond(sweep, points)
    on_floor, on_wall = _crossings(points, floor), _crossings(points, wall)
    y = on_wall[:, 1]
    on_wall = on_wall[_along_wall(sweep, on_wall) & (y >= 0) & (y < sweep.height_m)]
    return on_floor[_within_floor(sweep, on_floor)], on_wall


def _beyond(sweep: Sweep, points: Points) -> tuple[F64, F64]:
    """Height of points above the floor and distance before the wall, m."""
    x, y, z = points.T
    return y, wall_m(sweep) - np.hypot(x, z) if sweep.form == "round" else z + wall_m(sweep)


def _within_floor(sweep: Sweep, points: Points) -> NDArray[np.bool_]:
    x, _, z = points.T
    if sweep.form == "round":
        return np.asarray(np.hypot(x, z) <= wall_m(sweep))
    return np.asarray((np.abs(x) <= sweep.width_m / 2) & (np.abs(z) <= sweep.depth_m / 2))


def _along_wall(sweep: Sweep, points: Points) -> NDArray[np.bool_]:
    """True when there is wall before or behind them: all round, or as wide as the sweep."""
    return np.abs(points[:, 0]) <= (np.inf if sweep.form == "round" else sweep.width_m / 2)


def _crossings(points: Points, side: F64) -> Points:
    """Where lines between any two of some points come from one side (sign of (n,)) to the other."""
    a, b = np.nonzero((side[:, None] < 0) & (side[None, :] >= 0))
    share = (side[a] / (side[a] - side[b]))[:, None]
    return points[a] + share * (points[b] - points[a])
