"""Paths in haze, between one hit and the next.

Every path from the camera gathers light that is scattered once on its way: a source is chosen by what it gives to the
whole way, a place on the way is drawn by the angle under which that source sees it or by transmittance, both combined
by the balance heuristic (Kulla and Fajardo, "Importance Sampling Techniques for Path Tracing in Participating Media",
EGSR 2012, sections 3 to 5), and the source is aimed at from there. Ways on which no light of a source can fall, beside
a spot's cone or behind a panel, are left out.

Light that is scattered more often, or comes from surfaces, is found by paths that go on from the haze. From the camera
both go on, the path to the surface and, where it is scattered, another one; later on one of the two.
"""

import math

import numpy as np

from ...kernel import device, routine
from ...light.direction_bins import ANY_WAY
from ...light.shapes import CENTRE, COS_OUTER, FAR, GRID_TAN, KIND, NORMAL, REACH, SPHERE, SPOT, SUN, TRAVEL, TUBE
from ...trig import sincos_turns, turns_of
from ...vectors import dot, get, off_axis, turned_about_axis
from .arrays import BY_AIR, FROM_AIR, FROM_CAMERA, GUIDED, KIND_MASK, KIND_SHIFT
from .direct import aim, component_of, draw_part, group_of, meet_lights
from .haze import (
    distance_at,
    extinction,
    free_path,
    next_number,
    optical_depth,
    phase,
    phase_cosine,
    transmittance,
    unevenness,
    way_in_haze,
)
from .light_sampling import CARE, strength_of
from .media import NO_MEDIA
from .paths import UNLIT, cast_shadow, pass_on, survives
from .sampler import combine, sample_pair

AIR_PAIR = 1 << 16
"""First of the pairs of random numbers that are used in haze, away from those of surfaces."""
PAIRS_PER_STEP = 4
"""place and source, where on the source, direction, whether it is scattered and roulette"""
LEAST_BY_DEPTH = 0.1
"""Twice the share of places that are drawn by transmittance in the thinnest haze."""
GATHERING = 3.0
"""Later on the way light is gathered so many times as often as a path is scattered."""
SPLITTING = 3.0
"""From the camera a path goes on from the haze so many times as often as light is scattered, with as much less."""
SOFTER = 0.25
"""Share of a source's reach that is added to its distance from the way, so that places do not crowd beside it."""
WIDEST_TAN = 12.0
"""Cones wider than this leave out nothing."""


@device
def _in_cone(o, d, apex, axis, tangent, near, far):
    """The part of a way (near, far) within a cone."""
    w = (o[0] - apex[0], o[1] - apex[1], o[2] - apex[2])
    along, risen, c2 = dot(d, axis), dot(w, axis), 1.0 / (1.0 + tangent * tangent)
    a = along * along - c2
    b = risen * along - c2 * dot(w, d)
    c = risen * risen - c2 * dot(w, w)
    a = a if abs(a) > 1e-12 else -1e-12
    root = b * b - a * c
    if root <= 0.0:  # beside the cone, or through its apex
        if a < 0.0:
            return far, near
        at = -risen / along
        return (max(near, at), far) if along > 0.0 else (near, min(far, at))
    root = math.sqrt(root)
    first, second = min((-b - root) / a, (-b + root) / a), max((-b - root) / a, (-b + root) / a)
    if a < 0.0:
        if risen + 0.5 * (first + second) * along <= 0.0:  # in its mirror image
            return far, near
        return max(near, first), min(far, second)
    return (max(near, second), far) if along > 0.0 else (near, min(far, first))


@device
def _columns(rows, k, first):
    """Three columns of a light."""
    return rows[k, first] * 1.0, rows[k, first + 1] * 1.0, rows[k, first + 2] * 1.0


