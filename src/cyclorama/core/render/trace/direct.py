"""Light that is aimed at, light that is met by chance, and on which layers of the film it counts."""

import math

import numpy as np

from ...batched import BLOCK
from ...cumulative import draw
from ...kernel import device, routine
from ...light.environment import draw_place, environment_from
from ...light.shapes import (
    CASTS,
    CENTRE,
    CONTACT,
    FAR,
    FREE,
    FREE_SHARE,
    HELD_SHARE,
    KIND,
    LIFTED,
    REACH,
    REFLECTED,
    SEEN,
    SUN,
    TRAVEL,
    aim_at,
    light_hit,
)
from ...material.row import COAT, COAT_COLOR, EMISSION, OPACITY
from ...vectors import cross, dot, get, turned_about_axis
from .arrays import BY_AIR, FROM_AIR, FROM_CAMERA, KIND_MASK, KIND_SHIFT
from .block import DX, DY, DZ, NEAR, PX, PY, PZ
from .bodies import moving_as, stand_at
from .deform import corners_at
from .haze import transmittance
from .light_sampling import chance_of
from .parameters import opacity_of, resolve
from .prefetch import fetch_pixels, fetch_triangle
from .sampler import combine
from .surface import corner, hit_surface, mix3, place, scale_point, texture_point, turn


@device
def heuristic(a, b):
    """Power heuristic with exponent 2 for densities a (used) and b (other)."""
    if a <= 0.0:
        return 0.0
    r = b / a
    return 1.0 / (1.0 + r * r)


@device
def component_of(recording, kind, depth):
    """Layer of the component for light that arrives after `depth` scatterings, the first of this kind; −1: none."""
    if kind == BY_AIR:
        return recording.air
    if recording.components < 0:
        return -1
    if kind == 0:
        return recording.components
    return recording.components + kind + (3 if depth > 1 else 0)


@device
def deposit(samples, recording, slot, depth, group, component, r, g, b):
    """Add light to a sample's picture and to its layers, held down where it is indirect and too bright."""
    sample = samples.items[slot]
    if recording.clamp > 0.0 and depth > 1:
        top = max(r, max(g, b))
        if top > recording.clamp:
            k = recording.clamp / top
            sample.clamped += (1.0 - k) * (0.2126 * r + 0.7152 * g + 0.0722 * b)
            r, g, b = r * k, g * k, b * k
    sample.r += r
    sample.g += g
    sample.b += b
    if group >= 0:
        add(samples.layers, slot, group, r, g, b)
    if component >= 0:
        add(samples.layers, slot, component, r, g, b)


@device
def add(layers, slot, layer, r, g, b):
    layers[slot, 3 * layer] += r
    layers[slot, 3 * layer + 1] += g
    layers[slot, 3 * layer + 2] += b


@device
def group_of(recording, k):
    """Layer of the k-th source of light, −1: not kept."""
    return recording.groups[k] if recording.groups.shape[0] > 0 else -1


@device
def before(rays, i, path):
    """Where the i-th ray was scattered last, before the holes it has passed since (3,)."""
    way = path.way * 1.0
    o, d = rays.origin[i], rays.direction[i]
    return o[0] - way * d[0], o[1] - way * d[1], o[2] - way * d[2]


@device
def crosses_haze(world, path):
    """True when a path is in air that holds haze: `air.meet_in_haze` has counted the lights it meets."""
    return world.air.on and path.inside < 0


@device
def meet_lights(i, rays, hits, path, world, recording, samples, throughput):
    """Lights between here and the hit, met by a ray that was sampled from a surface (or by the camera)."""
    flags, lights, env = path.flags, world.lights, world.environment
    if flags & FROM_AIR:
        return
    direct = (flags & FROM_CAMERA) != 0
    o, d = before(rays, i, path), get(rays.direction, i)
    way = path.way * 1.0
    reach = hits.t[i] + way if hits.triangle[i] >= 0 else 2.0 * FAR
    density, kind, depth = path.density * 1.0, (flags >> KIND_SHIFT) & KIND_MASK, path.depth
    rows, since_middle = lights.rows, rays.time[i] - 0.5
    for k in range(rows.shape[0]):
        if direct:
            if rows[k, SEEN] == 0.0:
                continue
        elif density > 0.0:
            # these are only ever aimed at
            if rows[k, CASTS] != 1.0 or rows[k, REFLECTED] == 0.0:
                continue
        elif rows[k, REFLECTED] == 0.0:
            continue
        if lights.spared.shape[0] > 0 and path.part >= 0 and lights.spared[k, path.part]:
            continue
        if rows[k, TRAVEL] != 0.0:  # the ray is taken to where the light stands in the middle of the shutter
            back = -since_middle * rows[k, TRAVEL]
            t, chance, radiance = light_hit(
                rows, lights.gobos, k, turned_about_axis(o, back), turned_about_axis(d, back)
            )
        else:
            t, chance, radiance = light_hit(rows, lights.gobos, k, o, d)
        if way < t < reach:
            w = 1.0
            if density > 0.0:
                w = heuristic(
                    density, chance * chance_of(lights, env, k, o, path.facing, path.total, rays.time[i] * 1.0, depth)
                )
            if crosses_haze(world, path):
                word = combine(combine(path.seed, path.number), depth)
                w *= transmittance(world.air, get(rays.origin, i), d, t - way, word)
            deposit(
                samples,
                recording,
                path.slot,
                depth,
                group_of(recording, k),
                component_of(recording, kind, depth),
                w * throughput[0] * radiance[0],
                w * throughput[1] * radiance[1],
                w * throughput[2] * radiance[2],
            )


