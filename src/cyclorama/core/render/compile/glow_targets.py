"""Balls around what glows behind glass in a frame, and around that glass, for `trace.glow_targets`.

A few hundred rays are sent out from the glow. Where they meet glass before anything else, paths are turned to them.
"""

import numpy as np
from numpy.typing import NDArray

from ...light.direction_bins import bin_directions
from ...material.row import TRANSMISSION
from ..trace.arrays import F32, F64, Bodies, Geometry, Materials, Rays, make_hits, make_scratch
from ..trace.bodies import nearest_hits
from ..trace.glow_targets import NO_TARGETS, Targets
from .lights import Glow
from .views import spread_points

RAYS = 512
LEAST_SHARE = 0.02
"""Share of the rays that glass must meet."""
PIECES = 4
"""Number of slices into which the glow is cut across its length; each has a ball."""
GLASS_SHARE = 0.5
"""Share of the paths that goes to the glass as a whole rather than straight to the glow in it: glass bends them."""
MARGIN = 1.02
OFF_M = 1e-5
"""Rays begin so far from the glow."""


def targets_of(glow: Glow, placed: F32, where: Bodies, geometry: Geometry, materials: Materials) -> Targets:
    """Targets of a frame; none where no glass stands before a glow. placed: (b, 3, 4) body → studio."""
    clear = materials.values[:, TRANSMISSION] > 0.0
    if glow.total <= 0.0 or not clear.any():
        return NO_TARGETS
    turns, power = placed[glow.bodies].astype(np.float64), np.diff(glow.share)
    corners = glow.corners @ turns[..., :3].transpose(0, 2, 1) + turns[:, None, :, 3]
    places, triangles = _first_met(corners, power, where)
    through = (triangles >= 0) & clear[geometry.material[triangles]]
    if through.mean() < LEAST_SHARE:
        return NO_TARGETS
    pieces = _pieces(corners, power)
    places, parts = places[through], geometry.part[triangles[through]]
    balls = [(*_ball(points), (1.0 - GLASS_SHARE) * share) for points, share in pieces]
    balls += [(*_ball(places[parts == part]), GLASS_SHARE * float(np.mean(parts == part))) for part in np.unique(parts)]
    return Targets(np.array(balls, np.float64), len(pieces))


def _first_met(corners: F64, power: F32, where: Bodies) -> tuple[F64, NDArray[np.int32]]:
    """The first hits of rays that leave the glow from everywhere in all directions: places (RAYS, 3), and triangles
    (RAYS,), −1 for none."""
    chosen, weights = spread_points(power, RAYS)
    directions = np.resize(bin_directions(), (RAYS, 3))
    origins = (corners[chosen] * weights).sum(axis=1) + OFF_M * directions
    rays = Rays(origins.astype(np.float32), directions.astype(np.float32), np.full(RAYS, 0.5, np.float32))
    hits = make_hits(RAYS)
    nearest_hits(where, rays, RAYS, make_scratch(), hits)
    distance = np.where(hits.triangle >= 0, hits.t, np.float32(0.0))
    return origins + distance[:, None] * directions, hits.triangle


def _pieces(corners: F64, power: F32) -> list[tuple[F64, float]]:
    """Slices of the glow across its length: corners (n, 3) and share of the power of each."""
    middle = corners.mean(axis=1)
    spread = (middle - power @ middle) * np.sqrt(power)[:, None]
    along = middle @ np.linalg.eigh(spread.T @ spread)[1][:, -1]
    edges = np.linspace(along.min(), along.max(), PIECES + 1)[1:-1]
    slice_of = np.searchsorted(edges, along)
    return [(corners[slice_of == k].reshape(-1, 3), float(power[slice_of == k].sum())) for k in np.unique(slice_of)]


def _ball(points: F64) -> tuple[float, float, float, float]:
    """Middle and radius of a ball around points (n, 3)."""
    middle = (points.min(axis=0) + points.max(axis=0)) / 2.0
    radius = float(np.linalg.norm(points - middle, axis=1).max()) * MARGIN
    x, y, z = middle.tolist()
    return x, y, z, radius
