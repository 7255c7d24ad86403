"""Shading paths that meet even surfaces (see `material.even`), most of a studio picture: many side by side.

The same as `shade`, step by step for a block of paths instead of path by path. What cannot be done side by side
(triangles, tables, lights of many kinds, writing down what came of it) is done one by one between the steps.
"""

import numpy as np

from ...batched import BLOCK
from ...kernel import device, routine
from ...light.shapes import CASTS, PANEL_COLUMNS, REFLECTED, TRAVEL, is_bare_panel
from ...material.batched import (
    ALPHA,
    BASE_B,
    BASE_G,
    BASE_R,
    DENSITY,
    DIFFUSED,
    FACETED,
    IX,
    IY,
    IZ,
    LOBE,
    P_DIFFUSE,
    TINT_B,
    TINT_G,
    TINT_R,
    V1,
    V2,
    choose_directions,
    evaluate_wide,
    prepare_wide,
    put_material,
)
from ...vectors import to_local, to_world
from .arrays import BY_DIFFUSE, BY_SPECULAR, FROM_AIR, FROM_CAMERA, GUIDED, KIND_MASK, KIND_SHIFT
from .batched_steps import (
    aim_at_panels,
    bounce,
    draw_numbers,
    draw_place_numbers,
    face_viewer,
    meet_surface,
    turn_to_light,
    weigh_light,
)
from .block import (
    AX,
    AY,
    AZ,
    BARE,
    BIN,
    BX,
    CHANCE,
    CORNER_ROWS,
    DEPTH,
    DISTANCE,
    DX,
    DY,
    DZ,
    FRACTIONS,
    FROM,
    GIVES,
    GOES,
    KEPT,
    L1,
    L2,
    LIT,
    MIRRORED,
    MIXED,
    NUMBER,
    NX,
    PANEL_CASTS,
    PANEL_MIRRORED,
    PART,
    PART_A,
    PART_B,
    PX,
    RADIANCE_B,
    RADIANCE_G,
    RADIANCE_R,
    SEED,
    SHARE,
    SOURCE,
    SPREAD,
    THROUGHPUT_B,
    THROUGHPUT_G,
    THROUGHPUT_R,
    TO,
    TO_LIGHT,
    TOTAL,
    TURNED,
    TX,
    WORD,
    U,
    V,
)
from .bodies import axis_of, placed_copy, size_of
from .camera_rays import FIRST_BOUNCE_PAIR, SURROUNDINGS_PAIR
from .caustic_roughening import roughness_for
from .direct import aim, component_of, draw_part, find_near, group_of, meet_near
from .glow_targets import any_target, density_to, draw_direction, share_turned
from .light_sampling import apart, choose_sources, face_lights, face_travelling
from .media import NO_MEDIA
from .paths import PAIRS_PER_BOUNCE, cast_shadow, pass_on, record_guides, record_visible
from .prefetch import ROWS_AHEAD, fetch_rows, fetch_sample, fetch_triangle
from .sampler import TO_UNIT
from .surface import MATERIAL_COLUMN, PART_COLUMN, scale_point


@device
def _three(rows, at):
    """Three rows one below the other."""
    return rows[at], rows[at + BLOCK], rows[at + 2 * BLOCK]


@device
def _put_three(rows, at, values):
    """Fill three rows one below the other."""
    rows[at], rows[at + BLOCK], rows[at + 2 * BLOCK] = values


@device
def _place_corners(bodies, copy, c, j):
    """Bring the j-th triangle from its prototype to where a copy stands."""
    pose = bodies.copies[copy]
    _, shrink = size_of(pose)
    x, y, z = (
        scale_point(axis_of(pose, 0), shrink),
        scale_point(axis_of(pose, 3), shrink),
        scale_point(axis_of(pose, 6), shrink),
    )
    for k in range(3):
        at = 3 * k * BLOCK + j
        _put_three(c, at, placed_copy(bodies, copy, _three(c, at)))
        at += 9 * BLOCK
        n = _three(c, at)
        nx = n[0] * x[0] + n[1] * y[0] + n[2] * z[0]
        ny = n[0] * x[1] + n[1] * y[1] + n[2] * z[1]
        nz = n[0] * x[2] + n[1] * y[2] + n[2] * z[2]
        _put_three(c, at, (nx, ny, nz))


