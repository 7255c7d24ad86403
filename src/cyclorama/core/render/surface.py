"""The geometry of a hit: position, normals, texture coordinates, and where the next ray may start."""

import math

from ..kernel import device, routine


@device
def normalize(x, y, z):
    length = math.sqrt(x * x + y * y + z * z)
    if length < 1e-30:
        return 0.0, 0.0, 1.0
    return x / length, y / length, z / length


@device
def dot(a, b):
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@device
def cross(a, b):
    return a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]


@device
def turn(m, x, y, z):
    """A direction from body to studio space."""
    return (
        m[0, 0] * x + m[0, 1] * y + m[0, 2] * z,
        m[1, 0] * x + m[1, 1] * y + m[1, 2] * z,
        m[2, 0] * x + m[2, 1] * y + m[2, 2] * z,
    )


@device
def place(m, x, y, z):
    """A point from body to studio space."""
    a, b, c = turn(m, x, y, z)
    return a + m[0, 3], b + m[1, 3], c + m[2, 3]


@device
def basis(n):
    """Two unit vectors that make a right-handed frame with n (Duff et al., JCGT 6(1), 2017)."""
    s = 1.0 if n[2] >= 0.0 else -1.0
    a = -1.0 / (s + n[2])
    b = n[0] * n[1] * a
    return (1.0 + s * n[0] * n[0] * a, s * b, -s * n[0]), (b, s + n[1] * n[1] * a, -n[1])


@device
def corner(corners, triangle, first):
    """Three numbers of a triangle's record, from column `first` on."""
    return corners[triangle, first] * 1.0, corners[triangle, first + 1] * 1.0, corners[triangle, first + 2] * 1.0


@device
def mix3(a, b, c, u, v):
    w = 1.0 - u - v
    return w * a[0] + u * b[0] + v * c[0], w * a[1] + u * b[1] + v * c[1], w * a[2] + u * b[2] + v * c[2]


@device
def hit_surface(geometry, triangle, u, v, m):
    """Position, geometric normal, smooth normal (both unit, studio space), uv, and the terminator position.

    The terminator position lies on the smooth surface that the normals describe; rays to lights start there
    so that coarse triangles do not show as black steps (Hanika, "Hacking the Shadow Terminator", Ray Tracing
    Gems II, chapter 4, 2021).
    """
    t = geometry.corners
    a, b, c = corner(t, triangle, 0), corner(t, triangle, 3), corner(t, triangle, 6)
    na, nb, nc = corner(t, triangle, 9), corner(t, triangle, 12), corner(t, triangle, 15)
    p = mix3(a, b, c, u, v)
    flat = cross((b[0] - a[0], b[1] - a[1], b[2] - a[2]), (c[0] - a[0], c[1] - a[1], c[2] - a[2]))
    flat = normalize(flat[0], flat[1], flat[2])
    smooth = mix3(na, nb, nc, u, v)
    smooth = normalize(smooth[0], smooth[1], smooth[2])
    lifted = _lift(p, a, b, c, na, nb, nc, u, v, 1.0 if dot(flat, smooth) >= 0.0 else -1.0)
    w = 1.0 - u - v
    across = w * t[triangle, 18] + u * t[triangle, 20] + v * t[triangle, 22]
    down = w * t[triangle, 19] + u * t[triangle, 21] + v * t[triangle, 23]
    return (
        place(m, p[0], p[1], p[2]),
        turn(m, flat[0], flat[1], flat[2]),
        turn(m, smooth[0], smooth[1], smooth[2]),
        (across, down),
        place(m, lifted[0], lifted[1], lifted[2]),
    )


@device
def _lift_towards(p, corner_point, normal, weight, sign):
    """How far p moves when it is brought onto the plane through one corner, times that corner's weight."""
    below = sign * (
        (p[0] - corner_point[0]) * normal[0]
        + (p[1] - corner_point[1]) * normal[1]
        + (p[2] - corner_point[2]) * normal[2]
    )
    k = sign * weight * min(below, 0.0)
    return k * normal[0], k * normal[1], k * normal[2]


@device
def _lift(p, a, b, c, na, nb, nc, u, v, sign):
    da = _lift_towards(p, a, na, 1.0 - u - v, sign)
    db = _lift_towards(p, b, nb, u, sign)
    dc = _lift_towards(p, c, nc, v, sign)
    return p[0] - da[0] - db[0] - dc[0], p[1] - da[1] - db[1] - dc[1], p[2] - da[2] - db[2] - dc[2]


@device
def put(array, row, v):
    """Write three numbers into a row."""
    array[row, 0] = v[0]
    array[row, 1] = v[1]
    array[row, 2] = v[2]


@routine
def mapped_normal(geometry, triangle, normal, m, tx, ty, tz):
    """The smooth normal bent by a tangent-space map value (tx, ty, tz); v grows downwards as in glTF."""
    r = geometry.corners
    a, b, c = corner(r, triangle, 0), corner(r, triangle, 3), corner(r, triangle, 6)
    du1, dv1 = r[triangle, 20] - r[triangle, 18], r[triangle, 21] - r[triangle, 19]
    du2, dv2 = r[triangle, 22] - r[triangle, 18], r[triangle, 23] - r[triangle, 19]
    det = du1 * dv2 - du2 * dv1
    if abs(det) < 1e-18:
        return normal
    e1 = (b[0] - a[0], b[1] - a[1], b[2] - a[2])
    e2 = (c[0] - a[0], c[1] - a[1], c[2] - a[2])
    raw = turn(
        m,
        (e1[0] * dv2 - e2[0] * dv1) / det,
        (e1[1] * dv2 - e2[1] * dv1) / det,
        (e1[2] * dv2 - e2[2] * dv1) / det,
    )
    along = dot(raw, normal)
    t = normalize(raw[0] - along * normal[0], raw[1] - along * normal[1], raw[2] - along * normal[2])
    # The map's green points to the top of the picture, −∂P/∂v: along normal × tangent, or against it where the
    # map is mirrored.
    bt = cross(normal, t)
    ty = ty if det < 0.0 else -ty
    return normalize(
        tx * t[0] + ty * bt[0] + tz * normal[0],
        tx * t[1] + ty * bt[1] + tz * normal[1],
        tx * t[2] + ty * bt[2] + tz * normal[2],
    )


@device
def leave(p, n, towards):
    """A ray origin just off the surface on the side that `towards` points to.

    The step is 256 units in the last place of the largest coordinate, as Wächter and Binder choose in "A Fast
    and Robust Method for Avoiding Self-Intersection", Ray Tracing Gems, chapter 6, 2019.
    """
    step = 1.5e-5 * max(abs(p[0]), abs(p[1]), abs(p[2])) + 2e-7
    if dot(n, towards) < 0.0:
        step = -step
    return p[0] + step * n[0], p[1] + step * n[1], p[2] + step * n[2]


@device
def facing_normal(n, view):
    """A smooth or mapped normal, bent as little as needed to be seen from `view`."""
    c = dot(n, view)
    if c >= 1e-3:
        return n
    k = 2e-3 - c
    return normalize(n[0] + k * view[0], n[1] + k * view[1], n[2] + k * view[2])