@device
def _lit_way(rows, k, o, d, near, far):
    """The part of a way (near, far) on which the k-th light can fall."""
    kind = rows[k, KIND]
    if kind in (SUN, SPHERE, TUBE):
        return near, far
    tangent = 1e30
    if kind == SPOT:
        c = max(rows[k, COS_OUTER] * 1.0, 1e-6)
        tangent = math.sqrt(max(1.0 - c * c, 0.0)) / c
    if rows[k, GRID_TAN] > 0.0:
        tangent = min(tangent, rows[k, GRID_TAN] * 1.0)
    axis, centre = _columns(rows, k, NORMAL), _columns(rows, k, CENTRE)
    if tangent < WIDEST_TAN:
        back = rows[k, REACH] / max(tangent, 1e-6)
        apex = (centre[0] - back * axis[0], centre[1] - back * axis[1], centre[2] - back * axis[2])
        return _in_cone(o, d, apex, axis, tangent, near, far)
    ahead = dot((o[0] - centre[0], o[1] - centre[1], o[2] - centre[2]), axis)
    along = dot(d, axis)
    if abs(along) < 1e-9:
        return (near, far) if ahead > 0.0 else (far, near)
    at = -ahead / along
    return (max(near, at), far) if along > 0.0 else (near, min(far, at))


@device
def _angle(off, near, far):
    """Angle (rad) under which a place `off` a way sees the part of it from `near` to `far`, told from where it passes
    nearest."""
    return 2.0 * math.pi * turns_of(off * (far - near), off * off + far * near)


@routine
def _source_along(rows, glow, sky, k, o, d, near, far, time):
    """Light of the k-th source on a way (near, far): how much, from where to where, and where and how far off the
    source is passed; that is 0 for sources far away.

    glow: centre (3,), reach and strength of all that glows; sky: what the environment gives to a metre of the way.
    """
    n, distant = rows.shape[0], sky
    x, y, z, reach, strength = glow
    if k < n:
        if rows[k, TRAVEL] != 0.0:  # its row is as in the middle of the shutter
            back = (0.5 - time) * rows[k, TRAVEL]
            o, d = turned_about_axis(o, back), turned_about_axis(d, back)
        near, far = _lit_way(rows, k, o, d, near, far)
        x, y, z = _columns(rows, k, CENTRE)
        reach, strength = rows[k, REACH] * 1.0, strength_of(rows, k)
        distant = strength
    if near >= far:
        return 0.0, near, far, 0.0, 0.0
    if k > n or (k < n and rows[k, KIND] == SUN):
        return distant * (far - near), near, far, 0.0, 0.0
    x, y, z = x - o[0], y - o[1], z - o[2]
    at = x * d[0] + y * d[1] + z * d[2]
    soft = SOFTER * reach
    off = math.sqrt(max(x * x + y * y + z * z - at * at, 0.0) + soft * soft + 1e-18)
    return strength * _angle(off, near - at, far - at) / off, near, far, at, off


@device
def _choose_source(lights, env, gives, o, d, near, far, time, u):
    """Choose a source for a way (near, far): which (−1: none), with what chance, and its part of the way as
    `_source_along` gives it."""
    rows, pick = lights.rows, lights.pick
    x, y, z = lights.glow_at[0] * 1.0, lights.glow_at[1] * 1.0, lights.glow_at[2] * 1.0
    glow = x, y, z, lights.glow_reach * 1.0, 0.25 * lights.mesh_total
    sky = 4.0 * lights.env_scale * env.strength[ANY_WAY]
    count, total = rows.shape[0] + 2, 0.0
    for k in range(count):
        gives[k] = 0.0
        if pick[k + 1] > pick[k]:
            gives[k] = _source_along(rows, glow, sky, k, o, d, near, far, time)[0]
        total += gives[k]
    source, chance = -1, 0.0
    for k in range(count):
        if gives[k] > 0.0:
            share = (1.0 - CARE) * gives[k] / total + CARE * (pick[k + 1] * 1.0 - pick[k] * 1.0)
            if 0.0 <= u < share:
                source, chance = k, share
            u -= share
    if source < 0:
        return -1, 0.0, near, far, 0.0, 0.0
    _, near, far, at, off = _source_along(rows, glow, sky, source, o, d, near, far, time)
    return source, chance, near, far, at, off