@routine
def _take_in(which, world, flight, samples, block):
    """Enter what is known of the block's paths."""
    rays, hits, paths = flight.rays, flight.hits, flight.paths
    geometry, materials = world.geometry, world.materials
    b, c, w = block.numbers, block.corners, block.words
    for j in range(which.shape[0]):
        i = np.uint64(which[j])
        triangle = np.uint64(hits.triangle[i])
        t = geometry.corners[triangle]
        for k in range(CORNER_ROWS):
            c[k * BLOCK + j] = t[k]
        if hits.copy[i] >= 0:
            _place_corners(world.bodies, hits.copy[i], c, j)
        b[U + j], b[V + j] = hits.u[i], hits.v[i]
        d, path = rays.direction[i], paths[i]
        fetch_rows(i + np.uint64(ROWS_AHEAD), rays, hits, paths)
        fetch_sample(path.slot, samples.items)
        b[DX + j], b[DY + j], b[DZ + j] = d[0], d[1], d[2]
        b[THROUGHPUT_R + j], b[THROUGHPUT_G + j], b[THROUGHPUT_B + j], b[DEPTH + j] = path.r, path.g, path.b, path.depth
        w[SEED + j], w[NUMBER + j] = path.seed, path.number
        block.spots[PART + j] = np.int32(t[PART_COLUMN])
        put_material(materials.values, np.uint64(t[MATERIAL_COLUMN]), b, j)
        least = roughness_for(world.softening, path.spread, path.number)
        b[ALPHA + j] = max(b[ALPHA + j], least * least)


@routine
def _take_in_panels(count, lights, air, spots, panels):
    """Enter the lights of those paths that aim at bare panels which stand, through clear air."""
    rows = lights.rows
    told_apart = lights.spared.shape[0] > 0 or air.on
    for j in range(count):
        k = np.uint64(spots[SOURCE + j])
        bare = not told_apart and k < np.uint64(rows.shape[0]) and is_bare_panel(rows, k) and rows[k, TRAVEL] == 0.0
        spots[BARE + j] = 1 if bare else 0
        if bare:
            for c in range(PANEL_COLUMNS):
                panels[c * BLOCK + j] = rows[k, c]
            panels[PANEL_CASTS + j] = rows[k, CASTS]
            panels[PANEL_MIRRORED + j] = rows[k, REFLECTED]


@routine
def _draw_parts(count, lights, env, geometry, b, spots):
    """Which part of each source is aimed at (see `direct.draw_part`)."""
    n = lights.rows.shape[0]
    for j in range(count):
        if spots[SOURCE + j] >= n:
            x, y, u, v = draw_part(
                lights, env, geometry, np.int64(spots[SOURCE + j]), np.int64(spots[BIN + j]), b[L1 + j], b[L2 + j]
            )
            spots[PART_A + j], spots[PART_B + j], b[L1 + j], b[L2 + j] = x, y, u, v


@routine
def _choose_environment(count, lights, block):
    """Let those paths that are scattered first aim at the environment once more; returns whether there are any."""
    b, spots, w = block.numbers, block.spots, block.words
    some = False
    for j in range(count):
        first = b[DEPTH + j] == 0.0
        some |= first
        spots[SOURCE + j], spots[BARE + j], b[SHARE + j] = lights.rows.shape[0] + 1, 0, (1.0 if first else 0.0)
    if some:
        draw_place_numbers(SURROUNDINGS_PAIR, w, b)
    return some


@routine
def _aim(which, ahead, world, flight, scratch, block):
    """Directions to the light samples that were drawn. What the block after this one begins with is asked for here."""
    rays, hits, geometry = flight.rays, flight.hits, world.geometry
    b, spots, light = block.numbers, block.spots, block.light
    for j in range(which.shape[0]):
        if j < ahead.shape[0]:
            fetch_triangle(geometry.corners, hits.triangle[ahead[j]])
        if spots[BARE + j] != 0:
            continue
        i = np.uint64(which[j])
        part = np.int64(geometry.corners[np.uint64(hits.triangle[i]), PART_COLUMN])
        k, x, y = np.int64(spots[SOURCE + j]), np.int64(spots[PART_A + j]), np.int64(spots[PART_B + j])
        spot = x, y, b[L1 + j], b[L2 + j]
        p, facing = _three(b, PX + j), np.int64(spots[BIN + j])
        source, wi, distance, radiance, chance, only = aim(
            world, scratch, k, b[SHARE + j], spot, facing, p, rays.time[i] * 1.0, part
        )
        b[AX + j], b[AY + j], b[AZ + j] = wi
        chance = chance if source >= 0 else 0.0
        b[CHANCE + j] = -chance if only > 0 else chance
        light[DISTANCE + j], light[MIRRORED + j] = distance, (0.0 if only == 2 else 1.0)
        light[RADIANCE_R + j], light[RADIANCE_G + j], light[RADIANCE_B + j] = radiance


