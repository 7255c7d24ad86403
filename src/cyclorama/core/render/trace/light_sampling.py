"""Which source of light to aim at: chosen by what each would give to the place that is lit if nothing were in its way.

What a light gives is judged by its distance, the way it and the surface face, and what its cone or grid leaves, as from
a ball around it, so that nothing that gives light is ever left out (bounds as in Estévez and Kulla, "Importance
Sampling of Many Lights with Adaptive Tree Splitting", ACM CGIT 1(2), 2018, section 4.2, for single lights). A share of
the samples goes by what sources give in the middle of the set, for what lies in the shadow of the brightest.

A path keeps how its last surface faced and what all sources gave there together: with these the chance of aiming at a
source that it meets can be told again (`chance_of`).

Where a path is scattered first the environment is not chosen among the others: a ray of its own goes there (`apart`).
What it brings is shared with the directions that the surface scatters to, so that samples spent on it instead of on
lights showed as grain in these.
"""

import math

import numpy as np

from ...batched import BLOCK
from ...kernel import device, routine
from ...light.direction_bins import ANY_WAY, STEPS, along_u, along_v, bin_at, bin_in, direction_of, word_of
from ...light.shapes import (
    AREA,
    CENTRE,
    COS_INNER,
    COS_OUTER,
    GRID_TAN,
    KIND,
    NORMAL,
    RADIANCE,
    REACH,
    SPHERE,
    SPOT,
    SUN,
    TRAVEL,
    TUBE,
)
from ...vectors import turned_about_axis
from .block import (
    BIN,
    DEPTH,
    FACE_X,
    FACE_Y,
    FACE_Z,
    NX,
    NY,
    NZ,
    PART,
    PER_DEFAULT,
    PER_TOTAL,
    PICK,
    PX,
    PY,
    PZ,
    SHARE,
    SOURCE,
    TOTAL,
    WORD,
)

CARE = 0.1
"""Share of the samples that go by what sources give in the middle of the set."""


@device
def strength_of(rows, k):
    """Constant factor of a light's strength: mean radiance times its area as seen from afar, or the sun's disc."""
    mean = (rows[k, RADIANCE] + rows[k, RADIANCE + 1] + rows[k, RADIANCE + 2]) / 3.0
    if rows[k, KIND] == SUN:
        return mean * 2.0 * math.pi * (1.0 - rows[k, COS_OUTER])
    if rows[k, KIND] == SPHERE:
        return mean * rows[k, AREA] * 0.25
    if rows[k, KIND] == TUBE:
        return mean * rows[k, AREA] / math.pi
    return mean * rows[k, AREA]


@device
def irradiance_from(x, y, z, reach, nx, ny, nz, sided):
    """Irradiance on a surface that faces n from a source within a ball at (x, y, z), per unit of strength."""
    d2 = x * x + y * y + z * z
    inv = 1.0 / math.sqrt(max(d2, 1e-20))
    s = min(reach * inv, 1.0)
    cosine = max((nx * x + ny * y + nz * z) * inv + s, 0.0) / (1.0 + s)
    return (cosine if sided else 1.0) / max(d2, max(reach * reach, 1e-20))


@device
def share_sent(x, y, z, reach, ax, ay, az, flat, outer, cone, grid):
    """Share of its strength that a light at (x, y, z), whose axis is a, sends.

    flat: 1 for panels; cone: 1 / width of a spot's edge, 0 for others; grid: 1 / tangent where it ends, 0: none.
    """
    inv = 1.0 / math.sqrt(max(x * x + y * y + z * z, 1e-20))
    s = min(reach * inv, 1.0)
    within = math.sqrt(max(1.0 - s * s, 0.0))
    cosine = -(x * ax + y * ay + z * az) * inv
    most = cosine * within + math.sqrt(max(1.0 - cosine * cosine, 0.0)) * s
    most = 1.0 if cosine >= within else most
    edge = min(max((most - outer) * cone, 0.0), 1.0) if cone > 0.0 else 1.0
    edge = edge * edge * (3.0 - 2.0 * edge)
    passing = max(1.0 - grid * math.sqrt(max(1.0 / max(most * most, 1e-9) - 1.0, 0.0)), 0.0)
    return edge * passing * (max(cosine, 0.0) if flat > 0.0 else 1.0)


@device
def _flat_cone_grid(rows, k):
    """Parameters of a light for `share_sent`."""
    kind = rows[k, KIND]
    flat = 0.0 if kind in (SPHERE, TUBE, SPOT) else 1.0
    cone = 1.0 / max(rows[k, COS_INNER] - rows[k, COS_OUTER], 1e-6) if kind == SPOT else 0.0
    grid = 1.0 / rows[k, GRID_TAN] if rows[k, GRID_TAN] > 0.0 else 0.0
    return flat, cone, grid


