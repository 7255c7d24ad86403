"""The shading step of the wavefront: what happens to every path at its nearest hit.

Next-event estimation of all lights with the power heuristic (Veach, "Robust Monte Carlo Methods for Light
Transport Simulation", 1997, section 9.2), Russian roulette on throughput from the third scattering on. Lights do not
block rays: they are passed through.
"""

import numpy as np

from ...kernel import device, routine
from ...light.direction_bins import bin_in
from ...material.bsdf import DIFFUSE, MIRROR, SUNK, evaluate, sample
from ...material.plain import evaluate_plain, prepare_plain, sample_plain
from ...material.record import LEAN, has_breadth, prepare
from ...material.row import (
    CLOUDY,
    COAT,
    EDGE_RADIUS,
    EMISSION,
    IOR,
    OPACITY,
    PLAIN,
    ROUGHNESS,
    SCATTER,
    STRAND,
    THIN,
    TRANSMISSION,
)
from ...vectors import dot, get, to_local, to_world
from .arrays import (
    BENDS,
    BY_DIFFUSE,
    BY_SPECULAR,
    BY_TRANSMISSION,
    FROM_AIR,
    FROM_CAMERA,
    GUIDED,
    KIND_MASK,
    KIND_SHIFT,
)
from .bodies import moving_as, placed_copy, stand_at
from .camera_rays import FIRST_BOUNCE_PAIR, SURROUNDINGS_PAIR
from .caustic_roughening import roughness_for, soften_row
from .deform import bent_surface
from .direct import (
    aim,
    before,
    component_of,
    crosses_haze,
    deposit,
    draw_part,
    emission_of,
    glow_weight,
    group_of,
    heuristic,
    meet_lights,
)
from .glow_targets import BEHIND_GLASS, any_target, lean_of, share_turned, turn_to_target
from .grain import grain_frame, leave_strand
from .light_sampling import apart, choose, facing_word
from .media import enter, exit_from, is_within, relative_row
from .parameters import attenuation, opacity_of, resolve
from .paths import PAIRS_PER_BOUNCE, ROULETTE_FROM, UNLIT, cast_shadow, pass_on, record_guides, record_visible, survives
from .prefetch import fetch_ahead
from .sampler import sample_pair
from .surface import (
    MATERIAL_COLUMN,
    PART_COLUMN,
    facing_normal,
    hit_surface,
    leave,
    mapped_normal,
    place,
    relieved_normal,
    rounded_normal,
    scale_point,
    texture_point,
    turn,
)
from .volume import scatter_in


@routine
def _bent_normals(world, row, values, triangle, smooth, flat, at, p, width):
    """Normals of the base (rounded edges, relief, normal map) and of the coat (rounded edges, its own normal map)."""
    geometry, materials, textures = world.geometry, world.materials, world.textures
    n = smooth
    if values[EDGE_RADIUS] > 0.0 and geometry.edges.edge.shape[0] > 0:
        n = rounded_normal(geometry.edges, triangle, p, flat, n, values)
    relief, bent, own = materials.ranges[row, 3], materials.ranges[row, 2], materials.ranges[row, 5]
    coat = n
    if own >= 0 and values[COAT] > 0.0:
        coat = mapped_normal(geometry, textures, own, values, triangle, n, at, p, flat, width)
    if relief >= 0:
        n = relieved_normal(geometry, textures, relief, values, triangle, n, at, p, flat, width)
    if bent >= 0:
        n = mapped_normal(geometry, textures, bent, values, triangle, n, at, p, flat, width)
    return n, coat


@device
def _surface_at(world, hits, i, body, triangle, row, time, width, least, scratch):
    """The surface that a path has met: material row, place in the studio and in its body, normals (flat, smooth with
    the coat's relief, with the base's), the place from which shadows are cast, and how its body moves."""
    geometry, materials, copy = world.geometry, world.materials, hits.copy[i]
    u, w = hits.u[i] * 1.0, hits.v[i] * 1.0
    p, flat, smooth, lifted = hit_surface(geometry.corners, triangle, u, w)
    v = materials.values[row]
    normal = as_bound = smooth
    moving, size = moving_as(world.bodies, body, copy), 1.0
    if moving:
        size = stand_at(world.bodies, body, copy, time, scratch.matrix)
    if materials.ranges[row, 4] or v[EDGE_RADIUS] > 0.0:
        at = texture_point(geometry, triangle, u, w)
        v = scratch.row
        resolve(materials, world.textures, row, at, p, flat, width / size, v)
        normal, smooth = _bent_normals(world, row, v, triangle, smooth, flat, at, p, width / size)
    if least > 0.0:
        v = soften_row(v, least, scratch.row)
    p_body = placed_copy(world.bodies, copy, p)
    if moving:
        if moving == BENDS:
            p, flat, lifted = bent_surface(
                geometry.shapes, geometry.corners, triangle, u, w, time, as_bound, scratch.triangle, scratch.carry
            )
            normal, smooth = turn(scratch.carry, normal), turn(scratch.carry, smooth)
        m = scratch.matrix
        p, lifted = place(m, scale_point(p, size)), place(m, scale_point(lifted, size))
        flat, smooth, normal = turn(m, flat), turn(m, smooth), turn(m, normal)
    return v, p, p_body, lifted, (flat, smooth, normal), moving


