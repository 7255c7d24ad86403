"""Lights as rows of numbers: where a ray meets one, and how to aim at it.

Panels (rectangle, disc, ring) and spots shine to the side of their normal; spheres and tubes all round; the sun stands
at no distance in particular. Densities are per solid angle, seen from the point that is lit.
"""

import math

from ..kernel import device, routine
from ..textures import lookup_mask
from ..trig import sincos_turns
from ..vectors import basis

RECT, DISC, SPHERE, TUBE, SPOT, SUN, RING = 0, 1, 2, 3, 4, 5, 6
"""Kinds."""

CENTRE, HALF_U, HALF_V, NORMAL, RADIANCE, AREA, KIND = 0, 3, 6, 9, 12, 15, 16
RADIUS, HALF_LENGTH = 17, 18
COS_OUTER, COS_INNER = 19, 20
"""Of a spot's cone; of the sun's disc."""
GRID_TAN = 21
"""Tangent of the angle at which a honeycomb grid lets nothing more pass; 0: no grid."""
GOBO, MASK_U, MASK_V, MASK_OFFSET, GOBO_BLUR, GOBO_PARALLEL = 22, 23, 26, 29, 31, 32
"""Row of the mask or −1; how its u and v (3, 3) grow from the middle of the light, and from where (2): by the metre, or
by the metre from the light as seen from there; blur in masks; 1: parallel."""
CASTS, SEEN, REFLECTED = 33, 34, 35
"""1: casts shadows (0: none, LIFTED: see there); seen by the camera; seen in reflections."""
REACH = 36
"""Radius of a ball around the centre that holds the whole light."""
TRAVEL = 37
"""Radians that the light turns about the axis while the shutter is open; the row is as in the middle of it."""
LIFTED = 2.0
"""Value of CASTS of a light whose shadows let some of it through, or reach only so far; it is only ever aimed at."""
FREE, FREE_SHARE, HELD_SHARE, CONTACT = 38, 39, 42, 45
"""How often its light is taken as passing everything, what of it (3) counts then and otherwise, and how far from what
is lit things cast shadows, m."""
HOLE = 46
"""Of a ring: square of the share of its radius that is open, 0 of all else."""
LIGHT_COLUMNS = 47
PANEL_COLUMNS = KIND + 1
"""The first columns are all that is needed of a panel without grid or gobo."""
FAR = 1e30


@device
def _local(rows, k, x, y, z):
    """Coordinates of a vector along u, v (1 at the edge) and the normal (m)."""
    u2 = rows[k, 3] * rows[k, 3] + rows[k, 4] * rows[k, 4] + rows[k, 5] * rows[k, 5]
    v2 = rows[k, 6] * rows[k, 6] + rows[k, 7] * rows[k, 7] + rows[k, 8] * rows[k, 8]
    return (
        (x * rows[k, 3] + y * rows[k, 4] + z * rows[k, 5]) / u2,
        (x * rows[k, 6] + y * rows[k, 7] + z * rows[k, 8]) / v2,
        x * rows[k, 9] + y * rows[k, 10] + z * rows[k, 11],
    )


