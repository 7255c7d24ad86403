"""What shading writes down: paths that go on, rays towards lights, and what the camera sees first."""

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


@device
def pass_on(
    paths_out, rays_out, n, origin, d, time, throughput, density, inside, slot, flags, depth, part, width, spread, way,
    seed, number,
):  # fmt: skip
    """Make this the n-th of the paths that go on."""
    claim_rows(n, rays_out, paths_out, PATH_BYTES)
    put_ray(rays_out, n, origin, d, time)
    path = paths_out[n]
    path.r, path.g, path.b = throughput
    path.density = density
    path.width, path.spread, path.way = width, spread, way
    path.inside, path.slot, path.depth, path.part, path.flags = inside, slot, depth, part, flags
    path.seed, path.number = seed, number


@routine
def _record_first(samples, recording, bodies, shapes, slot, p, p_body, body, triangle, u, v, part, row):
    """Where the first hit is, how it moves to the next frame in pixels, and what it belongs to."""
    f = samples.first
    put(f, slot, p)
    bends = bodies.moving[body] == BENDS
    q = place_of(shapes, 0, triangle, u, v) if bends else p_body
    a = place(recording.cameras[0], place(recording.bodies[0, body], q))
    ax, ay = to_pixels(recording.projection, a)
    for k in range(1, 3):
        if bends:
            q = place_of(shapes, k, triangle, u, v)
        b = place(recording.cameras[k], place(recording.bodies[k, body], q))
        bx, by = to_pixels(recording.projection, b)
        if a[2] < -1e-9 and b[2] < -1e-9:
            f[slot, 1 + 2 * k] = bx - ax
            f[slot, 2 + 2 * k] = by - ay
    f[slot, 7], f[slot, 8], f[slot, 9] = p_body
    f[slot, 10], f[slot, 11] = part + 1.0, row + 1.0


@device
def record_visible(samples, recording, bodies, shapes, slot, way, p, p_body, body, triangle, u, v, part, row):
    """What the camera sees first."""
    sample = samples.items[slot]
    sample.covered = 1.0
    sample.subject = 1.0 if part >= recording.subject_from else 0.0
    sample.depth = way
    if recording.first:
        _record_first(samples, recording, bodies, shapes, slot, p, p_body, body, triangle, u, v, part, row)


@device
def record_guides(sample, throughput, v, normal):
    """Albedo and normal for the guide passes."""
    glass = v[TRANSMISSION] * (1.0 - v[METALNESS])
    w = v[BASE_WEIGHT] * (1.0 - glass)
    sample.albedo_r = throughput[0] * (w * v[BASE] + glass)
    sample.albedo_g = throughput[1] * (w * v[BASE + 1] + glass)
    sample.albedo_b = throughput[2] * (w * v[BASE + 2] + glass)
    sample.normal_x, sample.normal_y, sample.normal_z = normal


@device
def cast_shadow(shadows, s, origin, wi, time, distance, slot, depth, diffuse, specular, group, first, second):
    """Make this the s-th of the rays towards lights, which brings so much by diffuse and by specular scattering."""
    claim_rows(s, shadows.rays, shadows.items, SHADOW_BYTES)
    put_ray(shadows.rays, s, origin, wi, time)
    shadows.distance[s] = distance
    shadow = shadows.items[s]
    shadow.dr, shadow.dg, shadow.db = diffuse
    shadow.sr, shadow.sg, shadow.sb = specular
    shadow.slot, shadow.depth = slot, depth
    shadow.group, shadow.first, shadow.second = group, first, second