@device
def _frame(b, j):
    """Tangent, bitangent and normal of the j-th surface."""
    return _three(b, TX + j), _three(b, BX + j), _three(b, NX + j)


@routine
def _turn_to_targets(count, targets, glow, block):
    """Turn a share of the block's paths to a glow behind glass, the source of this number."""
    b, w = block.numbers, block.words
    for j in range(BLOCK):
        b[TURNED + j] = 0.0
    for j in range(count if any_target(targets) else 0):
        p, u = _three(b, PX + j), w[FRACTIONS + 6 * BLOCK + j] * TO_UNIT
        share = share_turned(targets, p, block.gives[glow * BLOCK + j], b[TOTAL + j])
        b[TURNED + j] = share
        if u < share:
            d = draw_direction(targets, p, u / share, b[V1 + j], b[V2 + j])
            b[TURNED + j] = -share
            b[IX + j], b[IY + j], b[IZ + j] = to_local(d, *_frame(b, j))


@routine
def _mix_densities(count, targets, block):
    """Density of the block's directions with those that are turned to targets."""
    b = block.numbers
    for j in range(BLOCK):
        b[MIXED + j] = b[DENSITY + j]
    for j in range(count if any_target(targets) else 0):
        if b[TURNED + j] < 0.0:  # it counts as scattered by the base or by facets, by what these give there
            diffused = b[DIFFUSED + j] * (b[BASE_R + j] + b[BASE_G + j] + b[BASE_B + j])
            faceted = b[FACETED + j] * (b[TINT_R + j] + b[TINT_G + j] + b[TINT_B + j])
            b[LOBE + j] = 0.0 if b[LOBE + j] * (diffused + faceted) < diffused else 1.0
        d = to_world(_three(b, IX + j), *_frame(b, j))
        b[MIXED + j] += abs(b[TURNED + j]) * (density_to(targets, _three(b, PX + j), d) - b[DENSITY + j])


@routine
def _record(which, world, flight, recording, samples, b):
    """Record the first hit of a camera ray, and the guides."""
    hits, paths, geometry = flight.hits, flight.paths, world.geometry
    for j in range(which.shape[0]):
        i = np.uint64(which[j])
        path = paths[i]
        if path.flags & GUIDED:
            continue
        slot, triangle = np.uint64(path.slot), np.uint64(hits.triangle[i])
        row = np.uint64(geometry.corners[triangle, MATERIAL_COLUMN])
        if path.flags & FROM_CAMERA:
            part = np.int64(geometry.corners[triangle, PART_COLUMN])
            p, way = _three(b, PX + j), path.way + hits.t[i] * 1.0
            at = np.uint64(hits.body[i]), triangle, b[U + j], b[V + j]
            record_visible(samples, recording, world, slot, way, p, p, at, (part, row))
        throughput = _three(b, THROUGHPUT_R + j)
        record_guides(samples.items[slot], throughput, world.materials.values[row], _three(b, NX + j))


@routine
def _cast(which, cast, flight, recording, block):
    """Write down the rays towards lights; returns how many there are then."""
    spots, light, o = block.spots, block.light, block.out
    for j in range(which.shape[0]):
        if not o[GIVES + j] > 0.0:  # nor where it is no number
            continue
        i = np.uint64(which[j])
        path = flight.paths[i]
        depth, kind = path.depth + 1, (path.flags >> KIND_SHIFT) & KIND_MASK
        ray = _three(o, FROM + j), _three(o, TO_LIGHT + j), flight.rays.time[i]
        brings = _three(o, LIT + j), _three(o, LIT + 3 * BLOCK + j)
        layers = (
            group_of(recording, spots[SOURCE + j]),
            component_of(recording, BY_DIFFUSE if kind == 0 else kind, depth),
            component_of(recording, BY_SPECULAR if kind == 0 else kind, depth),
        )
        cast_shadow(flight.shadows, cast, ray, light[DISTANCE + j], brings, path.slot, depth, layers)
        cast += 1
    return cast