@device
def _toward_sun(rows, k, nx, ny, nz, sided):
    s = math.sqrt(max(1.0 - rows[k, COS_OUTER] * rows[k, COS_OUTER], 0.0))
    cosine = -(nx * rows[k, NORMAL] + ny * rows[k, NORMAL + 1] + nz * rows[k, NORMAL + 2])
    return max(cosine + s, 0.0) / (1.0 + s) if sided else 1.0


@device
def light_gives(rows, k, p, n, sided, time):
    """About what the k-th light gives to a surface at p (3,) that faces n (3,); 0 only where it gives nothing."""
    if rows[k, TRAVEL] != 0.0:  # its row is as in the middle of the shutter
        back = (0.5 - time) * rows[k, TRAVEL]
        p, n = turned_about_axis(p, back), turned_about_axis(n, back)
    strength = strength_of(rows, k)
    if rows[k, KIND] == SUN:
        return strength * _toward_sun(rows, k, n[0], n[1], n[2], sided)
    x, y, z = rows[k, CENTRE] - p[0], rows[k, CENTRE + 1] - p[1], rows[k, CENTRE + 2] - p[2]
    reach = rows[k, REACH] * 1.0
    flat, cone, grid = _flat_cone_grid(rows, k)
    away = share_sent(
        x,
        y,
        z,
        reach,
        rows[k, NORMAL] * 1.0,
        rows[k, NORMAL + 1] * 1.0,
        rows[k, NORMAL + 2] * 1.0,
        flat,
        rows[k, COS_OUTER] * 1.0,
        cone,
        grid,
    )
    return strength * away * irradiance_from(x, y, z, reach, n[0], n[1], n[2], sided)


@device
def glow_gives(lights, p, n, sided):
    """The same of all that glows."""
    x, y, z = lights.glow_at[0] - p[0], lights.glow_at[1] - p[1], lights.glow_at[2] - p[2]
    return 0.25 * lights.mesh_total * irradiance_from(x, y, z, lights.glow_reach, n[0], n[1], n[2], sided)


@device
def _gives(lights, env, k, p, word, time):
    """The same of the k-th source, to a surface that faces as a word says."""
    facing = bin_in(word)
    n, count = direction_of(word), lights.rows.shape[0]
    if k < count:
        return light_gives(lights.rows, k, p, n, facing != ANY_WAY, time)
    if k == count:
        return glow_gives(lights, p, n, facing != ANY_WAY)
    return lights.env_scale * env.strength[facing]


@device
def apart(lights, depth):
    """True when the environment has a ray of its own where a path is scattered that was scattered `depth` times."""
    n = lights.rows.shape[0]
    return depth == 0 and lights.pick[n + 1] > 0.0 and lights.pick[n + 2] > lights.pick[n + 1]


@device
def share(lights, k, gives, total, alone):
    """Chance of aiming at the k-th source where it gives so much of all; alone: the environment has its own ray."""
    by_default = lights.pick[k + 1] * 1.0 - lights.pick[k] * 1.0
    if alone:
        if k > lights.rows.shape[0]:
            return 1.0
        by_default /= lights.pick[lights.rows.shape[0] + 1]
    return CARE * by_default + (1.0 - CARE) * gives / total if total > 0.0 else by_default


@device
def chance_of(lights, env, k, p, word, total, time, depth):
    """Chance with which the k-th source was aimed at from p (3,), on a surface that faces as `word` says, where a path
    was scattered the `depth`-th time."""
    return share(lights, k, _gives(lights, env, k, p, word, time), total * 1.0, apart(lights, depth - 1))


@device
def facing_word(lights, n, sided, time):
    """Direction word of a surface that faces n (3,) at a time of the shutter (see `light.direction_bins`)."""
    u, v = along_u(n[0], n[1], n[2]), along_v(n[0], n[1], n[2])
    if not sided:
        return word_of(u, v, ANY_WAY)
    turn = lights.env_turn
    if lights.env_travel != 0.0:
        n = turned_about_axis(n, (0.5 - time) * lights.env_travel)
    x = turn[0, 0] * n[0] + turn[1, 0] * n[1] + turn[2, 0] * n[2]
    y = turn[0, 1] * n[0] + turn[1, 1] * n[1] + turn[2, 1] * n[2]
    z = turn[0, 2] * n[0] + turn[1, 2] * n[1] + turn[2, 2] * n[2]
    return word_of(u, v, bin_at(along_u(x, y, z), along_v(x, y, z)))


