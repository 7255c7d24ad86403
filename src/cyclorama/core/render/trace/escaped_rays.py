"""Rays that leave the set, side by side (see `core.wide`): lights on their way, then the environment."""

import numpy as np

from ...batched import BLOCK
from ...kernel import device, routine
from ...light.direction_bins import bin_in
from ...light.environment import environment_at, latitude, longitude
from ...vectors import turned_about_axis
from .arrays import FROM_AIR, FROM_CAMERA, KIND_MASK, KIND_SHIFT
from .block import DX, DY, DZ, FX, FY, FZ, PX, PY, PZ
from .direct import component_of, deposit, find_near, group_of, heuristic, meet_near
from .light_sampling import apart, share
from .prefetch import ROWS_AHEAD, fetch_pixels, fetch_rows, fetch_sample

PLACE_U, PLACE_V, HEIGHT = FX, FY, FZ
"""Where the environment's picture is met (0…1), and its own y of the direction; rows of the block."""


@routine
def _take_in(which, rays, hits, paths, samples, b):
    for j in range(which.shape[0]):
        i = np.uint64(which[j])
        fetch_rows(i + np.uint64(ROWS_AHEAD), rays, hits, paths)
        fetch_sample(paths[i].slot, samples.items)
        b[PX + j], b[PY + j], b[PZ + j] = rays.origin[i, 0], rays.origin[i, 1], rays.origin[i, 2]
        b[DX + j], b[DY + j], b[DZ + j] = rays.direction[i, 0], rays.direction[i, 1], rays.direction[i, 2]


@routine
def find_places(m, b):
    """Where rays meet the environment, which `m` (3, 3) turns into the studio."""
    ax, ay, az, bx, by, bz = m[0, 0] * 1.0, m[1, 0] * 1.0, m[2, 0] * 1.0, m[0, 1] * 1.0, m[1, 1] * 1.0, m[2, 1] * 1.0
    cx, cy, cz = m[0, 2] * 1.0, m[1, 2] * 1.0, m[2, 2] * 1.0
    for j in range(BLOCK):
        x, y, z = b[DX + j], b[DY + j], b[DZ + j]
        up = bx * x + by * y + bz * z
        b[PLACE_U + j] = longitude(ax * x + ay * y + az * z, cx * x + cy * y + cz * z)
        b[PLACE_V + j] = latitude(up)
        b[HEIGHT + j] = up


@routine
def _turn_back(which, rays, travel, b):
    """Take directions to where the environment stands in the middle of the shutter."""
    for j in range(which.shape[0]):
        d = b[DX + j] * 1.0, b[DY + j] * 1.0, b[DZ + j] * 1.0
        x, _, z = turned_about_axis(d, (0.5 - rays.time[which[j]]) * travel)
        b[DX + j], b[DZ + j] = x, z


@device
def _sees(lights, flags):
    if flags & FROM_AIR:
        return False
    return lights.env_seen if flags & FROM_CAMERA else lights.env_reflected


@routine
def _meet_environment(which, paths, lights, env, recording, samples, b):
    for j in range(which.shape[0]):
        fetch_pixels(env.pixels, b[PLACE_U + j], b[PLACE_V + j])
    n = lights.rows.shape[0]
    for j in range(which.shape[0]):
        path = paths[which[j]]
        flags = path.flags
        if not _sees(lights, flags):
            continue
        facing = bin_in(path.facing)
        (r, g, bl), chance = environment_at(env, facing, b[PLACE_U + j], b[PLACE_V + j], b[HEIGHT + j])
        w = lights.env_scale * 1.0
        if path.density > 0.0:
            odds = share(
                lights, n + 1, lights.env_scale * env.strength[facing], path.total * 1.0, apart(lights, path.depth - 1)
            )
            w *= heuristic(path.density * 1.0, chance * odds)
        deposit(
            samples,
            recording,
            np.uint64(path.slot),
            path.depth,
            group_of(recording, n + 1),
            component_of(recording, (flags >> KIND_SHIFT) & KIND_MASK, path.depth),
            w * path.r * r,
            w * path.g * g,
            w * path.b * bl,
        )


@routine
def shade_misses(which, count, world, flight, recording, samples, block):
    """Radiance of the rays numbered by the first `count` of `which` (n,), which meet no surface."""
    rays, hits, paths, lights = flight.rays, flight.hits, flight.paths, world.lights
    b = block.numbers
    for begin in range(0, count, BLOCK):
        here = which[begin : min(begin + BLOCK, count)]
        _take_in(here, rays, hits, paths, samples, b)
        find_near(lights.rows, b, block.spots)
        meet_near(here, block.spots, rays, hits, paths, world, recording, samples)
        if lights.env_scale > 0.0:
            if lights.env_travel != 0.0:
                _turn_back(here, rays, lights.env_travel, b)
            find_places(lights.env_turn, b)
            _meet_environment(here, paths, lights, world.environment, recording, samples, b)