@routine
def _shaped(rows, gobos, k, p, facing):
    """Share of light (3,) that grid, cone and gobo pass towards the point p; `facing`: cosine at which it leaves."""
    w = 1.0
    if rows[k, GRID_TAN] > 0.0:
        tangent = math.sqrt(max(1.0 / max(facing * facing, 1e-12) - 1.0, 0.0))
        w *= max(1.0 - tangent / rows[k, GRID_TAN], 0.0)
    if rows[k, KIND] == SPOT:
        edge = (facing - rows[k, COS_OUTER]) / max(rows[k, COS_INNER] - rows[k, COS_OUTER], 1e-6)
        edge = min(max(edge, 0.0), 1.0)
        # intensity falls off with the cone, not with the face's own cosine
        w *= edge * edge * (3.0 - 2.0 * edge) / max(facing, 1e-3)
    r = g = b = w
    if rows[k, GOBO] >= 0.0 and w > 0.0:
        x, y, z = p[0] - rows[k, 0], p[1] - rows[k, 1], p[2] - rows[k, 2]
        scale = 1.0
        if rows[k, GOBO_PARALLEL] == 0.0:
            scale = 1.0 / max(x * rows[k, 9] + y * rows[k, 10] + z * rows[k, 11], 1e-6)
        m = MASK_U
        u = (x * rows[k, m] + y * rows[k, m + 1] + z * rows[k, m + 2]) * scale + rows[k, MASK_OFFSET]
        m = MASK_V
        v = (x * rows[k, m] + y * rows[k, m + 1] + z * rows[k, m + 2]) * scale + rows[k, MASK_OFFSET + 1]
        gr, gg, gb = lookup_mask(gobos, int(rows[k, GOBO]), u, v, rows[k, GOBO_BLUR] * 1.0)
        r, g, b = r * gr, g * gg, b * gb
    return r, g, b


@device
def _radiance(rows, gobos, k, p, facing):
    r, g, b = rows[k, RADIANCE] * 1.0, rows[k, RADIANCE + 1] * 1.0, rows[k, RADIANCE + 2] * 1.0
    if rows[k, GRID_TAN] > 0.0 or rows[k, KIND] == SPOT or rows[k, GOBO] >= 0.0:
        sr, sg, sb = _shaped(rows, gobos, k, p, facing)
        r, g, b = r * sr, g * sg, b * sb
    return r, g, b


@device
def _panel_hit(rows, k, o, d, round_one):
    facing = -(d[0] * rows[k, 9] + d[1] * rows[k, 10] + d[2] * rows[k, 11])
    if facing <= 1e-7:
        return -1.0, 0.0, 0.0
    x, y, z = rows[k, 0] - o[0], rows[k, 1] - o[1], rows[k, 2] - o[2]
    t = -(x * rows[k, 9] + y * rows[k, 10] + z * rows[k, 11]) / facing
    if t <= 1e-7:
        return -1.0, 0.0, 0.0
    u, v, _ = _local(rows, k, t * d[0] - x, t * d[1] - y, t * d[2] - z)
    r2 = u * u + v * v
    outside = r2 > 1.0 or r2 < rows[k, HOLE] if round_one else abs(u) > 1.0 or abs(v) > 1.0
    if outside:
        return -1.0, 0.0, 0.0
    return t, t * t / (facing * rows[k, AREA]), facing


@device
def _ball_hit(rows, k, o, d):
    x, y, z = rows[k, 0] - o[0], rows[k, 1] - o[1], rows[k, 2] - o[2]
    r2 = rows[k, RADIUS] * rows[k, RADIUS]
    d2 = x * x + y * y + z * z
    along = x * d[0] + y * d[1] + z * d[2]
    under = r2 - (d2 - along * along)
    if along <= 0.0 or under <= 0.0 or d2 <= r2:
        return -1.0, 0.0
    return along - math.sqrt(under), 1.0 / _cone_solid_angle(r2 / d2)


@device
def _cone_solid_angle(sin2):
    """2π (1 − cos) without cancellation."""
    return 2.0 * math.pi * sin2 / (1.0 + math.sqrt(max(1.0 - sin2, 0.0)))


@device
def _tube_frame(rows, k, o):
    """The viewer across the axis of a tube: distance from the axis, unit vector to it from the axis."""
    inv = 1.0 / rows[k, HALF_LENGTH]
    ax, ay, az = rows[k, 3] * inv, rows[k, 4] * inv, rows[k, 5] * inv
    x, y, z = o[0] - rows[k, 0], o[1] - rows[k, 1], o[2] - rows[k, 2]
    along = x * ax + y * ay + z * az
    x, y, z = x - along * ax, y - along * ay, z - along * az
    across = math.sqrt(x * x + y * y + z * z)
    k2 = 1.0 / max(across, 1e-20)
    return across, (x * k2, y * k2, z * k2), (ax, ay, az), along