@routine
def choose(lights, env, gives, p, word, part, time, u, alone):
    """Choose a source for a place p (3,) on a part. gives: scratch, a number for each source; alone: the environment
    has its own ray and is not among them.

    Returns the source, the chance with which it was chosen (0: none was), and what all give together.
    """
    count = lights.rows.shape[0]
    total = 0.0
    among = count + 1 if alone else count + 2
    for k in range(among):
        spared = k < count and part >= 0 and lights.spared.shape[0] > 0 and lights.spared[k, part]
        gives[k] = 0.0 if spared or lights.pick[k + 1] <= lights.pick[k] else _gives(lights, env, k, p, word, time)
        total += gives[k]
    total = np.float64(np.float32(total))
    rest, source, chance = u, 0, 0.0
    for k in range(among):
        c = share(lights, k, gives[k], total, alone)
        if 0.0 <= rest < c:
            source, chance = k, c
        rest -= c
    return source, chance, total


@routine
def face_lights(turn, b, w, spots):
    """Direction words of the block's surfaces, and the directions themselves."""
    ax, ay, az = turn[0, 0] * 1.0, turn[1, 0] * 1.0, turn[2, 0] * 1.0
    bx, by, bz = turn[0, 1] * 1.0, turn[1, 1] * 1.0, turn[2, 1] * 1.0
    cx, cy, cz = turn[0, 2] * 1.0, turn[1, 2] * 1.0, turn[2, 2] * 1.0
    for j in range(BLOCK):
        x, y, z = b[NX + j], b[NY + j], b[NZ + j]
        u, v = math.floor(along_u(x, y, z) * STEPS) / STEPS, math.floor(along_v(x, y, z) * STEPS) / STEPS
        ex, ey, ez = ax * x + ay * y + az * z, bx * x + by * y + bz * z, cx * x + cy * y + cz * z
        spots[BIN + j] = bin_at(along_u(ex, ey, ez), along_v(ex, ey, ez))
        w[WORD + j] = word_of(u + 0.25 / STEPS, v + 0.25 / STEPS, spots[BIN + j])
        # `from_square`
        x, y = 2.0 * u - 1.0, 2.0 * v - 1.0
        z = 1.0 - abs(x) - abs(y)
        fx, fy = (1.0 - abs(y)) * (1.0 if x >= 0.0 else -1.0), (1.0 - abs(x)) * (1.0 if y >= 0.0 else -1.0)
        x, y = fx if z < 0.0 else x, fy if z < 0.0 else y
        k = 1.0 / math.sqrt(x * x + y * y + z * z)
        b[FACE_X + j], b[FACE_Y + j], b[FACE_Z + j] = x * k, y * k, z * k


@routine
def face_travelling(which, rays, lights, b, w, spots):
    """The same where the environment turns while the shutter is open."""
    for j in range(which.shape[0]):
        n = b[NX + j] * 1.0, b[NY + j] * 1.0, b[NZ + j] * 1.0
        w[WORD + j] = facing_word(lights, n, True, rays.time[which[j]] * 1.0)
        spots[BIN + j] = np.int32(bin_in(w[WORD + j]))


@routine
def lights_give(rows, pick, b, gives):
    """Irradiance from lights on the block's surfaces, as `light_gives`."""
    for k in range(rows.shape[0]):
        strength = strength_of(rows, k) if pick[k + 1] > pick[k] else 0.0
        at = k * BLOCK
        if strength == 0.0 or rows[k, KIND] == SUN:
            for j in range(BLOCK):
                gives[at + j] = strength * _toward_sun(rows, k, b[FACE_X + j], b[FACE_Y + j], b[FACE_Z + j], True)
            continue
        cx, cy, cz, reach = (
            rows[k, CENTRE] * 1.0,
            rows[k, CENTRE + 1] * 1.0,
            rows[k, CENTRE + 2] * 1.0,
            rows[k, REACH] * 1.0,
        )
        ax, ay, az, outer = (
            rows[k, NORMAL] * 1.0,
            rows[k, NORMAL + 1] * 1.0,
            rows[k, NORMAL + 2] * 1.0,
            rows[k, COS_OUTER] * 1.0,
        )
        flat, cone, grid = _flat_cone_grid(rows, k)
        if cone == 0.0 and grid == 0.0:  # most lights
            for j in range(BLOCK):
                x, y, z = cx - b[PX + j], cy - b[PY + j], cz - b[PZ + j]
                taken = irradiance_from(x, y, z, reach, b[FACE_X + j], b[FACE_Y + j], b[FACE_Z + j], True)
                inv = 1.0 / math.sqrt(max(x * x + y * y + z * z, 1e-20))
                facing = max(-(x * ax + y * ay + z * az) * inv, 0.0) if flat > 0.0 else 1.0
                gives[at + j] = strength * facing * taken
            continue
        for j in range(BLOCK):
            x, y, z = cx - b[PX + j], cy - b[PY + j], cz - b[PZ + j]
            taken = irradiance_from(x, y, z, reach, b[FACE_X + j], b[FACE_Y + j], b[FACE_Z + j], True)
            gives[at + j] = strength * share_sent(x, y, z, reach, ax, ay, az, flat, outer, cone, grid) * taken


