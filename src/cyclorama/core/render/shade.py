"""The shading step of the wavefront: what happens to every path at its nearest hit.

Next-event estimation of lights and environment with the power heuristic (Veach, "Robust Monte Carlo Methods
for Light Transport Simulation", 1997, section 9.2), Russian roulette on throughput from the third bounce on.
Light panels do not block rays: they emit to one side and are passed through.
"""

from ..kernel import device, kernel
from ..light.environment import environment_towards, sample_environment
from ..light.rect import rect_hit, sample_rect
from ..material.bsdf import CLEAR, MIRROR, MIRROR_ALPHA, REFRACTED, evaluate, prepare, sample
from .arrays import FROM_CAMERA, SEEN
from .material_rows import (
    DIFFUSE_ROUGH,
    IOR,
    NORMAL_SCALE,
    TINT,
    TRANSMISSION,
    attenuation,
    base_and_opacity,
    emission_at,
    metal_and_rough,
)
from .sampler import sample_pair
from .surface import basis, dot, facing_normal, hit_surface, leave, mapped_normal, normalize, put
from .textures import texel

FIRST_BOUNCE_PAIR = 2
PAIRS_PER_BOUNCE = 4
ROULETTE_FROM = 2
FAR = 1e30


@device
def _heuristic(a, b):
    """Power heuristic with exponent 2 for densities a (used) and b (other)."""
    if a <= 0.0:
        return 0.0
    r = b / a
    return 1.0 / (1.0 + r * r)


@device
def _add(target, slot, r, g, b):
    target[slot, 0] += r
    target[slot, 1] += g
    target[slot, 2] += b


@device
def _meet_panels(i, rays, hits, paths, lights, samples, thr):
    """Light panels between here and the hit, met by a ray that was sampled from a surface."""
    if paths.flags[i] & FROM_CAMERA:
        return
    o = rays.origin
    d = rays.direction
    reach = hits.t[i] if hits.triangle[i] >= 0 else FAR
    for k in range(lights.rects.shape[0]):
        t, density = rect_hit(lights.rects, k, o[i, 0], o[i, 1], o[i, 2], d[i, 0], d[i, 1], d[i, 2])
        if 0.0 < t < reach:
            w = 1.0
            if paths.density[i] > 0.0:
                w = _heuristic(paths.density[i], density * (lights.pick[k + 1] - lights.pick[k]))
            rects = lights.rects
            _add(samples.radiance, paths.slot[i], w * thr[0] * rects[k, 12], w * thr[1] * rects[k, 13],
                 w * thr[2] * rects[k, 14])  # fmt: skip


@device
def _meet_surroundings(i, rays, paths, lights, env, samples, thr):
    """A ray that leaves the set: environment, or the background for the camera."""
    slot, d = paths.slot[i], rays.direction[i]
    direct = (paths.flags[i] & FROM_CAMERA) != 0
    if direct and not lights.env_seen:
        _add(samples.radiance, slot, thr[0] * lights.background[0], thr[1] * lights.background[1],
             thr[2] * lights.background[2])  # fmt: skip
        return
    if lights.env_scale <= 0.0:
        return
    (r, g, b), density = environment_towards(env, d[0], d[1], d[2], lights.env_rotation)
    w = lights.env_scale
    if paths.density[i] > 0.0:
        n = lights.rects.shape[0]
        w *= _heuristic(paths.density[i], density * (lights.pick[n + 1] - lights.pick[n]))
    _add(samples.radiance, slot, w * thr[0] * r, w * thr[1] * g, w * thr[2] * b)


@device
def _aim_at_light(lights, env, u_pick, u1, u2, p):
    """Choose a light and a direction to it: ok, direction, distance, radiance (3,), density."""
    n = lights.rects.shape[0]
    k = 0
    while k < n and u_pick >= lights.pick[k + 1]:
        k += 1
    share = lights.pick[k + 1] - lights.pick[k]
    if share <= 0.0:
        return False, (0.0, 1.0, 0.0), 0.0, (0.0, 0.0, 0.0), 0.0
    if k < n:
        rects = lights.rects
        x, y, z, distance, density = sample_rect(rects, k, u1, u2, p[0], p[1], p[2])
        radiance = (rects[k, 12] * 1.0, rects[k, 13] * 1.0, rects[k, 14] * 1.0)
        return density > 0.0, (x, y, z), distance, radiance, density * share
    direction, (r, g, b), density = sample_environment(env, u1, u2, lights.env_rotation)
    s = lights.env_scale
    return density > 0.0, direction, FAR, (s * r, s * g, s * b), density * share