@device
def _tube_visible(rows, k, across):
    """Half the angle of the arc that can be seen from a distance to the axis, radians; 0 from within."""
    c = rows[k, RADIUS] / max(across, 1e-20)
    return math.acos(c) if c < 1.0 else 0.0


@routine
def _tube_hit(rows, k, o, d):
    across, out, axis, along = _tube_frame(rows, k, o)
    half = _tube_visible(rows, k, across)
    if half <= 0.0:
        return -1.0, 0.0
    da = d[0] * axis[0] + d[1] * axis[1] + d[2] * axis[2]
    px, py, pz = d[0] - da * axis[0], d[1] - da * axis[1], d[2] - da * axis[2]
    a = px * px + py * py + pz * pz
    b = across * (px * out[0] + py * out[1] + pz * out[2])
    c = across * across - rows[k, RADIUS] * rows[k, RADIUS]
    root = b * b - a * c
    if a < 1e-12 or root <= 0.0 or b >= 0.0:
        return -1.0, 0.0
    t = (-b - math.sqrt(root)) / a
    if abs(along + t * da) > rows[k, HALF_LENGTH]:
        return -1.0, 0.0
    facing = math.sqrt(root) / rows[k, RADIUS]
    area = 4.0 * half * rows[k, RADIUS] * rows[k, HALF_LENGTH]
    return t, t * t / (max(facing, 1e-6) * area)


@device
def light_hit(rows, gobos, k, o, d):
    """Distance along a ray (−1: missed), density with which `aim_at` would have chosen it, radiance (3,)."""
    kind = int(rows[k, KIND])
    none = (0.0, 0.0, 0.0)
    t, density, facing = -1.0, 0.0, 1.0
    if kind == SUN:
        if -(d[0] * rows[k, 9] + d[1] * rows[k, 10] + d[2] * rows[k, 11]) < rows[k, COS_OUTER]:
            return -1.0, 0.0, none
        return FAR, 1.0 / (2.0 * math.pi * (1.0 - rows[k, COS_OUTER])), _radiance(rows, gobos, k, o, 1.0)
    x, y, z = rows[k, 0] - o[0], rows[k, 1] - o[1], rows[k, 2] - o[2]
    along = x * d[0] + y * d[1] + z * d[2]
    if x * x + y * y + z * z - along * along > rows[k, REACH] * rows[k, REACH]:
        return -1.0, 0.0, none
    if kind == SPHERE:
        t, density = _ball_hit(rows, k, o, d)
    elif kind == TUBE:
        t, density = _tube_hit(rows, k, o, d)
    else:
        t, density, facing = _panel_hit(rows, k, o, d, kind != RECT)
    if t <= 0.0:
        return -1.0, 0.0, none
    return t, density, _radiance(rows, gobos, k, o, facing)


@device
def _towards(x, y, z):
    distance = math.sqrt(x * x + y * y + z * z)
    inv = 1.0 / max(distance, 1e-20)
    return (x * inv, y * inv, z * inv), distance


@device
def is_bare_panel(rows, k):
    """True when the light is a rectangle or disc without grid and gobo, and its shadows are as they are."""
    return rows[k, CASTS] != LIFTED and rows[k, KIND] <= DISC and rows[k, GRID_TAN] <= 0.0 and rows[k, GOBO] < 0.0


@device
def _aim_at_panel(rows, k, round_one, u1, u2, p):
    a, b = 2.0 * u1 - 1.0, 2.0 * u2 - 1.0
    if round_one:
        radius = math.sqrt(rows[k, HOLE] + u1 * (1.0 - rows[k, HOLE]))
        s, c = sincos_turns(u2)
        a, b = radius * c, radius * s
    d, distance = _towards(
        rows[k, 0] + a * rows[k, 3] + b * rows[k, 6] - p[0],
        rows[k, 1] + a * rows[k, 4] + b * rows[k, 7] - p[1],
        rows[k, 2] + a * rows[k, 5] + b * rows[k, 8] - p[2],
    )
    facing = -(d[0] * rows[k, 9] + d[1] * rows[k, 10] + d[2] * rows[k, 11])
    if facing <= 1e-7:
        return d, distance, 0.0, 0.0
    return d, distance, distance * distance / (facing * rows[k, AREA]), facing


