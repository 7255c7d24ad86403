"""Records of shading: paths that go on, rays towards lights, and first hits."""

import numpy as np

from ...kernel import device, routine
from ...material.row import BASE, BASE_WEIGHT, METALNESS, TRANSMISSION
from ...vectors import put
from .arrays import BENDS
from .bodies import put_ray
from .camera_rays import to_pixels
from .deform import place_of
from .prefetch import PATH_BYTES, SHADOW_BYTES, claim_rows
from .surface import place

PAIRS_PER_BOUNCE = 5
"""pick and lobe, place on the light, direction, hole and roulette, free path in a medium"""
ROULETTE_FROM = 2
UNLIT = np.uint32(0), np.float32(0.0)
"""Of paths that no light was aimed at for."""


@device
def survives(throughput, depth, u_roulette, worth=1.0):
    """Russian roulette: whether the path goes on, and its throughput then. worth: factor on the chance to go on."""
    if depth < ROULETTE_FROM:
        return True, throughput
    keep = min(0.95, worth * max(throughput[0], max(throughput[1], throughput[2])))
    return u_roulette < keep, (throughput[0] / keep, throughput[1] / keep, throughput[2] / keep)


@device
def pass_on(flight, n, ray, throughput, density, lit, footprint, state, draws):
    """Make this the n-th of the paths that go on; the fields of arrays.PATH.

    ray: origin (3,), direction (3,), time; lit: how the surface faces, what all lights give there; footprint: width,
    spread, way; state: media (4,), sample, depth, part, flags;
    draws: seed, number.
    """
    claim_rows(n, flight.rays_out, flight.paths_out, PATH_BYTES)
    origin, d, time = ray
    put_ray(flight.rays_out, n, origin, d, time)
    path = flight.paths_out[n]
    path.r, path.g, path.b = throughput
    path.density = density
    path.facing, path.total = lit
    path.width, path.spread, path.way = footprint
    media, path.slot, path.depth, path.part, path.flags = state
    path.inside, path.under, path.third, path.fourth = media
    path.seed, path.number = draws


@routine
def _record_first(samples, recording, world, slot, p, p_body, at, belongs):
    """Where the first hit is, how it moves to the next frame in pixels, and what it belongs to."""
    body, triangle, u, v = at
    part, row = belongs
    f, shapes = samples.first, world.geometry.shapes
    put(f, slot, p)
    bends = world.bodies.moving[body] == BENDS
    q = place_of(shapes, 0, triangle, u, v) if bends else p_body
    a = place(recording.cameras[0], place(recording.bodies[0, body], q))
    ax, ay = to_pixels(recording.projection[0], a)
    for k in range(1, 3):
        if bends:
            q = place_of(shapes, k, triangle, u, v)
        b = place(recording.cameras[k], place(recording.bodies[k, body], q))
        bx, by = to_pixels(recording.projection[k], b)
        if a[2] < -1e-9 and b[2] < -1e-9:
            f[slot, 1 + 2 * k] = bx - ax
            f[slot, 2 + 2 * k] = by - ay
    f[slot, 7], f[slot, 8], f[slot, 9] = p_body
    f[slot, 10], f[slot, 11] = part + 1.0, world.materials.ranges[row, 9] + 1.0


@device
def record_visible(samples, recording, world, slot, way, p, p_body, at, belongs):
    """Record the first hit of a camera ray.

    way: m from the camera; p, p_body: (3,) in the studio and in the body; at: body, triangle, u, v; belongs: part,
    material row.
    """
    sample = samples.items[slot]
    sample.covered = 1.0
    sample.subject = 1.0 if belongs[0] >= recording.subject_from else 0.0
    sample.depth = way
    if recording.first:
        _record_first(samples, recording, world, slot, p, p_body, at, belongs)


@device
def record_guides(sample, throughput, v, normal):
    """Albedo and normal for the guide passes."""
    glass = v[TRANSMISSION] * (1.0 - v[METALNESS])
    w = v[BASE_WEIGHT] * (1.0 - glass)
    clear = 1.0 / max(1.0 - sample.veil, 1e-3)  # haze before it is no part of its colour
    sample.albedo_r = clear * throughput[0] * (w * v[BASE] + glass)
    sample.albedo_g = clear * throughput[1] * (w * v[BASE + 1] + glass)
    sample.albedo_b = clear * throughput[2] * (w * v[BASE + 2] + glass)
    sample.normal_x, sample.normal_y, sample.normal_z = normal


@device
def cast_shadow(shadows, s, ray, distance, brings, slot, depth, layers):
    """Make this the s-th of the rays towards lights; the fields of arrays.SHADOW.

    ray: origin (3,), direction (3,), time; brings: (3,) by diffuse and (3,) by specular scattering; layers: of the
    light, and of the components of both.
    """
    claim_rows(s, shadows.rays, shadows.items, SHADOW_BYTES)
    origin, wi, time = ray
    put_ray(shadows.rays, s, origin, wi, time)
    shadows.distance[s] = distance
    shadow = shadows.items[s]
    shadow.dr, shadow.dg, shadow.db = brings[0]
    shadow.sr, shadow.sg, shadow.sb = brings[1]
    shadow.slot, shadow.depth = slot, depth
    shadow.group, shadow.first, shadow.second = layers