@device
def _away(n):
    return -n[0], -n[1], -n[2]


@device
def _to_the_viewer(flat, smooth, normal, view):
    """Normals on the viewer's side, the cosine to the stored one, and whether that points away: smooth normals follow
    the stored winding, which says which side is outside."""
    facing = dot(flat, view)
    if dot(normal, flat) < 0.0:
        normal = _away(normal)
    if dot(smooth, flat) < 0.0:
        smooth = _away(smooth)
    if facing < 0.0:
        return (_away(flat), _away(smooth), _away(normal)), facing, True
    return (flat, smooth, normal), facing, False


@device
def _across(values, v, media, row, from_within):
    """Media on the other side of a boundary, and whether another body fills the place on both: then it is not there."""
    if v[THIN] > 0.0 or (v[TRANSMISSION] == 0.0 and v[SCATTER] == 0.0):
        return media, False
    across = exit_from(media, row) if from_within else enter(values, media, row)
    return across, across[0] == media[0] and (not from_within or is_within(media, row))


@device
def _go_straight_on(flight, alive, i, throughput, start, met, media):
    """Let the i-th path go on as if it had met nothing; how many go on then. met: width and way there."""
    path, rays = flight.paths[i], flight.rays
    held, aimed = (media, np.uint64(path.slot), path.depth, path.part, path.flags), (path.facing, path.total)
    ray, cone = (start, get(rays.direction, i), rays.time[i] * 1.0), (met[0], path.spread, met[1])
    pass_on(flight, alive, ray, throughput, path.density, aimed, cone, held, (path.seed, path.number))
    return alive + 1


@device
def _light_aimed_at(world, flight, recording, scratch, v, where, local_frame, ray, state, cast):
    """Cast shadow rays to lights that are chosen at the place that is lit; how many there are then, and what the path
    remembers of the choice. Each tuple is as `shade` makes it."""
    p, lifted, flat, part, from_within, plain, smooth, radius = where
    normal, tangent, bitangent, wo = local_frame
    time, seed, index, u_pick, l1, l2 = ray
    throughput, slot, depth, last, kind_so_far = state
    lights, materials, tables, s = world.lights, world.materials, world.tables, scratch.record
    strand = v[STRAND] > 0.0
    sided = v[TRANSMISSION] == 0.0 and v[THIN] == 0.0 and not strand
    word = facing_word(lights, normal, sided, time)
    alone = apart(lights, depth)
    chosen, odds, total = choose(lights, world.environment, scratch.gives, p, word, part, time, u_pick, alone)
    for aimed in range(2 if alone else 1):
        if aimed == 1:
            chosen, odds = lights.rows.shape[0] + 1, 1.0
            l1, l2 = sample_pair(seed, index, SURROUNDINGS_PAIR)
        spot = draw_part(lights, world.environment, world.geometry, chosen, bin_in(word), l1, l2)
        source, wi, distance, radiance, chance, only = aim(
            world, scratch, chosen, odds, spot, bin_in(word), p, time, part
        )
        if source < 0:
            continue
        wl = to_local(wi, tangent, bitangent, normal)
        if not strand and (wl[2] > 0.0) != (dot(wi, flat) > 0.0):
            continue
        if plain:
            dr, dg, db, sr, sg, sb, other = evaluate_plain(v, s, wo, wl, tables)
        else:
            dr, dg, db, sr, sg, sb, other = evaluate(v, s, wo, wl, materials.films, tables)
        if only == 2:
            sr = sg = sb = 0.0
        if not dr + dg + db + sr + sg + sb > 0.0:  # nor where it is no number
            continue
        # after the last bounce no sampled direction will meet the light: count it in full here
        k = (1.0 if last or only > 0 else heuristic(chance, other)) / chance
        start = leave(lifted if wl[2] > 0.0 and not from_within else p, flat, wi)
        if strand:
            start = leave_strand(p, flat, smooth, tangent, radius, wi)
        second = BY_TRANSMISSION if wl[2] < 0.0 else BY_SPECULAR
        first = BY_DIFFUSE if kind_so_far == 0 else kind_so_far
        second = second if kind_so_far == 0 else kind_so_far
        r, g, b = k * throughput[0] * radiance[0], k * throughput[1] * radiance[1], k * throughput[2] * radiance[2]
        cast_shadow(
            flight.shadows,
            cast,
            (start, wi, time),
            distance,
            ((r * dr, g * dg, b * db), (r * sr, g * sg, b * sb)),
            slot,
            depth + 1,
            (
                group_of(recording, source),
                component_of(recording, first, depth + 1),
                component_of(recording, second, depth + 1),
            ),
        )
        cast += 1
    return cast, (word, np.float32(total))