@routine
def find_near(rows, b, spots):
    """True when a ray passes the ball around any light, or there is one that stands nowhere (the sun) or travels."""
    for j in range(BLOCK):
        spots[NEAR + j] = 0
    for k in range(rows.shape[0]):
        x, y, z = rows[k, CENTRE] * 1.0, rows[k, CENTRE + 1] * 1.0, rows[k, CENTRE + 2] * 1.0
        reach = 1e15 if rows[k, KIND] == SUN or rows[k, TRAVEL] != 0.0 else rows[k, REACH] * 1.0
        reach2 = reach * reach
        for j in range(BLOCK):
            ax, ay, az = x - b[PX + j], y - b[PY + j], z - b[PZ + j]
            along = ax * b[DX + j] + ay * b[DY + j] + az * b[DZ + j]
            spots[NEAR + j] += 1 if ax * ax + ay * ay + az * az - along * along <= reach2 else 0


@routine
def meet_near(which, spots, rays, hits, paths, world, recording, samples):
    """Lights that rays meet on their way."""
    for j in range(which.shape[0]):
        if spots[NEAR + j] != 0:
            i = np.uint64(which[j])
            path = paths[i]
            if not crosses_haze(world, path):
                meet_lights(i, rays, hits, path, world, recording, samples, (path.r * 1.0, path.g * 1.0, path.b * 1.0))


@device
def luminance_of(row):
    return 0.2126 * row[EMISSION] + 0.7152 * row[EMISSION + 1] + 0.0722 * row[EMISSION + 2]


@device
def glow_weight(world, source_row, path, origin, distance, cosine, time):
    """Share of light from a glowing surface that a ray found by chance may count; the rest is aimed at."""
    density, lights = path.density * 1.0, world.lights
    if path.flags & FROM_AIR and lights.mesh_total > 0.0:
        return 0.0
    if density <= 0.0 or lights.mesh_total <= 0.0:
        return 1.0
    n = lights.rows.shape[0]
    share = chance_of(lights, world.environment, n, origin, path.facing, path.total, time, path.depth)
    chance = luminance_of(source_row) / lights.mesh_total * distance * distance / max(abs(cosine), 1e-6)
    return heuristic(density, chance * share)


@device
def draw_part(lights, env, geometry, k, facing, u1, u2):
    """Which part of the k-th source to aim at, as two numbers, and where on that (0…1, 0…1).

    facing: bin of how the surface faces. What aiming will read of it lies anywhere in memory, so it is asked for
    already.
    """
    n = lights.rows.shape[0]
    a, b, x, y = 0, 0, u1, u2
    if k == n:
        a = draw(lights.mesh_share, lights.mesh_guide, u1)
        low, high = lights.mesh_share[a], lights.mesh_share[a + 1]
        x = min(max((u1 - low) / max(high - low, 1e-20), 0.0), 0.9999999)
        fetch_triangle(geometry.corners, lights.mesh_triangle[a])
    elif k > n:
        a, b, x, y = draw_place(env, facing, u1, u2)
        fetch_pixels(env.pixels, x, y)
    return a, b, x, y


@device
def emission_of(values):
    """Emission (3,) of a resolved row, seen through its coat."""
    c = values[COAT] * 1.0
    return (
        values[EMISSION] * (1.0 + c * (values[COAT_COLOR] - 1.0)),
        values[EMISSION + 1] * (1.0 + c * (values[COAT_COLOR + 1] - 1.0)),
        values[EMISSION + 2] * (1.0 + c * (values[COAT_COLOR + 2] - 1.0)),
    )


@routine
def _glow_at(geometry, materials, textures, scratch, triangle, u, v):
    """Radiance (3,) of a place on a glowing triangle: by its maps, through its coat, as far as it is not a hole."""
    row = np.uint64(geometry.material[triangle])
    values = materials.values[row]
    if materials.ranges[row, 4]:
        p, flat, _, _ = hit_surface(geometry.corners, triangle, u, v)
        values = scratch.glow
        resolve(materials, textures, row, texture_point(geometry, triangle, u, v), p, flat, 0.0, values)
    opacity = opacity_of(values) if values[OPACITY] < 1.0 else 1.0
    r, g, b = emission_of(values)
    return opacity * r, opacity * g, opacity * b


