"""The steps of shading even surfaces that go side by side (see `core.wide`), on the rows of `block`."""

import math

from ...batched import BLOCK
from ...kernel import routine
from ...light.shapes import AREA, DISC, HALF_U, HALF_V, KIND, NORMAL, RADIANCE
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
    OX,
    OY,
    OZ,
    TINT_B,
    TINT_G,
    TINT_R,
    V1,
    V2,
)
from ...trig import cos_turns, sin_turns
from .block import (
    AX,
    AY,
    AZ,
    BX,
    BY,
    BZ,
    CHANCE,
    DEPTH,
    DISTANCE,
    DX,
    DY,
    DZ,
    FRACTIONS,
    FROM,
    FX,
    FY,
    FZ,
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
    NY,
    NZ,
    PANEL_CASTS,
    PANEL_MIRRORED,
    PICK,
    PX,
    PY,
    PZ,
    RADIANCE_B,
    RADIANCE_G,
    RADIANCE_R,
    ROULETTE,
    SEED,
    SHARE,
    SPREAD,
    THROUGHPUT_B,
    THROUGHPUT_G,
    THROUGHPUT_R,
    TO,
    TO_LIGHT,
    TX,
    TY,
    TZ,
    U,
    V,
)
from .direct import heuristic
from .paths import ROULETTE_FROM
from .sampler import TO_UNIT, U32, combine, first_of, second_of, shuffle_index
from .surface import below, step_off


@routine
def draw_numbers(pair, w, b):
    """The numbers of the four pairs from `pair` on (see `sampler.sample_pair`)."""
    for k in range(4):
        dimension = U32(pair + k)
        first, second = FRACTIONS + 2 * k * BLOCK, FRACTIONS + (2 * k + 1) * BLOCK
        for j in range(BLOCK):
            seed = combine(w[SEED + j], dimension)
            place = shuffle_index(w[NUMBER + j], seed)
            w[first + j] = first_of(place, seed)
            w[second + j] = second_of(place, seed)
    f = FRACTIONS
    for j in range(BLOCK):
        b[PICK + j], b[LOBE + j] = w[f + j] * TO_UNIT, w[f + BLOCK + j] * TO_UNIT
        b[L1 + j], b[L2 + j] = w[f + 2 * BLOCK + j] * TO_UNIT, w[f + 3 * BLOCK + j] * TO_UNIT
        b[V1 + j], b[V2 + j] = w[f + 4 * BLOCK + j] * TO_UNIT, w[f + 5 * BLOCK + j] * TO_UNIT
        b[ROULETTE + j] = w[f + 7 * BLOCK + j] * TO_UNIT


@routine
def draw_place_numbers(pair, w, b):
    """The numbers of one pair: for the place that is aimed at."""
    dimension = U32(pair)
    for j in range(BLOCK):
        seed = combine(w[SEED + j], dimension)
        place = shuffle_index(w[NUMBER + j], seed)
        b[L1 + j], b[L2 + j] = first_of(place, seed) * TO_UNIT, second_of(place, seed) * TO_UNIT