@routine
def _go_on(which, alive, world, flight, block):
    """Write down the paths that go on; returns how many there are then."""
    b, o, hits = block.numbers, block.out, flight.hits
    for j in range(which.shape[0]):
        if o[GOES + j] <= 0.0:
            continue
        i = np.uint64(which[j])
        path, t = flight.paths[i], hits.t[i]
        flags = (path.flags & ~(FROM_CAMERA | FROM_AIR)) | GUIDED
        diffuse = b[LOBE + j] < b[P_DIFFUSE + j]
        if (flags >> KIND_SHIFT) & KIND_MASK == 0:
            flags |= (BY_DIFFUSE if diffuse else BY_SPECULAR) << KIND_SHIFT
        spread = max(path.spread, np.float32(0.3) if diffuse else o[SPREAD + j])
        part = np.int32(world.geometry.corners[np.uint64(hits.triangle[i]), PART_COLUMN])
        ray = _three(o, FROM + j), _three(o, TO + j), flight.rays.time[i]
        footprint = path.width + path.spread * t, spread, 0.0
        lit = block.words[WORD + j], np.float32(b[TOTAL + j])
        state = NO_MEDIA, path.slot, path.depth + 1, part, flags
        pass_on(
            flight,
            alive,
            ray,
            _three(o, KEPT + j),
            o[KEPT + 3 * BLOCK + j],
            lit,
            footprint,
            state,
            (path.seed, path.number),
        )
        alive += 1
    return alive


@routine
def shade_wide(which, count, so_far, step, max_bounces, world, flight, recording, samples, scratch, block):
    """As `shade`, for paths that meet even surfaces (see `wavefront.sort_out`).

    Adds to the surviving paths and shadow rays there are `so_far` and returns how many of each there are then.
    """
    b, o, spots, light, values = block.numbers, block.out, block.spots, block.light, world.materials.values
    lights, env, geometry = world.lights, world.environment, world.geometry
    alive, cast = so_far
    alone = apart(lights, 0)
    for begin in range(0, count, BLOCK):
        end = min(begin + BLOCK, count)
        here, ahead, n = which[begin:end], which[end : min(end + BLOCK, count)], end - begin
        _take_in(here, world, flight, samples, block)
        draw_numbers(FIRST_BOUNCE_PAIR + PAIRS_PER_BOUNCE * step, block.words, b)
        meet_surface(b, block.corners, o)
        find_near(lights.rows, b, spots)
        meet_near(here, spots, flight.rays, flight.hits, flight.paths, world, recording, samples)
        face_viewer(b)
        face_lights(lights.env_turn, b, block.words, spots)
        if lights.env_travel != 0.0:
            face_travelling(here, flight.rays, lights, b, block.words, spots)
        choose_sources(here, flight.rays, lights, env, alone, b, spots, block.gives)
        _draw_parts(n, lights, env, geometry, b, spots)
        _record(here, world, flight, recording, samples, b)
        prepare_wide(values, n, b)
        choose_directions(b)
        _turn_to_targets(n, world.targets, lights.rows.shape[0], block)
        evaluate_wide(values, n, b)
        _mix_densities(n, world.targets, block)
        bounce(max_bounces, b, o)
        _take_in_panels(n, lights, world.air, spots, block.panels)
        aim_at_panels(b, block.panels, light)
        for aimed in range(2):
            if aimed == 1:
                if not (alone and _choose_environment(n, lights, block)):
                    break
                _draw_parts(n, lights, env, geometry, b, spots)
            _aim(here, ahead, world, flight, scratch, block)
            turn_to_light(b, o)
            evaluate_wide(values, n, b)
            weigh_light(max_bounces, b, light, o)
            cast = _cast(here, cast, flight, recording, block)
        alive = _go_on(here, alive, world, flight, block)
    return alive, cast
