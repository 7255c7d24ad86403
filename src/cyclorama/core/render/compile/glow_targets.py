"""Balls around what glows behind glass in a frame, and around that glass, for `trace.glow_targets`.

A few hundred rays are sent out from the glow. Where they meet glass before anything else, paths are turned to them.
"""

import numpy as np

from ...light.direction_bins import bin_directions
from ...material.row import TRANSMISSION
from ..trace.arrays import F32, F64, I32, Bodies, Geometry, Materials, Rays, make_hits, make_scratch
from ..trace.bodies import nearest_hits
from ..trace.glow_targets import NO_TARGETS, Targets
from .lights import Glow, ball_around

LEAST_SHARE = 0.02
"""Share of the rays that glass must meet."""
GLASS_SHARE = 0.5
"""Share of the paths that goes to the glass as a whole rather than straight to the glow in it: glass bends them."""
OFF_M = 1e-5
"""Rays begin so far from the glow."""


def targets_of(glow: Glow, placed: F32, where: Bodies, geometry: Geometry, materials: Materials) -> Targets:
    """Targets of a frame; none where no glass stands before a glow. placed: (b, 3, 4) body → studio."""
    clear = materials.values[:, TRANSMISSION] > 0.0
    if glow.total <= 0.0 or not clear.any():
        return NO_TARGETS
    places, triangles = _first_met(_in_studio(*glow.places, placed), where)
    through = (triangles >= 0) & clear[geometry.material[triangles]]
    if through.mean() < LEAST_SHARE:
        return NO_TARGETS
    bodies, middles, radii, shares = glow.slices
    slices = np.column_stack([_in_studio(bodies, middles, placed), radii, (1.0 - GLASS_SHARE) * shares])
    places, parts = places[through], geometry.part[triangles[through]]
    glass = [(*ball_around(places[parts == part]), GLASS_SHARE * np.mean(parts == part)) for part in np.unique(parts)]
    return Targets(np.concatenate([slices, np.array(glass, np.float64)]), len(slices))


def _in_studio(bodies: I32, points: F64, placed: F32) -> F64:
    """Points (n, 3), each in the space of a body, in the studio."""
    poses = placed[bodies].astype(np.float64)
    return np.asarray((poses[:, :, :3] @ points[:, :, None])[..., 0] + poses[:, :, 3])


def _first_met(points: F64, where: Bodies) -> tuple[F64, I32]:
    """First hits of rays from points (n, 3) in all directions: places (n, 3), and triangles (n,), −1 for none."""
    count = len(points)
    directions = np.resize(bin_directions(), (count, 3))
    origins = points + OFF_M * directions
    rays = Rays(origins.astype(np.float32), directions.astype(np.float32), np.full(count, 0.5, np.float32))
    hits = make_hits(count)
    nearest_hits(where, rays, count, make_scratch(), hits)
    distance = np.where(hits.triangle >= 0, hits.t, np.float32(0.0))
    return origins + distance[:, None] * directions, hits.triangle