@routine
def meet_surface(b, c, o):
    """Place, normals, and where rays leave from (see `surface.hit_surface`), all on the viewer's side."""
    for j in range(BLOCK):
        u, v = b[U + j], b[V + j]
        s = 1.0 - u - v
        ax, ay, az = c[j] * 1.0, c[BLOCK + j] * 1.0, c[2 * BLOCK + j] * 1.0
        ex, ey, ez = c[3 * BLOCK + j] * 1.0, c[4 * BLOCK + j] * 1.0, c[5 * BLOCK + j] * 1.0
        gx, gy, gz = c[6 * BLOCK + j] * 1.0, c[7 * BLOCK + j] * 1.0, c[8 * BLOCK + j] * 1.0
        px, py, pz = s * ax + u * ex + v * gx, s * ay + u * ey + v * gy, s * az + u * ez + v * gz
        e1x, e1y, e1z, e2x, e2y, e2z = ex - ax, ey - ay, ez - az, gx - ax, gy - ay, gz - az
        fx, fy, fz = e1y * e2z - e1z * e2y, e1z * e2x - e1x * e2z, e1x * e2y - e1y * e2x
        f2 = fx * fx + fy * fy + fz * fz
        k = 1.0 / math.sqrt(max(f2, 1e-60))
        fx, fy, fz = fx * k, fy * k, (fz * k if f2 > 1e-60 else 1.0)
        n1x, n1y, n1z = c[9 * BLOCK + j] * 1.0, c[10 * BLOCK + j] * 1.0, c[11 * BLOCK + j] * 1.0
        n2x, n2y, n2z = c[12 * BLOCK + j] * 1.0, c[13 * BLOCK + j] * 1.0, c[14 * BLOCK + j] * 1.0
        n3x, n3y, n3z = c[15 * BLOCK + j] * 1.0, c[16 * BLOCK + j] * 1.0, c[17 * BLOCK + j] * 1.0
        nx, ny, nz = s * n1x + u * n2x + v * n3x, s * n1y + u * n2y + v * n3y, s * n1z + u * n2z + v * n3z
        n2 = nx * nx + ny * ny + nz * nz
        k = 1.0 / math.sqrt(max(n2, 1e-60))
        nx, ny, nz = nx * k, ny * k, (nz * k if n2 > 1e-60 else 1.0)
        along = fx * nx + fy * ny + fz * nz
        sign = 1.0 if along >= 0.0 else -1.0
        # smooth normals follow the geometric one, which is turned to the viewer
        seen = -(fx * b[DX + j] + fy * b[DY + j] + fz * b[DZ + j])
        side = 1.0 if seen >= 0.0 else -1.0
        # lifted to the surface that the normals describe, except from within
        lift = sign if abs(along) < 0.9999999 and seen >= 0.0 else 0.0
        da = lift * s * below(px, py, pz, ax, ay, az, n1x, n1y, n1z, sign)
        db = lift * u * below(px, py, pz, ex, ey, ez, n2x, n2y, n2z, sign)
        dc = lift * v * below(px, py, pz, gx, gy, gz, n3x, n3y, n3z, sign)
        qx = px - da * n1x - db * n2x - dc * n3x
        qy = py - da * n1y - db * n2y - dc * n3y
        qz = pz - da * n1z - db * n2z - dc * n3z
        fx, fy, fz = side * fx, side * fy, side * fz
        turned = side * sign
        step = step_off(qx, qy, qz)
        b[PX + j], b[PY + j], b[PZ + j] = px, py, pz
        o[FROM + j], o[FROM + BLOCK + j], o[FROM + 2 * BLOCK + j] = qx + step * fx, qy + step * fy, qz + step * fz
        b[FX + j], b[FY + j], b[FZ + j] = fx, fy, fz
        b[NX + j], b[NY + j], b[NZ + j] = turned * nx, turned * ny, turned * nz


@routine
def face_viewer(b):
    """The shading normal as far as it can be seen (`surface.facing_normal`), its frame, and the viewer in it."""
    for j in range(BLOCK):
        x, y, z = -b[DX + j], -b[DY + j], -b[DZ + j]
        nx, ny, nz = b[NX + j], b[NY + j], b[NZ + j]
        c = nx * x + ny * y + nz * z
        bend = 0.0 if c >= 1e-3 else 2e-3 - c
        nx, ny, nz = nx + bend * x, ny + bend * y, nz + bend * z
        k = 1.0 if c >= 1e-3 else 1.0 / math.sqrt(max(nx * nx + ny * ny + nz * nz, 1e-60))
        nx, ny, nz = nx * k, ny * k, nz * k
        # `vectors.basis`
        s = 1.0 if nz >= 0.0 else -1.0
        a = -1.0 / (s + nz)
        m = nx * ny * a
        tx, ty, tz = 1.0 + s * nx * nx * a, s * m, -s * nx
        bx, by, bz = m, s + ny * ny * a, -ny
        b[NX + j], b[NY + j], b[NZ + j] = nx, ny, nz
        b[TX + j], b[TY + j], b[TZ + j] = tx, ty, tz
        b[BX + j], b[BY + j], b[BZ + j] = bx, by, bz
        b[OX + j] = x * tx + y * ty + z * tz
        b[OY + j] = x * bx + y * by + z * bz
        b[OZ + j] = x * nx + y * ny + z * nz


@routine
def bounce(last, b, o):
    """Where paths go on, with what throughput and density; Russian roulette."""
    for j in range(BLOCK):
        x, y, z = b[IX + j], b[IY + j], b[IZ + j]
        wx = x * b[TX + j] + y * b[BX + j] + z * b[NX + j]
        wy = x * b[TY + j] + y * b[BY + j] + z * b[NY + j]
        wz = x * b[TZ + j] + y * b[BZ + j] + z * b[NZ + j]
        k = 1.0 / math.sqrt(max(wx * wx + wy * wy + wz * wz, 1e-60))
        wx, wy, wz = wx * k, wy * k, wz * k
        out = wx * b[FX + j] + wy * b[FY + j] + wz * b[FZ + j]
        density = b[DENSITY + j]
        inv = 1.0 / max(b[MIXED + j], 1e-12)
        d, s = b[DIFFUSED + j] * inv, b[FACETED + j] * inv
        r = b[THROUGHPUT_R + j] * (d * b[BASE_R + j] + s * b[TINT_R + j])
        g = b[THROUGHPUT_G + j] * (d * b[BASE_G + j] + s * b[TINT_G + j])
        bl = b[THROUGHPUT_B + j] * (d * b[BASE_B + j] + s * b[TINT_B + j])
        depth = b[DEPTH + j]
        keep = min(0.95, max(r, max(g, bl))) if depth >= ROULETTE_FROM else 1.0
        share = 1.0 / max(keep, 1e-30)
        goes = z > 0.0 and density > 1e-12 and out >= 0.0 and depth < last and b[ROULETTE + j] < keep
        o[TO + j], o[TO + BLOCK + j], o[TO + 2 * BLOCK + j] = wx, wy, wz
        o[KEPT + j], o[KEPT + BLOCK + j], o[KEPT + 2 * BLOCK + j] = r * share, g * share, bl * share
        o[KEPT + 3 * BLOCK + j], o[GOES + j] = density, (1.0 if goes else 0.0)
        o[SPREAD + j] = 0.5 * math.sqrt(b[ALPHA + j])


