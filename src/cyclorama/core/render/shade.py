"""The shading step of the wavefront: what happens to every path at its nearest hit.

Next-event estimation of all lights with the power heuristic (Veach, "Robust Monte Carlo Methods for Light
Transport Simulation", 1997, section 9.2), Russian roulette on throughput from the third scattering on. Lights do not
block rays: they are passed through.
"""

import numpy as np

from ..kernel import device, routine
from ..material.bsdf import DIFFUSE, MIRROR, SUNK, evaluate, sample
from ..material.plain import evaluate_plain, prepare_plain, sample_plain
from ..material.record import has_breadth, prepare
from ..material.row import (
    ANISOTROPY,
    BASE,
    BASE_WEIGHT,
    COAT,
    COAT_COLOR,
    EDGE_RADIUS,
    EMISSION,
    GRAIN,
    METALNESS,
    OPACITY,
    PLAIN,
    ROUGHNESS,
    SCATTER,
    THIN,
    TRANSMISSION,
)
from ..vectors import basis, cross, dot, get, normalize, put
from .arrays import BENDS, BY_DIFFUSE, BY_SPECULAR, BY_TRANSMISSION, FROM_CAMERA, GUIDED, KIND_SHIFT
from .bodies import pose_at, put_ray
from .camera_rays import FIRST_BOUNCE_PAIR
from .deform import bent_surface, place_of
from .direct import (
    aim,
    component_of,
    deposit,
    draw_spot,
    glow_weight,
    group_of,
    heuristic,
    meet_lights,
    meet_surroundings,
)
from .parameters import attenuation, opacity_of, resolve
from .prefetch import fetch_ahead
from .sampler import sample_pair
from .surface import (
    MATERIAL_COLUMN,
    PART_COLUMN,
    facing_normal,
    grain_tangent,
    hit_surface,
    leave,
    mapped_normal,
    place,
    relieved_normal,
    rounded_normal,
    texture_point,
    turn,
    turn_back,
)
from .volume import scatter_in

PAIRS_PER_BOUNCE = 5
"""pick and lobe, place on the light, direction, hole and roulette, free path in a medium"""
ROULETTE_FROM = 2
SUBJECT_FROM_PART = 2
"""Parts below are the set."""


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
def _pass_on(
    paths_out, rays_out, n, origin, d, time, thr, density, inside, slot, flags, depth, part, width, spread, way
):
    put_ray(rays_out, n, origin, d, time)
    path = paths_out[n]
    path.r, path.g, path.b = thr
    path.density = density
    path.width, path.spread, path.way = width, spread, way
    path.inside, path.slot, path.depth, path.part, path.flags = inside, slot, depth, part, flags


@routine
def _record_first(samples, recording, bodies, shapes, slot, p, p_body, body, triangle, u, v, part, row):
    """Where the first hit is, how it moves to the next frame in pixels, and what it belongs to."""
    f = samples.first
    put(f, slot, p)
    bends = bodies.moving[body] == BENDS
    q = place_of(shapes, 0, triangle, u, v) if bends else p_body
    ax, ay, az = place(recording.cameras[0], place(recording.bodies[0, body], q))
    for k in range(1, 3):
        if bends:
            q = place_of(shapes, k, triangle, u, v)
        bx, by, bz = place(recording.cameras[k], place(recording.bodies[k, body], q))
        if az < -1e-9 and bz < -1e-9:
            f[slot, 1 + 2 * k] = (bx / -bz - ax / -az) * recording.projection[0]
            f[slot, 2 + 2 * k] = (by / -bz - ay / -az) * recording.projection[1]
    f[slot, 7], f[slot, 8], f[slot, 9] = p_body
    f[slot, 10], f[slot, 11] = part + 1.0, row + 1.0


@routine
def _bent_normals(geometry, materials, textures, row, values, triangle, smooth, flat, uv, p, width, density):
    """Normals of the base (rounded edges, relief, normal map) and of the coat (rounded edges, its own normal map)."""
    n = smooth
    if values[EDGE_RADIUS] > 0.0 and geometry.edges.edge.shape[0] > 0:
        n = rounded_normal(geometry.edges, triangle, p, flat, n, values)
    relief, bent, own = materials.ranges[row, 3], materials.ranges[row, 2], materials.ranges[row, 5]
    c = geometry.corners
    coat = n
    if own >= 0 and values[COAT] > 0.0:
        coat = mapped_normal(c, textures, own, values, triangle, n, uv, p, flat, width, density)
    if relief >= 0:
        n = relieved_normal(c, textures, relief, values, triangle, n, uv, p, flat, width, density)
    if bent >= 0:
        n = mapped_normal(c, textures, bent, values, triangle, n, uv, p, flat, width, density)
    return n, coat