@device
def _in_cone(axis, one_minus_cos, u1, u2):
    """An even direction in a cone around `axis`, and 1 − its cosine."""
    h = u1 * one_minus_cos
    c = 1.0 - h
    radius = math.sqrt(max(h * (2.0 - h), 0.0))
    s, co = sincos_turns(u2)
    t, b = basis(axis)
    x, y = radius * co, radius * s
    return (x * t[0] + y * b[0] + c * axis[0], x * t[1] + y * b[1] + c * axis[1], x * t[2] + y * b[2] + c * axis[2]), c


@routine
def _aim_at_ball(rows, k, u1, u2, p):
    axis, distance = _towards(rows[k, 0] - p[0], rows[k, 1] - p[1], rows[k, 2] - p[2])
    r2 = rows[k, RADIUS] * rows[k, RADIUS]
    d2 = distance * distance
    if d2 <= r2 * 1.000001:
        return axis, 0.0, 0.0
    sin2 = r2 / d2
    d, c = _in_cone(axis, sin2 / (1.0 + math.sqrt(1.0 - sin2)), u1, u2)
    reach = distance * c - math.sqrt(max(r2 - d2 * (1.0 - c * c), 0.0))
    return d, reach, 1.0 / _cone_solid_angle(sin2)


@routine
def _aim_at_tube(rows, k, u1, u2, p):
    across, out, axis, _ = _tube_frame(rows, k, p)
    half = _tube_visible(rows, k, across)
    if half <= 0.0:
        return axis, 0.0, 0.0
    s, c = sincos_turns((2.0 * u1 - 1.0) * half / (2.0 * math.pi))
    side = (
        axis[1] * out[2] - axis[2] * out[1],
        axis[2] * out[0] - axis[0] * out[2],
        axis[0] * out[1] - axis[1] * out[0],
    )
    n = (c * out[0] + s * side[0], c * out[1] + s * side[1], c * out[2] + s * side[2])
    r, x = rows[k, RADIUS] * 1.0, (2.0 * u2 - 1.0) * rows[k, HALF_LENGTH]
    d, distance = _towards(
        rows[k, 0] + r * n[0] + x * axis[0] - p[0],
        rows[k, 1] + r * n[1] + x * axis[1] - p[1],
        rows[k, 2] + r * n[2] + x * axis[2] - p[2],
    )
    facing = -(d[0] * n[0] + d[1] * n[1] + d[2] * n[2])
    if facing <= 1e-6:
        return d, distance, 0.0
    return d, distance, distance * distance / (facing * 4.0 * half * r * rows[k, HALF_LENGTH])


@device
def aim_at(rows, gobos, k, u1, u2, p):
    """A direction to a point of the light: direction (3,), distance, radiance (3,), density (0: it does not reach)."""
    kind = int(rows[k, KIND])
    facing = 1.0
    if kind == SUN:
        axis = (-rows[k, 9], -rows[k, 10], -rows[k, 11])
        d, _ = _in_cone(axis, 1.0 - rows[k, COS_OUTER], u1, u2)
        distance, density = FAR, 1.0 / (2.0 * math.pi * (1.0 - rows[k, COS_OUTER]))
    elif kind == SPHERE:
        d, distance, density = _aim_at_ball(rows, k, u1, u2, p)
    elif kind == TUBE:
        d, distance, density = _aim_at_tube(rows, k, u1, u2, p)
    else:
        d, distance, density, facing = _aim_at_panel(rows, k, kind != RECT, u1, u2, p)
    if density <= 0.0:
        return d, distance, (0.0, 0.0, 0.0), 0.0
    return d, distance, _radiance(rows, gobos, k, p, facing), density