@routine
def turn_to_light(b, o):
    """The direction to the light in the frame of the surface; from below where the surface hides it."""
    for j in range(BLOCK):
        x, y, z = b[AX + j], b[AY + j], b[AZ + j]
        out = x * b[FX + j] + y * b[FY + j] + z * b[FZ + j]
        up = x * b[NX + j] + y * b[NY + j] + z * b[NZ + j]
        b[IX + j] = x * b[TX + j] + y * b[TY + j] + z * b[TZ + j]
        b[IY + j] = x * b[BX + j] + y * b[BY + j] + z * b[BZ + j]
        b[IZ + j] = up if out > 0.0 else -1.0
        o[TO_LIGHT + j], o[TO_LIGHT + BLOCK + j], o[TO_LIGHT + 2 * BLOCK + j] = x, y, z


@routine
def weigh_light(last, b, light, o):
    """Radiance from the lights that were aimed at, with the power heuristic."""
    for j in range(BLOCK):
        chance = abs(b[CHANCE + j])
        alone = b[CHANCE + j] < 0.0 or b[DEPTH + j] >= last
        k = (1.0 if alone else heuristic(chance, b[DENSITY + j])) / max(chance, 1e-30)
        kr = k * b[THROUGHPUT_R + j] * light[RADIANCE_R + j]
        kg = k * b[THROUGHPUT_G + j] * light[RADIANCE_G + j]
        kb = k * b[THROUGHPUT_B + j] * light[RADIANCE_B + j]
        d, s = b[DIFFUSED + j], b[FACETED + j] * light[MIRRORED + j]
        o[LIT + j], o[LIT + BLOCK + j] = kr * d * b[BASE_R + j], kg * d * b[BASE_G + j]
        o[LIT + 2 * BLOCK + j], o[LIT + 3 * BLOCK + j] = kb * d * b[BASE_B + j], kr * s * b[TINT_R + j]
        o[LIT + 4 * BLOCK + j], o[LIT + 5 * BLOCK + j] = kg * s * b[TINT_G + j], kb * s * b[TINT_B + j]
        o[GIVES + j] = d + s if chance > 0.0 else 0.0


@routine
def aim_at_panels(b, panels, light):
    """As `shapes.aim_at`, for bare panels."""
    for j in range(BLOCK):
        u1, u2 = b[L1 + j], b[L2 + j]
        radius = math.sqrt(u1)
        disc = panels[KIND * BLOCK + j] == DISC
        x = radius * cos_turns(u2) if disc else 2.0 * u1 - 1.0
        y = radius * sin_turns(u2) if disc else 2.0 * u2 - 1.0
        u, v = HALF_U * BLOCK + j, HALF_V * BLOCK + j
        ax = panels[j] + x * panels[u] + y * panels[v] - b[PX + j]
        ay = panels[BLOCK + j] + x * panels[u + BLOCK] + y * panels[v + BLOCK] - b[PY + j]
        az = panels[2 * BLOCK + j] + x * panels[u + 2 * BLOCK] + y * panels[v + 2 * BLOCK] - b[PZ + j]
        distance = math.sqrt(ax * ax + ay * ay + az * az)
        inv = 1.0 / max(distance, 1e-20)
        ax, ay, az = ax * inv, ay * inv, az * inv
        n = NORMAL * BLOCK + j
        facing = -(ax * panels[n] + ay * panels[n + BLOCK] + az * panels[n + 2 * BLOCK])
        chance = distance * distance / max(facing * panels[AREA * BLOCK + j], 1e-30) * b[SHARE + j]
        chance = chance if facing > 1e-7 else 0.0
        casts, mirrored = panels[PANEL_CASTS + j], panels[PANEL_MIRRORED + j]
        b[AX + j], b[AY + j], b[AZ + j] = ax, ay, az
        b[CHANCE + j] = -chance if casts == 0.0 or mirrored == 0.0 else chance
        light[DISTANCE + j] = 0.0 if casts == 0.0 else distance * 0.9999
        c = RADIANCE * BLOCK + j
        light[RADIANCE_R + j], light[RADIANCE_G + j] = panels[c], panels[c + BLOCK]
        light[RADIANCE_B + j], light[MIRRORED + j] = panels[c + 2 * BLOCK], mirrored