@routine
def _rest_gives(lights, env, b, spots, gives):
    """The same of glowing triangles and the environment; lights that spare a part give it nothing."""
    n = lights.rows.shape[0]
    gx, gy, gz, reach = lights.glow_at[0] * 1.0, lights.glow_at[1] * 1.0, lights.glow_at[2] * 1.0, lights.glow_reach
    glow = 0.25 * lights.mesh_total if lights.pick[n + 1] > lights.pick[n] else 0.0
    scale = lights.env_scale if lights.pick[n + 2] > lights.pick[n + 1] else 0.0
    for j in range(BLOCK):
        gives[n * BLOCK + j] = 0.0
    for j in range(BLOCK if glow > 0.0 else 0):
        x, y, z = gx - b[PX + j], gy - b[PY + j], gz - b[PZ + j]
        gives[n * BLOCK + j] = glow * irradiance_from(x, y, z, reach, b[FACE_X + j], b[FACE_Y + j], b[FACE_Z + j], True)
    for j in range(BLOCK):
        gives[(n + 1) * BLOCK + j] = scale * env.strength[spots[BIN + j]]
    for k in range(lights.spared.shape[0]):
        for j in range(BLOCK):
            if lights.spared[k, spots[PART + j]]:
                gives[k * BLOCK + j] = 0.0


@routine
def _travelling_give(which, rays, lights, b, gives):
    """The same of lights that travel while the shutter is open."""
    for k in range(lights.rows.shape[0]):
        if lights.rows[k, TRAVEL] != 0.0 and lights.pick[k + 1] > lights.pick[k]:
            for j in range(which.shape[0]):
                p = b[PX + j] * 1.0, b[PY + j] * 1.0, b[PZ + j] * 1.0
                n = b[FACE_X + j] * 1.0, b[FACE_Y + j] * 1.0, b[FACE_Z + j] * 1.0
                gives[k * BLOCK + j] = light_gives(lights.rows, k, p, n, True, rays.time[which[j]] * 1.0)


@routine
def choose_sources(which, rays, lights, env, alone, b, spots, gives):
    """Which source each of the block's paths aims at, with what chance, and what all give: as `choose`.

    alone: whether the environment has its own ray where a path is scattered first.
    """
    pick, count = lights.pick, lights.rows.shape[0] + 2
    lights_give(lights.rows, pick, b, gives)
    _travelling_give(which, rays, lights, b, gives)
    _rest_gives(lights, env, b, spots, gives)
    environment, others = (count - 1) * BLOCK, pick[count - 1] * 1.0
    for j in range(BLOCK):
        b[TOTAL + j], b[SHARE + j] = 0.0, 0.0
        spots[SOURCE + j] = 0
        without = alone and b[DEPTH + j] == 0.0
        b[PER_DEFAULT + j] = 1.0 / others if without else 1.0
        gives[environment + j] = 0.0 if without else gives[environment + j]
    for k in range(count):
        for j in range(BLOCK):
            b[TOTAL + j] += gives[k * BLOCK + j]
    for j in range(BLOCK):
        b[TOTAL + j] = np.float64(np.float32(b[TOTAL + j]))
        b[PER_TOTAL + j] = (1.0 - CARE) / b[TOTAL + j] if b[TOTAL + j] > 0.0 else 0.0
    for k in range(count):
        chance = pick[k + 1] * 1.0 - pick[k] * 1.0
        for j in range(BLOCK):
            by_default = chance * b[PER_DEFAULT + j]
            by_default = 0.0 if k == count - 1 and b[PER_DEFAULT + j] != 1.0 else by_default
            mixed = CARE * by_default + gives[k * BLOCK + j] * b[PER_TOTAL + j]
            c = mixed if b[TOTAL + j] > 0.0 else by_default
            takes = 0.0 <= b[PICK + j] < c
            spots[SOURCE + j] = k if takes else spots[SOURCE + j]
            b[SHARE + j] = c if takes else b[SHARE + j]
            b[PICK + j] -= c
