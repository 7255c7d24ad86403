"""Balls around what glows behind glass in a frame, and around that glass, for `trace.glow_targets`.

A few hundred rays are sent out from the glow. Where they meet glass before anything else, paths are turned to them.
"""

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from ...material.row import TRANSMISSION
from ..trace.arrays import F64, Bodies, Geometry, Materials, Rays, make_hits, make_scratch
from ..trace.bodies import nearest_hits
from ..trace.glow_targets import NO_TARGETS, Targets
from .lights import Glow

RAYS = 512
LEAST_SHARE = 0.02
"""Share of the rays that glass must meet."""
PIECES = 4
"""How many balls hold the glow, one beside the other along its longest way."""
GLASS_SHARE = 0.5
"""Share of the paths that goes to the glass as a whole rather than straight to the glow in it: glass bends them."""
MARGIN = 1.02
OFF_M = 1e-5
"""Rays begin so far from the glow."""


def targets_of(glow: Glow, where: Bodies, geometry: Geometry, materials: Materials) -> Targets:
    """Targets of a frame, in the middle of its shutter; none where no glass stands before a glow."""
    clear = materials.values[:, TRANSMISSION] > 0.0
    if glow.total <= 0.0 or not clear[geometry.material].any():
        return NO_TARGETS
    corners = _in_studio(glow, where)
    places, triangles = _first_met(glow, corners, where)
    through = (triangles >= 0) & clear[geometry.material[triangles]]
    if through.mean() < LEAST_SHARE:
        return NO_TARGETS
    pieces = _pieces(corners, np.diff(glow.share))
    places, parts = places[through], geometry.part[triangles[through]]
    balls = [(*_ball(points), (1.0 - GLASS_SHARE) * share) for points, share in pieces]
    balls += [(*_ball(places[parts == part]), GLASS_SHARE * float(np.mean(parts == part))) for part in np.unique(parts)]
    return Targets(np.array(balls, np.float64), len(pieces))


def _in_studio(glow: Glow, where: Bodies) -> F64:
    """Corners (k, 3, 3) of the glowing triangles."""
    placed = np.empty_like(glow.corners)
    last = where.keys.shape[1] - 1
    for body in np.unique(glow.bodies):
        key = (where.keys[body, last // 2] + where.keys[body, last - last // 2]).astype(np.float64) / 2.0
        of = glow.bodies == body
        placed[of] = glow.corners[of] @ Rotation.from_quat(key[:4]).as_matrix().T + key[4:]
    return placed


def _first_met(glow: Glow, corners: F64, where: Bodies) -> tuple[F64, NDArray[np.int32]]:
    """Places (RAYS, 3) and triangles (RAYS,), −1 for none, that rays from all over the glow meet first, any way."""
    u = np.random.default_rng(0).random((5, RAYS))
    chosen = np.clip(np.searchsorted(glow.share, u[0], "right") - 1, 0, len(corners) - 1)
    a, b = np.sqrt(u[1]) * (1.0 - u[2]), np.sqrt(u[1]) * u[2]
    origins = (corners[chosen] * np.stack([1.0 - a - b, a, b], axis=1)[..., None]).sum(axis=1)
    z, turn = 1.0 - 2.0 * u[3], 2.0 * np.pi * u[4]
    side = np.sqrt(np.maximum(1.0 - z * z, 0.0))
    ways = np.stack([side * np.cos(turn), side * np.sin(turn), z], axis=1)
    origins += OFF_M * ways
    rays = Rays(origins.astype(np.float32), ways.astype(np.float32), np.full(RAYS, 0.5, np.float32))
    hits = make_hits(RAYS)
    nearest_hits(where, rays, RAYS, make_scratch(), hits)
    way = np.where(hits.triangle >= 0, hits.t, np.float32(0.0))
    return origins + way[:, None] * ways, hits.triangle


def _pieces(corners: F64, power: NDArray[np.float32]) -> list[tuple[F64, float]]:
    """Corners (n, 3) of each piece of the glow and its share of the power: slices across its longest way."""
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