@device
def _to_local(w, t, b, n):
    return dot(w, t), dot(w, b), dot(w, n)


@device
def _to_world(w, t, b, n):
    return normalize(
        w[0] * t[0] + w[1] * b[0] + w[2] * n[0],
        w[0] * t[1] + w[1] * b[1] + w[2] * n[1],
        w[0] * t[2] + w[1] * b[2] + w[2] * n[2],
    )


@device
def _record_guides(samples, slot, thr, albedo, normal):
    put(samples.albedo, slot, (thr[0] * albedo[0], thr[1] * albedo[1], thr[2] * albedo[2]))
    put(samples.normal, slot, normal)


@device
def _pass_on(paths_out, rays_out, n, origin, d, thr, density, inside, slot, flags):
    put(rays_out.origin, n, origin)
    put(rays_out.direction, n, d)
    put(paths_out.throughput, n, thr)
    paths_out.density[n] = density
    paths_out.inside[n] = inside
    paths_out.slot[n] = slot
    paths_out.flags[n] = flags


@device
def _cast_shadow(shadows, s, origin, wi, distance, value, slot):
    put(shadows.rays.origin, s, origin)
    put(shadows.rays.direction, s, wi)
    put(shadows.value, s, value)
    shadows.distance[s] = distance
    shadows.slot[s] = slot


@device
def _shading_normal(geometry, materials, textures, triangle, row, smooth, uv, m):
    """The smooth normal, bent by the normal map if there is one."""
    maps = materials.maps[row]
    if maps[2] < 0:
        return smooth
    x, y, z, _ = texel(textures, maps[2], uv[0], uv[1], False)
    scale = materials.values[row, NORMAL_SCALE]
    return mapped_normal(geometry, triangle, smooth, m, (2.0 * x - 1.0) * scale, (2.0 * y - 1.0) * scale, 2.0 * z - 1.0)