@device
def _draw_place(air, y, rise, near, far, at, off, u):
    """A place on a way (near, far), by the angle under which a source sees it or by transmittance; and its density.

    off: distance of the source from the way, 0: by transmittance alone.
    """
    whole = optical_depth(air, y, rise, near, far)
    lost = -math.expm1(-whole)
    first, angle, by_angle = 0.0, 1.0, 0.0
    if off > 0.0:
        first, angle = math.atan((near - at) / off), _angle(off, near - at, far - at)
        by_angle = 1.0 - 0.5 * min(max(whole, LEAST_BY_DEPTH), 1.0)  # thin haze dims little
    if u < by_angle:
        t = at + off * math.tan(first + u / by_angle * angle)
    else:
        t = distance_at(air, y, rise, near, -math.log1p(-(u - by_angle) / (1.0 - by_angle) * lost))
    t = min(max(t, near), far)
    density = extinction(air, y + rise * t) * math.exp(-optical_depth(air, y, rise, near, t)) / max(lost, 1e-30)
    if off > 0.0:
        x = t - at
        density = (1.0 - by_angle) * density + by_angle * off / (angle * (off * off + x * x))
    return t, density


@device
def _at(o, d, t):
    return o[0] + t * d[0], o[1] + t * d[1], o[2] + t * d[2]


@device
def _way(world, flight, i):
    """Distances at which the i-th path enters and leaves haze before its hit; none where from ≥ to."""
    if flight.paths[i].inside >= 0:
        return 1.0, 0.0
    met = flight.hits.triangle[i] >= 0
    return way_in_haze(
        world.air, get(flight.rays.origin, i), get(flight.rays.direction, i), flight.hits.t[i] * 1.0 if met else FAR
    )


@device
def _chain(path, step, of):
    """Word from which random numbers of a step are chained, for one of three uses."""
    return combine(combine(path.seed, path.number), np.uint32(AIR_PAIR + PAIRS_PER_STEP * step + of))


@routine
def meet_in_haze(count, world, flight, recording, samples):
    """Lights that paths in the air meet on their way."""
    for k in range(count):
        i = np.uint64(k)
        path = flight.paths[i]
        if path.inside < 0:
            throughput = path.r * 1.0, path.g * 1.0, path.b * 1.0
            meet_lights(i, flight.rays, flight.hits, path, world, recording, samples, throughput)


@routine
def gather_light(count, step, world, flight, recording, scratch):
    """Cast shadow rays from places on the ways of paths in the haze towards a source each; how many there are then."""
    air, lights, env, rays = world.air, world.lights, world.environment, flight.rays
    cast = np.int64(0)
    for i in range(count):
        near, far = _way(world, flight, np.uint64(i))
        if near >= far:
            continue
        path, time = flight.paths[i], rays.time[i] * 1.0
        o, d = get(rays.origin, i), get(rays.direction, i)
        word, u = next_number(_chain(path, step, 0))
        share = 1.0
        if not path.flags & FROM_CAMERA:
            share = min(1.0, -GATHERING * math.expm1(-optical_depth(air, o[1], d[1], near, far) * (1.0 + air.grain)))
            if u >= share:
                continue
        pair = AIR_PAIR + PAIRS_PER_STEP * step
        u_place, u_pick = sample_pair(path.seed, path.number, pair)
        l1, l2 = sample_pair(path.seed, path.number, pair + 1)
        k, chance, near, far, at, off = _choose_source(lights, env, scratch.gives, o, d, near, far, time, u_pick)
        if k < 0:
            continue
        t, density = _draw_place(air, o[1], d[1], near, far, at, off, u_place)
        p = _at(o, d, t)
        spot = draw_part(lights, env, world.geometry, k, ANY_WAY, l1, l2)
        source, wi, distance, radiance, per_light, _ = aim(world, scratch, k, chance, spot, ANY_WAY, p, time, -1)
        if source < 0:
            continue
        w = extinction(air, p[1]) * phase(air.forward, dot(wi, d)) / (density * per_light * share)
        if air.grain > 0.0:
            w *= unevenness(air, p[0], p[1], p[2])
        w *= transmittance(air, o, d, t, word)
        r, g, b = path.r * w * air.albedo[0], path.g * w * air.albedo[1], path.b * w * air.albedo[2]
        r, g, b = r * radiance[0], g * radiance[1], b * radiance[2]
        if not r + g + b > 0.0:  # nor where it is no number
            continue
        kind, depth = (path.flags >> KIND_SHIFT) & KIND_MASK, path.depth + 1
        layer = component_of(recording, BY_AIR if kind == 0 else kind, depth)
        brings, layers = ((r, g, b), (0.0, 0.0, 0.0)), (group_of(recording, source), layer, layer)
        cast_shadow(flight.shadows, cast, (p, wi, time), distance, brings, path.slot, depth, layers)
        cast += 1
    return cast