@routine
def shade(which, count, so_far, step, max_bounces, world, flight, recording, samples, scratch):
    """Shade the paths numbered by the first `count` of `which` (n,).

    Adds to the surviving paths and shadow rays there are `so_far` and returns how many of each there are then.
    """
    rays, paths, hits = flight.rays, flight.paths, flight.hits
    geometry, lights, tables, materials = world.geometry, world.lights, world.tables, world.materials
    alive, cast = so_far
    for k in range(count):
        fetch_ahead(k, count, which, rays, hits, paths, samples.items, geometry.corners)
        i = np.uint64(which[k])
        path = paths[i]
        slot, depth = np.uint64(path.slot), np.int64(path.depth)
        throughput = (path.r * 1.0, path.g * 1.0, path.b * 1.0)
        inside, flags = np.int64(path.inside), np.int64(path.flags)
        media = (inside, np.int64(path.under), np.int64(path.third), np.int64(path.fourth))
        d = get(rays.direction, i)
        seed, index, time = path.seed, path.number, rays.time[i] * 1.0
        pair = FIRST_BOUNCE_PAIR + PAIRS_PER_BOUNCE * step
        if inside >= 0:
            medium = materials.values[inside]
            if medium[SCATTER] > 0.0:
                going, throughput, origin, wi = scatter_in(
                    medium, i, rays, hits.t[i], throughput, seed, index, pair, step
                )
                if going == 2:
                    held = media, slot, depth, path.part, flags
                    ray, cone = (origin, wi, time), (path.width, 0.3, 0.0)
                    pass_on(flight, alive, ray, throughput, 0.0, UNLIT, cone, held, (seed, index))
                    alive += 1
                if going > 0:
                    continue
            else:
                a = attenuation(medium, hits.t[i])
                throughput = (throughput[0] * a[0], throughput[1] * a[1], throughput[2] * a[2])
        if not crosses_haze(world, path):
            meet_lights(i, rays, hits, path, world, recording, samples, throughput)
        u_pick, u_lobe = sample_pair(seed, index, pair)
        l1, l2 = sample_pair(seed, index, pair + 1)
        view = (-d[0], -d[1], -d[2])
        body, triangle = np.uint64(hits.body[i]), np.uint64(hits.triangle[i])
        row = np.uint64(geometry.corners[triangle, MATERIAL_COLUMN])
        part = np.int64(geometry.corners[triangle, PART_COLUMN])
        t_hit = hits.t[i] * 1.0
        width, way = path.width + path.spread * t_hit, path.way + t_hit
        least = roughness_for(world.softening, path.spread, index)
        v, p, p_body, lifted, (flat, smooth, normal), moving = _surface_at(
            world, hits, i, body, triangle, row, time, width, least, scratch
        )

        opacity = opacity_of(v) if v[OPACITY] < 1.0 else 1.0
        u_hole, u_roulette = 0.0, 0.0
        seeking = any_target(world.targets)
        if opacity < 1.0 or depth >= ROULETTE_FROM or seeking:
            u_hole, u_roulette = sample_pair(seed, index, pair + 3)
        in_strand = v[STRAND] > 0.0 and dot(flat, view) < 0.0  # it left this strand, or stands in it
        if in_strand or (opacity < 1.0 and u_hole >= opacity):
            alive = _go_straight_on(flight, alive, i, throughput, leave(p, flat, d), (width, way), media)
            continue
        across, hidden = _across(materials.values, v, media, np.int64(row), dot(flat, view) < 0.0)
        if hidden:
            alive = _go_straight_on(flight, alive, i, throughput, leave(p, flat, d), (width, way), across)
            continue

        if flags & FROM_CAMERA:
            at_hit = body, triangle, hits.u[i] * 1.0, hits.v[i] * 1.0
            record_visible(samples, recording, world, slot, way, p, p_body, at_hit, (part, row))
            flags &= ~FROM_CAMERA
        kind_so_far = (flags >> KIND_SHIFT) & KIND_MASK
        (flat, smooth, normal), facing, from_within = _to_the_viewer(flat, smooth, normal, view)
        if v[EMISSION] + v[EMISSION + 1] + v[EMISSION + 2] > 0.0:
            w = glow_weight(world, materials.values[row], path, before(rays, i, path), way, facing, time)
            r, g, b = emission_of(v)
            group, component = group_of(recording, lights.rows.shape[0]), component_of(recording, kind_so_far, depth)
            r, g, b = w * throughput[0] * r, w * throughput[1] * g, w * throughput[2] * b
            deposit(samples, recording, slot, depth, group, component, r, g, b)
        flags &= ~FROM_AIR

        around = across[0] if from_within else inside
        if from_within and v[SCATTER] > 0.0 and v[CLOUDY] == 0.0:
            if not is_within(media, np.int64(row)):
                continue
            # light leaves the scattering medium evenly, as if it came from outside
            v = materials.values[0]
            flat, normal = _away(flat), _away(normal)
            smooth = view = normal
            from_within, media = False, across
        elif around >= 0:
            v = relative_row(v, materials.values[around, IOR], scratch.row)
        normal = facing_normal(normal, view)
        tangent, bitangent, radius = grain_frame(geometry, triangle, normal, v, moving, scratch)
        frame = tangent, bitangent, normal
        wo = to_local(view, *frame)
        coat_normal = (0.0, 0.0, 1.0)
        if v[COAT] > 0.0:
            coat_normal = to_local(facing_normal(smooth, view), *frame)
        s, solid, plain = scratch.record, v[THIN] == 0.0, v[PLAIN] > 0.0
        last = depth >= max_bounces
        v1, v2 = sample_pair(seed, index, pair + 2)
        if plain:
            prepare_plain(v, s, wo[2], tables)
            kind, local, weight, density = sample_plain(v, s, wo, u_lobe, v1, v2, tables)
        else:
            prepare(v, s, wo, coat_normal, from_within and solid and v[TRANSMISSION] > 0.0, tables)
            if seeking:
                s[LEAN] = lean_of(world.targets, v, s, p, wo, frame)
            kind, local, weight, density = sample(v, s, wo, u_lobe, v1, v2, materials.films, tables)
        if not (flags & GUIDED) and (kind < MIRROR or last):
            record_guides(samples.items[slot], throughput, v, normal)
            flags |= GUIDED

        lit, turned = UNLIT, 0.0
        if has_breadth(v, s):  # a perfectly smooth surface reflects no light that was aimed at
            where, local_frame = (
                (p, lifted, flat, part, from_within, plain, smooth, radius),
                (normal, tangent, bitangent, wo),
            )
            ray, state = (time, seed, index, u_pick, l1, l2), (throughput, slot, depth, last, kind_so_far)
            cast, lit = _light_aimed_at(world, flight, recording, scratch, v, where, local_frame, ray, state, cast)
            if seeking and not last and v[TRANSMISSION] == 0.0:
                turned = share_turned(world.targets, p, scratch.gives[lights.rows.shape[0]], lit[1] * 1.0)

        if turned > 0.0:
            numbers, drawn = (u_hole / opacity, u_lobe, v1, v2), (kind, local, weight, density)
            kind, local, weight, density = turn_to_target(world, v, s, plain, p, wo, frame, turned, numbers, drawn)
        if kind == 0 or last:
            continue
        wi = to_world(local, *frame)
        crosses = local[2] < 0.0
        if (dot(wi, flat) < 0.0) != crosses and v[STRAND] == 0.0:
            continue
        throughput = (throughput[0] * weight[0], throughput[1] * weight[1], throughput[2] * weight[2])
        worth = BEHIND_GLASS if seeking and v[TRANSMISSION] > 0.0 else 1.0
        goes_on, throughput = survives(throughput, depth, u_roulette, worth)
        if not goes_on:
            continue
        if crosses and solid:
            media = across
        if kind_so_far == 0:
            mine = BY_DIFFUSE if kind in (DIFFUSE, SUNK) else (BY_TRANSMISSION if crosses else BY_SPECULAR)
            flags |= mine << KIND_SHIFT
        spread = path.spread * 1.0
        if kind < MIRROR:
            spread = max(spread, 0.3 if kind in (DIFFUSE, SUNK) else 0.5 * v[ROUGHNESS])
        held, cone = (media, slot, depth + 1, part, flags), (width, spread, 0.0)
        start = leave(p if crosses or from_within else lifted, flat, wi)
        if v[STRAND] > 0.0:
            start = leave_strand(p, flat, smooth, tangent, radius, wi)
        pass_on(flight, alive, (start, wi, time), throughput, density, lit, cone, held, (seed, index))
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
            deposit(samples, recording, slot, depth, group, shadow.first, dr + sr, dg + sg, db + sb)
        else:
            deposit(samples, recording, slot, depth, group, shadow.first, dr, dg, db)
            deposit(samples, recording, slot, depth, group, shadow.second, sr, sg, sb)