@kernel
def shade(count, bounce, last, rays, hits, paths, bodies, geometry, materials, textures, lights, env, tables,
          samples, rays_out, paths_out, shadows):  # fmt: skip
    """Shade `count` paths; writes surviving paths and shadow rays end to end and returns how many of each."""
    alive = 0
    cast = 0
    for i in range(count):
        slot = paths.slot[i]
        thr = (paths.throughput[i, 0] * 1.0, paths.throughput[i, 1] * 1.0, paths.throughput[i, 2] * 1.0)
        inside = paths.inside[i]
        triangle = hits.triangle[i]
        if inside >= 0 and triangle >= 0:
            a = attenuation(materials.values[inside], hits.t[i])
            thr = (thr[0] * a[0], thr[1] * a[1], thr[2] * a[2])
        _meet_panels(i, rays, hits, paths, lights, samples, thr)
        if triangle < 0:
            _meet_surroundings(i, rays, paths, lights, env, samples, thr)
            continue

        m = bodies.matrices[hits.body[i]]
        d = (rays.direction[i, 0] * 1.0, rays.direction[i, 1] * 1.0, rays.direction[i, 2] * 1.0)
        view = (-d[0], -d[1], -d[2])
        p, flat, smooth, uv, lifted = hit_surface(geometry, triangle, hits.u[i], hits.v[i], m)
        row = geometry.material[triangle]
        values, maps = materials.values[row], materials.maps[row]
        base, opacity = base_and_opacity(values, maps, textures, uv[0], uv[1])
        seed, index = samples.seed[slot], samples.number[slot]
        pair = FIRST_BOUNCE_PAIR + PAIRS_PER_BOUNCE * bounce
        u_hole = u_roulette = 0.0
        if opacity < 1.0 or bounce >= ROULETTE_FROM:
            u_hole, u_roulette = sample_pair(seed, index, pair + 3)
        flags = paths.flags[i]
        if opacity < 1.0 and u_hole >= opacity:
            if not last:
                origin = leave(p, flat, d)
                _pass_on(paths_out, rays_out, alive, origin, d, thr, paths.density[i], inside, slot, flags)
                alive += 1
            continue

        if flags & FROM_CAMERA:
            samples.coverage[slot, 0] = 1.0
            samples.coverage[slot, 1] = geometry.is_subject[triangle]
            samples.depth[slot] = hits.t[i]
            flags &= ~FROM_CAMERA
        metal, rough = metal_and_rough(values, maps, textures, uv[0], uv[1])
        transmission = values[TRANSMISSION] * 1.0
        # The stored winding says which side is outside; smooth normals follow it.
        from_within = dot(flat, view) < 0.0
        normal = _shading_normal(geometry, materials, textures, triangle, row, smooth, uv, m)
        if dot(normal, flat) < 0.0:
            normal = (-normal[0], -normal[1], -normal[2])
        if from_within:
            flat = (-flat[0], -flat[1], -flat[2])
            normal = (-normal[0], -normal[1], -normal[2])
        normal = facing_normal(normal, view)
        er, eg, eb = emission_at(values, maps, textures, uv[0], uv[1])
        if er + eg + eb > 0.0:
            _add(samples.radiance, slot, thr[0] * er, thr[1] * eg, thr[2] * eb)

        tangent, bitangent = basis(normal)
        wo = _to_local(view, tangent, bitangent, normal)
        surface = prepare(base, metal, rough, values[IOR] * 1.0, transmission,
                          (values[TINT] * 1.0, values[TINT + 1] * 1.0, values[TINT + 2] * 1.0),
                          values[DIFFUSE_ROUGH] * 1.0, min(wo[2], 1.0), from_within and transmission > 0.0,
                          tables)  # fmt: skip
        u_pick, u_lobe = sample_pair(seed, index, pair)
        v1, v2 = sample_pair(seed, index, pair + 2)
        kind, local, weight, density = sample(surface, wo, u_lobe, v1, v2, tables)
        if not (flags & SEEN) and (kind < MIRROR or last):
            glass = transmission * (1.0 - metal)
            white = (base[0] + (1.0 - base[0]) * glass, base[1] + (1.0 - base[1]) * glass,
                     base[2] + (1.0 - base[2]) * glass)  # fmt: skip
            _record_guides(samples, slot, thr, white, normal)
            flags |= SEEN

        # a perfectly smooth surface reflects no light that was aimed at
        ok = surface.p_diffuse > 0.0 or surface.alpha > MIRROR_ALPHA
        if ok:
            l1, l2 = sample_pair(seed, index, pair + 1)
            ok, wi, distance, radiance, light_density = _aim_at_light(lights, env, u_pick, l1, l2, p)
        if ok:
            wl = _to_local(wi, tangent, bitangent, normal)
            if (wl[2] > 0.0) == (dot(wi, flat) > 0.0):
                fr, fg, fb, bsdf_density = evaluate(surface, wo, wl, tables)
                # after the last bounce no sampled direction will meet the light: count it in full here
                k = (1.0 if last else _heuristic(light_density, bsdf_density)) / light_density
                value = (
                    k * fr * thr[0] * radiance[0], k * fg * thr[1] * radiance[1], k * fb * thr[2] * radiance[2],
                )  # fmt: skip
                if value[0] + value[1] + value[2] > 0.0:
                    start = leave(lifted if wl[2] > 0.0 and not from_within else p, flat, wi)
                    _cast_shadow(shadows, cast, start, wi, distance * 0.9999, value, slot)
                    cast += 1

        if kind == 0 or last:
            continue
        wi = _to_world(local, tangent, bitangent, normal)
        crosses = kind in (REFRACTED, CLEAR)
        if (dot(wi, flat) < 0.0) != crosses:
            continue
        thr = (thr[0] * weight[0], thr[1] * weight[1], thr[2] * weight[2])
        if bounce >= ROULETTE_FROM:
            keep = min(0.95, max(thr[0], thr[1], thr[2]))
            if u_roulette >= keep:
                continue
            thr = (thr[0] / keep, thr[1] / keep, thr[2] / keep)
        if crosses:
            inside = -1 if from_within else row
        start = leave(p if crosses or from_within else lifted, flat, wi)
        _pass_on(paths_out, rays_out, alive, start, wi, thr, density, inside, slot, flags)
        alive += 1
    return alive, cast


@kernel
def collect_light(count, blocked, shadows, samples):
    """Add what arrives along the shadow rays that nothing blocks (`blocked` < 0)."""
    for i in range(count):
        if blocked[i] < 0:
            v = shadows.value[i]
            _add(samples.radiance, shadows.slot[i], v[0], v[1], v[2])