@device
def _scatter(world, flight, i, t, share, step, max_bounces, alive):
    """Let a path go on from a place in the haze, where it does so with a share of its light; how many go on then."""
    air, path, rays = world.air, flight.paths[i], flight.rays
    depth = path.depth
    if depth >= max_bounces:
        return alive
    pair = AIR_PAIR + PAIRS_PER_STEP * step
    v1, v2 = sample_pair(path.seed, path.number, pair + 2)
    _, u = sample_pair(path.seed, path.number, pair + 3)
    throughput = share * path.r * air.albedo[0], share * path.g * air.albedo[1], share * path.b * air.albedo[2]
    goes_on, throughput = survives(throughput, depth, u)
    if not goes_on:
        return alive
    o, d = get(rays.origin, i), get(rays.direction, i)
    along = phase_cosine(air.forward, v1)
    across = math.sqrt(max(1.0 - along * along, 0.0))
    s, c = sincos_turns(v2)
    wi = off_axis(d, across * c, across * s, along)
    flags = (path.flags & ~FROM_CAMERA) | GUIDED | FROM_AIR
    if (flags >> KIND_SHIFT) & KIND_MASK == 0:
        flags |= BY_AIR << KIND_SHIFT
    ray, cone = (_at(o, d, t), wi, rays.time[i] * 1.0), (path.width + path.spread * t, max(path.spread * 1.0, 0.3), 0.0)
    held = NO_MEDIA, np.uint64(path.slot), depth + 1, np.int64(-1), flags
    pass_on(flight, alive, ray, throughput, 0.0, UNLIT, cone, held, (path.seed, path.number))
    return alive + 1


@routine
def go_on_in_haze(count, step, max_bounces, world, flight, samples):
    """Dim paths by the haze on their way, or let them go on from where they are scattered; how many do.

    Those that are scattered and do not go on to a surface as well end with a throughput of 0.
    """
    air, rays = world.air, flight.rays
    alive = np.int64(0)
    for k in range(count):
        i = np.uint64(k)
        path, met = flight.paths[i], flight.hits.triangle[i] >= 0
        sample, seen = samples.items[np.uint64(path.slot)], (path.flags & FROM_CAMERA) != 0
        near, far = _way(world, flight, i)
        if near < far:
            o, d = get(rays.origin, i), get(rays.direction, i)
            word = _chain(path, step, 1)
            split = seen and path.way == 0.0
            u, _ = sample_pair(path.seed, path.number, AIR_PAIR + PAIRS_PER_STEP * step + 3)
            t, share = free_path(air, o, d, near, far, u, SPLITTING if split else 1.0, word)
            if t >= 0.0:
                alive = _scatter(world, flight, i, t, share, step, max_bounces, alive)
            if split:
                passing = transmittance(air, o, d, far, _chain(path, step, 2))
                path.r, path.g, path.b = path.r * passing, path.g * passing, path.b * passing
                sample.veil = 1.0 - passing
            elif t >= 0.0:
                path.r = path.g = path.b = 0.0
                if seen:  # behind a hole
                    sample.veil = 1.0
        if seen and not met:
            sample.hazed = sample.veil
    return alive