@device
def _aim_at_glow(world, scratch, g, u1, u2, p, time):
    """A point of the g-th glowing triangle: direction (3,), distance, radiance (3,), density.

    Triangles are drawn by what they give without maps: so `glow_weight` knows the density of any hit.
    """
    lights, geometry, materials, bodies = world.lights, world.geometry, world.materials, world.bodies
    triangle, body, copy = lights.mesh_triangle[g], lights.mesh_body[g], lights.mesh_copy[g]
    root = math.sqrt(u1)
    u, v = root * (1.0 - u2), root * u2
    c, at = corners_at(geometry, bodies.moving[body], triangle, time, scratch)
    a, b, e = corner(c, at, 0), corner(c, at, 3), corner(c, at, 6)
    q = mix3(a, b, e, u, v)
    n = cross((b[0] - a[0], b[1] - a[1], b[2] - a[2]), (e[0] - a[0], e[1] - a[1], e[2] - a[2]))
    k = 1.0 / max(math.sqrt(dot(n, n)), 1e-30)
    if moving_as(bodies, body, copy):
        m = scratch.matrix
        size = stand_at(bodies, body, copy, time, m)
        q, n = place(m, scale_point(q, size)), turn(m, n)
    x, y, z = q[0] - p[0], q[1] - p[1], q[2] - p[2]
    d2 = x * x + y * y + z * z
    distance = math.sqrt(d2)
    inv = 1.0 / max(distance, 1e-20)
    d = (x * inv, y * inv, z * inv)
    cosine = abs(dot(d, n)) * k
    row = materials.values[geometry.material[triangle]]
    density = luminance_of(row) / lights.mesh_total * d2 / max(cosine, 1e-6)
    if cosine < 1e-6:
        density = 0.0
    radiance = _glow_at(geometry, materials, world.textures, scratch, np.uint64(triangle), u, v)
    return d, distance * 0.9999, radiance, density


@device
def _lifted(rows, k, u, distance, radiance):
    """Distance and radiance (3,) of a sample of a light that partly passes into its shadows (`rows._lift_shadows`)."""
    u = u * 4096.0  # where on the light it lies is told by the leading digits
    u -= math.floor(u)
    first = HELD_SHARE
    if u < rows[k, FREE]:
        first, distance = FREE_SHARE, 0.0
    else:
        distance = min(distance, rows[k, CONTACT] * 1.0)
    r, g, b = radiance
    return distance, (r * rows[k, first], g * rows[k, first + 1], b * rows[k, first + 2])


@device
def aim(world, scratch, k, share, spot, facing, p, time, part):
    """The direction from a point p (3,) on a part to a place of the k-th source that was drawn (see `draw_part`).

    share: chance with which the source was chosen; facing: bin of how the surface faces.

    Returns source k (−1: nothing to aim at), direction, distance (0: casts no shadows), radiance (3,), density, and
    whether it is only ever aimed at (1), or that and not reflected (2).
    """
    lights = world.lights
    a, b, u1, u2 = spot
    n = lights.rows.shape[0]
    nowhere = (0.0, 1.0, 0.0)
    if share <= 0.0:
        return -1, nowhere, 0.0, (0.0, 0.0, 0.0), 0.0, 0
    only, air, start = 0, world.air, p
    if k < n:
        if lights.spared.shape[0] > 0 and part >= 0 and lights.spared[k, part]:
            return -1, nowhere, 0.0, (0.0, 0.0, 0.0), 0.0, 0
        travelled = (time - 0.5) * lights.rows[k, TRAVEL]
        if travelled != 0.0:
            p = turned_about_axis(p, -travelled)
        d, distance, radiance, density = aim_at(lights.rows, lights.gobos, k, u1, u2, p)
        if travelled != 0.0:
            d = turned_about_axis(d, travelled)
        distance *= 0.9999
        whole = distance
        if lights.rows[k, CASTS] == 0.0:
            only, distance = 1, 0.0
        elif lights.rows[k, CASTS] == LIFTED:
            only = 1
            distance, radiance = _lifted(lights.rows, k, u1, distance, radiance)
        if lights.rows[k, REFLECTED] == 0.0:
            only = 2
    elif k == n:
        d, distance, radiance, density = _aim_at_glow(world, scratch, a, u1, u2, p, time)
        whole = distance
    else:
        d, (r, g, b), density = environment_from(world.environment, facing, a, b, u1, u2, lights.env_turn)
        if lights.env_travel != 0.0:
            d = turned_about_axis(d, (time - 0.5) * lights.env_travel)
        s = lights.env_scale * 1.0
        distance, radiance = FAR, (s * r, s * g, s * b)
        whole = distance
        if not lights.env_reflected:
            only = 2
    if density <= 0.0:
        return -1, nowhere, 0.0, (0.0, 0.0, 0.0), 0.0, 0
    if air.on:
        word = combine(np.uint32(u1 * 4294967295.0), np.uint32(u2 * 4294967295.0))
        through = transmittance(air, start, d, whole, word)
        radiance = radiance[0] * through, radiance[1] * through, radiance[2] * through
    return k, d, distance, radiance, density * share, only