@device
def _record_guides(sample, thr, v, normal):
    glass = v[TRANSMISSION] * (1.0 - v[METALNESS])
    w = v[BASE_WEIGHT] * (1.0 - glass)
    sample.albedo_r = thr[0] * (w * v[BASE] + glass)
    sample.albedo_g = thr[1] * (w * v[BASE + 1] + glass)
    sample.albedo_b = thr[2] * (w * v[BASE + 2] + glass)
    sample.normal_x, sample.normal_y, sample.normal_z = normal


@device
def _cast(shadows, s, origin, wi, time, distance, slot, depth, k, radiance, thr, f, group, first, second):
    put_ray(shadows.rays, s, origin, wi, time)
    shadows.distance[s] = distance
    shadow = shadows.items[s]
    r, g, b = k * thr[0] * radiance[0], k * thr[1] * radiance[1], k * thr[2] * radiance[2]
    shadow.dr, shadow.dg, shadow.db = r * f[0], g * f[1], b * f[2]
    shadow.sr, shadow.sg, shadow.sb = r * f[3], g * f[4], b * f[5]
    shadow.slot, shadow.depth = slot, depth
    shadow.group, shadow.first, shadow.second = group, first, second


@routine
def shade(count, step, max_bounces, rays, hits, paths, bodies, geometry, materials, textures, lights, env, tables,
          recording, samples, scratch, rays_out, paths_out, shadows):  # fmt: skip
    """Shade `count` paths; writes surviving paths and shadow rays end to end and returns how many of each."""
    alive = 0
    cast = 0
    m = scratch.matrix
    for i in range(count):
        fetch_ahead(i, count, rays, hits, paths, samples.items, geometry.corners)
        path = paths[i]
        slot, depth = np.uint64(path.slot), path.depth
        thr = (path.r * 1.0, path.g * 1.0, path.b * 1.0)
        inside, flags, triangle = np.int64(path.inside), path.flags, hits.triangle[i]
        sample_of = samples.items[slot]
        d = get(rays.direction, i)
        seed, index, time = sample_of.seed, sample_of.number, rays.time[i] * 1.0
        pair = FIRST_BOUNCE_PAIR + PAIRS_PER_BOUNCE * step
        if inside >= 0 and triangle >= 0:
            medium = materials.values[inside]
            if medium[SCATTER] > 0.0:
                going, thr, origin, wi = scatter_in(medium, i, rays, hits.t[i], thr, seed, index, pair, step)
                if going == 2:
                    _pass_on(paths_out, rays_out, alive, origin, wi, time, thr, 0.0, inside, slot, flags, depth,
                             path.part, path.width, 0.3, 0.0)  # fmt: skip
                    alive += 1
                if going > 0:
                    continue
            else:
                a = attenuation(medium, hits.t[i])
                thr = (thr[0] * a[0], thr[1] * a[1], thr[2] * a[2])
        meet_lights(i, rays, hits, path, lights, recording, samples, thr)
        if triangle < 0:
            meet_surroundings(i, rays, path, lights, env, recording, samples, thr)
            continue

        u_pick, u_lobe = sample_pair(seed, index, pair)
        l1, l2 = sample_pair(seed, index, pair + 1)
        spot = draw_spot(lights, env, geometry, u_pick, l1, l2)
        view = (-d[0], -d[1], -d[2])
        t_hit = hits.t[i] * 1.0
        body = np.uint64(hits.body[i])
        triangle = np.uint64(triangle)
        row = np.uint64(geometry.corners[triangle, MATERIAL_COLUMN])
        part = np.int64(geometry.corners[triangle, PART_COLUMN])
        p, flat, smooth, lifted = hit_surface(geometry.corners, triangle, hits.u[i] * 1.0, hits.v[i] * 1.0)
        width = path.width + path.spread * t_hit
        way = path.way + t_hit
        v = materials.values[row]
        normal = as_bound = smooth
        p_body = p
        if materials.ranges[row, 4] or v[EDGE_RADIUS] > 0.0:
            uv, density = texture_point(geometry.corners, triangle, hits.u[i] * 1.0, hits.v[i] * 1.0)
            v = scratch.row
            resolve(materials, textures, row, uv, p, flat, width, density, v)
            normal, smooth = _bent_normals(geometry, materials, textures, row, v, triangle, smooth, flat, uv, p, width,
                                           density)  # fmt: skip
        moving = bodies.moving[body]
        if moving:
            pose_at(bodies.keys[body], time, m)
            if moving == BENDS:
                p, flat, lifted = bent_surface(
                    geometry.shapes, geometry.corners, triangle, hits.u[i] * 1.0, hits.v[i] * 1.0, time, as_bound,
                    scratch.triangle, scratch.carry,
                )  # fmt: skip
                normal, smooth = turn(scratch.carry, normal), turn(scratch.carry, smooth)
            p, lifted = place(m, p), place(m, lifted)
            flat, smooth, normal = turn(m, flat), turn(m, smooth), turn(m, normal)

        opacity = opacity_of(v) if v[OPACITY] < 1.0 else 1.0
        u_hole, u_roulette = 0.0, 0.0
        if opacity < 1.0 or depth >= ROULETTE_FROM:
            u_hole, u_roulette = sample_pair(seed, index, pair + 3)
        if opacity < 1.0 and u_hole >= opacity:
            _pass_on(paths_out, rays_out, alive, leave(p, flat, d), d, time, thr, path.density, inside, slot, flags,
                     depth, path.part, width, path.spread, way)  # fmt: skip
            alive += 1
            continue

        if flags & FROM_CAMERA:
            sample_of.covered = 1.0
            sample_of.subject = 1.0 if part >= SUBJECT_FROM_PART else 0.0
            sample_of.depth = way
            flags &= ~FROM_CAMERA
            if recording.first:
                _record_first(samples, recording, bodies, geometry.shapes, slot, p, p_body, body, triangle,
                              hits.u[i] * 1.0, hits.v[i] * 1.0, part, row)  # fmt: skip
        kind_so_far = (flags >> KIND_SHIFT) & 3
        # The stored winding says which side is outside; smooth normals follow it.
        facing = dot(flat, view)
        from_within = facing < 0.0
        if dot(normal, flat) < 0.0:
            normal = (-normal[0], -normal[1], -normal[2])
        if dot(smooth, flat) < 0.0:
            smooth = (-smooth[0], -smooth[1], -smooth[2])
        if from_within:
            flat = (-flat[0], -flat[1], -flat[2])
            normal = (-normal[0], -normal[1], -normal[2])
            smooth = (-smooth[0], -smooth[1], -smooth[2])
        if v[EMISSION] + v[EMISSION + 1] + v[EMISSION + 2] > 0.0:
            w = glow_weight(lights, materials.values[row], path.density * 1.0, way, facing)
            c = v[COAT] * 1.0
            deposit(samples, recording, slot, depth, group_of(recording, lights.rows.shape[0]),
                    component_of(recording, kind_so_far, depth),
                    w * thr[0] * v[EMISSION] * (1.0 + c * (v[COAT_COLOR] - 1.0)),
                    w * thr[1] * v[EMISSION + 1] * (1.0 + c * (v[COAT_COLOR + 1] - 1.0)),
                    w * thr[2] * v[EMISSION + 2] * (1.0 + c * (v[COAT_COLOR + 2] - 1.0)))  # fmt: skip

        if from_within and v[SCATTER] > 0.0:
            if inside < 0:
                continue
            # light leaves the scattering medium evenly, as if it came from outside
            v = materials.values[0]
            flat = (-flat[0], -flat[1], -flat[2])
            normal = (-normal[0], -normal[1], -normal[2])
            smooth = normal
            view = normal
            from_within = False
            inside = -1
        normal = facing_normal(normal, view)
        tangent, bitangent = basis(normal)
        if v[ANISOTROPY] > 0.0:
            n_body = turn_back(m, normal) if moving else normal
            if moving == BENDS:
                n_body = turn_back(scratch.carry, n_body)
            tangent = grain_tangent(geometry.corners, triangle, n_body, v[GRAIN] * 1.0)
            if moving == BENDS:
                tangent = turn(scratch.carry, tangent)
            if moving:
                tangent = turn(m, tangent)
            bitangent = cross(normal, tangent)
        wo = _to_local(view, tangent, bitangent, normal)
        coat_normal = (0.0, 0.0, 1.0)
        if v[COAT] > 0.0:
            coat_normal = _to_local(facing_normal(smooth, view), tangent, bitangent, normal)
        s = scratch.record
        solid = v[THIN] == 0.0
        plain = v[PLAIN] > 0.0
        if plain:
            prepare_plain(v, s, wo[2], tables)
        else:
            prepare(v, s, wo, coat_normal, from_within and solid and v[TRANSMISSION] > 0.0, tables)
        last = depth >= max_bounces
        v1, v2 = sample_pair(seed, index, pair + 2)
        if plain:
            kind, local, weight, density = sample_plain(v, s, wo, u_lobe, v1, v2, tables)
        else:
            kind, local, weight, density = sample(v, s, wo, u_lobe, v1, v2, materials.films, tables)
        if not (flags & GUIDED) and (kind < MIRROR or last):
            _record_guides(sample_of, thr, v, normal)
            flags |= GUIDED

        # a perfectly smooth surface reflects no light that was aimed at
        if has_breadth(v, s):
            source, wi, distance, radiance, chance, only = aim(
                lights, env, geometry, materials, bodies, scratch, spot, p, time, part
            )
            if source >= 0:
                wl = _to_local(wi, tangent, bitangent, normal)
                if (wl[2] > 0.0) == (dot(wi, flat) > 0.0):
                    if plain:
                        dr, dg, db, sr, sg, sb, other = evaluate_plain(v, s, wo, wl, tables)
                    else:
                        dr, dg, db, sr, sg, sb, other = evaluate(v, s, wo, wl, materials.films, tables)
                    if only == 2:
                        sr = sg = sb = 0.0
                    if dr + dg + db + sr + sg + sb > 0.0:
                        # after the last bounce no sampled direction will meet the light: count it in full here
                        k = (1.0 if last or only > 0 else heuristic(chance, other)) / chance
                        start = leave(lifted if wl[2] > 0.0 and not from_within else p, flat, wi)
                        second = BY_TRANSMISSION if wl[2] < 0.0 else BY_SPECULAR
                        first = BY_DIFFUSE if kind_so_far == 0 else kind_so_far
                        second = second if kind_so_far == 0 else kind_so_far
                        _cast(shadows, cast, start, wi, time, distance, slot, depth + 1, k, radiance, thr,
                              (dr, dg, db, sr, sg, sb), group_of(recording, source),
                              component_of(recording, first, depth + 1),
                              component_of(recording, second, depth + 1))  # fmt: skip
                        cast += 1

        if kind == 0 or last:
            continue
        wi = _to_world(local, tangent, bitangent, normal)
        crosses = local[2] < 0.0
        if (dot(wi, flat) < 0.0) != crosses:
            continue
        thr = (thr[0] * weight[0], thr[1] * weight[1], thr[2] * weight[2])
        if depth >= ROULETTE_FROM:
            keep = min(0.95, max(thr[0], max(thr[1], thr[2])))
            if u_roulette >= keep:
                continue
            thr = (thr[0] / keep, thr[1] / keep, thr[2] / keep)
        if crosses and solid:
            inside = -1 if from_within else np.int64(row)
        if kind_so_far == 0:
            mine = BY_DIFFUSE if kind in (DIFFUSE, SUNK) else (BY_TRANSMISSION if crosses else BY_SPECULAR)
            flags |= mine << KIND_SHIFT
        spread = path.spread * 1.0
        if kind < MIRROR:
            spread = max(spread, 0.3 if kind in (DIFFUSE, SUNK) else 0.5 * v[ROUGHNESS])
        start = leave(p if crosses or from_within else lifted, flat, wi)
        _pass_on(paths_out, rays_out, alive, start, wi, time, thr, density, inside, slot, flags, depth + 1, part, width,
                 spread, 0.0)  # fmt: skip
        alive += 1
    return alive, cast


@routine
def collect_light(count, blocked, shadows, recording, samples):
    """Add what arrives along the shadow rays that nothing blocks (`blocked` < 0)."""
    for i in range(count):
        if blocked[i] >= 0 and shadows.distance[i] > 0.0:
            continue
        shadow = shadows.items[i]
        slot, depth, group = shadow.slot, shadow.depth, shadow.group
        dr, dg, db = shadow.dr * 1.0, shadow.dg * 1.0, shadow.db * 1.0
        sr, sg, sb = shadow.sr * 1.0, shadow.sg * 1.0, shadow.sb * 1.0
        if recording.components < 0:
            deposit(samples, recording, slot, depth, group, -1, dr + sr, dg + sg, db + sb)
        else:
            deposit(samples, recording, slot, depth, group, shadow.first, dr, dg, db)
            deposit(samples, recording, slot, depth, group, shadow.second, sr, sg, sb)
