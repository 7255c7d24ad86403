"""The geometry of a hit: position, normals, texture space, and where the next ray may start."""

import math

from ...kernel import device, kernel, routine
from ...material.row import EDGE_RADIUS, NORMAL_SCALE, RELIEF
from ...textures import PROJECTION, UV, UV_SET, WIDTH, map_value
from ...vectors import basis, cross, dot, normalize

MATERIAL_COLUMN, PART_COLUMN = 24, 25
"""Columns of a triangle's record."""
TINY = 1e-37
"""Squares of areas (m⁴) below this are none to single precision."""


@kernel
def pack_corners(vertices, normals, uvs, triangles, material, part, out):
    """Fill the records (t, 32) of triangles; see `arrays.Geometry`."""
    for t in range(triangles.shape[0]):
        for k in range(3):
            v = triangles[t, k]
            for c in range(3):
                out[t, 3 * k + c] = vertices[v, c]
                out[t, 9 + 3 * k + c] = normals[v, c]
            out[t, 18 + 2 * k], out[t, 19 + 2 * k] = uvs[v, 0], uvs[v, 1]
        out[t, MATERIAL_COLUMN], out[t, PART_COLUMN] = material[t], part[t]
        for c in range(PART_COLUMN + 1, out.shape[1]):
            out[t, c] = 0.0


@device
def turn(m, v):
    """A direction from body to studio space."""
    return (
        m[0, 0] * v[0] + m[0, 1] * v[1] + m[0, 2] * v[2],
        m[1, 0] * v[0] + m[1, 1] * v[1] + m[1, 2] * v[2],
        m[2, 0] * v[0] + m[2, 1] * v[1] + m[2, 2] * v[2],
    )


@device
def turn_back(m, v):
    """A direction from studio to body space."""
    return (
        m[0, 0] * v[0] + m[1, 0] * v[1] + m[2, 0] * v[2],
        m[0, 1] * v[0] + m[1, 1] * v[1] + m[2, 1] * v[2],
        m[0, 2] * v[0] + m[1, 2] * v[1] + m[2, 2] * v[2],
    )


@device
def scale_point(p, size):
    """A point (3,) of what is so many times as large."""
    return size * p[0], size * p[1], size * p[2]


@device
def place(m, p):
    """A point from body to studio space."""
    a, b, c = turn(m, p)
    return a + m[0, 3], b + m[1, 3], c + m[2, 3]


@device
def place_back(m, p):
    """A point from studio to body space."""
    return turn_back(m, (p[0] - m[0, 3], p[1] - m[1, 3], p[2] - m[2, 3]))


@device
def corner(corners, triangle, first):
    """Three numbers of a triangle's record, from column `first` on."""
    return corners[triangle, first] * 1.0, corners[triangle, first + 1] * 1.0, corners[triangle, first + 2] * 1.0


@device
def mix3(a, b, c, u, v):
    w = 1.0 - u - v
    return w * a[0] + u * b[0] + v * c[0], w * a[1] + u * b[1] + v * c[1], w * a[2] + u * b[2] + v * c[2]


@device
def hit_surface(corners, triangle, u, v):
    """Position, geometric normal, smooth normal (both unit) and the terminator position, in the body's space.

    The terminator position lies on the smooth surface that the normals describe; rays to lights start there
    so that coarse triangles do not show as black steps (Hanika, "Hacking the Shadow Terminator", Ray Tracing
    Gems II, chapter 4, 2021).
    """
    a, b, c = corner(corners, triangle, 0), corner(corners, triangle, 3), corner(corners, triangle, 6)
    na, nb, nc = corner(corners, triangle, 9), corner(corners, triangle, 12), corner(corners, triangle, 15)
    p = mix3(a, b, c, u, v)
    flat = cross((b[0] - a[0], b[1] - a[1], b[2] - a[2]), (c[0] - a[0], c[1] - a[1], c[2] - a[2]))
    flat = normalize(flat[0], flat[1], flat[2])
    smooth = mix3(na, nb, nc, u, v)
    smooth = normalize(smooth[0], smooth[1], smooth[2])
    along = dot(flat, smooth)
    lifted = p
    if abs(along) < 0.9999999:
        lifted = _lift(p, a, b, c, na, nb, nc, u, v, 1.0 if along >= 0.0 else -1.0)
    return p, flat, smooth, lifted


@device
def below(px, py, pz, cx, cy, cz, nx, ny, nz, sign):
    """Depth of a point below the plane through a corner, ≤ 0."""
    return min(sign * ((px - cx) * nx + (py - cy) * ny + (pz - cz) * nz), 0.0)


@device
def _lift_towards(p, corner_point, normal, weight, sign):
    """Displacement of p onto the plane through one corner, times that corner's weight."""
    c, n = corner_point, normal
    k = sign * weight * below(p[0], p[1], p[2], c[0], c[1], c[2], n[0], n[1], n[2], sign)
    return k * normal[0], k * normal[1], k * normal[2]


@device
def _lift(p, a, b, c, na, nb, nc, u, v, sign):
    da = _lift_towards(p, a, na, 1.0 - u - v, sign)
    db = _lift_towards(p, b, nb, u, sign)
    dc = _lift_towards(p, c, nc, v, sign)
    return p[0] - da[0] - db[0] - dc[0], p[1] - da[1] - db[1] - dc[1], p[2] - da[2] - db[2] - dc[2]


@device
def _uv_edges(geometry, triangle, which):
    """Growth of texture coordinates of a set along the first and the last edge of a triangle."""
    if which == 1 and geometry.more_uvs.shape[0] > 0:
        m = geometry.more_uvs
        return (
            m[triangle, 2] - m[triangle, 0],
            m[triangle, 3] - m[triangle, 1],
            m[triangle, 4] - m[triangle, 0],
            m[triangle, 5] - m[triangle, 1],
        )
    t = geometry.corners
    return (
        t[triangle, 20] - t[triangle, 18],
        t[triangle, 21] - t[triangle, 19],
        t[triangle, 22] - t[triangle, 18],
        t[triangle, 23] - t[triangle, 19],
    )


@device
def _towards_edge(e, p, flat):
    """From a point to a hard edge (3,), the edge itself (3,), and the normals (3, 3) of the face the point lies on,
    by its own normal, and of the other."""
    a = (e[0] * 1.0, e[1] * 1.0, e[2] * 1.0)
    d = (e[3] - a[0], e[4] - a[1], e[5] - a[2])
    q = (p[0] - a[0], p[1] - a[1], p[2] - a[2])
    along = min(max(dot(q, d) / max(dot(d, d), 1e-24), 0.0), 1.0)
    w = (along * d[0] - q[0], along * d[1] - q[1], along * d[2] - q[2])
    n1, n2 = (e[6] * 1.0, e[7] * 1.0, e[8] * 1.0), (e[9] * 1.0, e[10] * 1.0, e[11] * 1.0)
    if dot(n1, flat) >= dot(n2, flat):
        return w, d, n1, n2
    return w, d, n2, n1


@routine
def sharpness(edges, triangle, p, flat, curvature):
    """Sharpness of a surface at a point, 1/m: its curvature, or one by the distance to a hard edge nearby, whichever is
    sharper; negative in hollows."""
    sharp = curvature
    for k in range(edges.first[triangle], edges.first[triangle + 1]):
        w, _, mine, other = _towards_edge(edges.edge[edges.near[k]], p, flat)
        if dot(mine, flat) < 0.99:
            continue  # lies round another corner
        here = 1.0 / max(math.sqrt(dot(w, w)), 1e-9)
        if here > abs(sharp):
            # where the other face falls away beyond the edge, it stands out
            sharp = here if dot(w, other) > 0.0 or dot(w, w) < 1e-18 else -here
    return sharp


@device
def texture_point(geometry, triangle, u, v):
    """Where a hit lies on maps: u, v of the first set and how much of it a metre spans there, the same of the second,
    the mesh's own colour and opacity, and how sharp the surface is there (see `sharpness`)."""
    t = geometry.corners
    w = 1.0 - u - v
    across = w * t[triangle, 18] + u * t[triangle, 20] + v * t[triangle, 22]
    down = w * t[triangle, 19] + u * t[triangle, 21] + v * t[triangle, 23]
    du1, dv1, du2, dv2 = _uv_edges(geometry, triangle, 0)
    a, b, c = corner(t, triangle, 0), corner(t, triangle, 3), corner(t, triangle, 6)
    n = cross((b[0] - a[0], b[1] - a[1], b[2] - a[2]), (c[0] - a[0], c[1] - a[1], c[2] - a[2]))
    area = max(math.sqrt(dot(n, n)), 1e-20)
    density = math.sqrt(abs(du1 * dv2 - du2 * dv1) / area)
    across2 = down2 = density2 = 0.0
    if geometry.more_uvs.shape[0] > 0:
        m = geometry.more_uvs
        across2 = w * m[triangle, 0] + u * m[triangle, 2] + v * m[triangle, 4]
        down2 = w * m[triangle, 1] + u * m[triangle, 3] + v * m[triangle, 5]
        du1, dv1, du2, dv2 = _uv_edges(geometry, triangle, 1)
        density2 = math.sqrt(abs(du1 * dv2 - du2 * dv1) / area)
    red = green = blue = alpha = 1.0
    if geometry.paint.shape[0] > 0:
        q = geometry.paint
        red = w * q[triangle, 0] + u * q[triangle, 4] + v * q[triangle, 8]
        green = w * q[triangle, 1] + u * q[triangle, 5] + v * q[triangle, 9]
        blue = w * q[triangle, 2] + u * q[triangle, 6] + v * q[triangle, 10]
        alpha = w * q[triangle, 3] + u * q[triangle, 7] + v * q[triangle, 11]
    sharp = 0.0
    if geometry.curved.shape[0] > 0:
        k = geometry.curved
        sharp = w * k[triangle, 0] + u * k[triangle, 1] + v * k[triangle, 2]
        p = (w * a[0] + u * b[0] + v * c[0], w * a[1] + u * b[1] + v * c[1], w * a[2] + u * b[2] + v * c[2])
        length = 1.0 / max(math.sqrt(dot(n, n)), 1e-30)
        sharp = sharpness(geometry.edges, triangle, p, (n[0] * length, n[1] * length, n[2] * length), sharp)
    return across, down, density, across2, down2, density2, red, green, blue, alpha, sharp


@device
def gradients(geometry, triangle, which):
    """Gradients of u and v of a set over a triangle: two vectors (3,), 1/m; the sign of its handedness (0: none)."""
    t = geometry.corners
    a, b, c = corner(t, triangle, 0), corner(t, triangle, 3), corner(t, triangle, 6)
    e1 = (b[0] - a[0], b[1] - a[1], b[2] - a[2])
    e2 = (c[0] - a[0], c[1] - a[1], c[2] - a[2])
    n = cross(e1, e2)
    n2 = dot(n, n)
    du1, dv1, du2, dv2 = _uv_edges(geometry, triangle, which)
    det = du1 * dv2 - du2 * dv1
    if abs(det) < 1e-18 or n2 < TINY:
        return (0.0, 0.0, 0.0), (0.0, 0.0, 0.0), 0.0
    x, y = cross(e2, n), cross(n, e1)
    k = 1.0 / n2
    gu = ((du1 * x[0] + du2 * y[0]) * k, (du1 * x[1] + du2 * y[1]) * k, (du1 * x[2] + du2 * y[2]) * k)
    gv = ((dv1 * x[0] + dv2 * y[0]) * k, (dv1 * x[1] + dv2 * y[1]) * k, (dv1 * x[2] + dv2 * y[2]) * k)
    return gu, gv, 1.0 if det > 0.0 else -1.0


@routine
def grain_tangent(geometry, triangle, normal, angle):
    """Unit vector along growing u (or any, without a map) in the plane of the normal, turned by `angle` radians."""
    gu, gv, side = gradients(geometry, triangle, 0)
    t, b = basis(normal)
    if side != 0.0:
        # ∂P/∂u is perpendicular to the gradient of v
        raw = cross(gv, normal)
        k = -1.0 if dot(raw, gu) < 0.0 else 1.0
        t = normalize(k * raw[0], k * raw[1], k * raw[2])
        b = cross(normal, t)
    c, s = math.cos(angle), math.sin(angle)
    return c * t[0] + s * b[0], c * t[1] + s * b[1], c * t[2] + s * b[2]


@routine
def mapped_normal(geometry, textures, index, values, triangle, normal, at, p, flat, width):
    """The smooth normal bent by a tangent-space map; green points to the top of the picture, as in glTF."""
    x, y, z = map_value(textures, index, at, p, flat, width)
    scale = values[NORMAL_SCALE] * 1.0
    x, y, z = (2.0 * x - 1.0) * scale, (2.0 * y - 1.0) * scale, 2.0 * z - 1.0
    gu, gv, side = gradients(geometry, triangle, textures.layout[index, UV_SET])
    if side == 0.0 or textures.layout[index, PROJECTION] != UV:
        t, b = basis(normal)
    else:
        raw = cross(gv, normal)
        k = -1.0 if dot(raw, gu) < 0.0 else 1.0
        t = normalize(k * raw[0], k * raw[1], k * raw[2])
        b = cross(normal, t)
        y = -y if side > 0.0 else y
    return normalize(
        x * t[0] + y * b[0] + z * normal[0], x * t[1] + y * b[1] + z * normal[1], x * t[2] + y * b[2] + z * normal[2]
    )


@device
def _shifted(at, across, down):
    """Where a point lies on maps (see `texture_point`) when it moves along them."""
    return (
        at[0] + across,
        at[1] + down,
        at[2],
        at[3] + across,
        at[4] + down,
        at[5],
        at[6],
        at[7],
        at[8],
        at[9],
        at[10],
    )


@routine
def relieved_normal(geometry, textures, index, values, triangle, normal, at, p, flat, width):
    """The normal tilted against the slope of a height map (Blinn, "Simulation of Wrinkled Surfaces", 1978)."""
    depth = values[RELIEF] * values[NORMAL_SCALE]
    if textures.layout[index, PROJECTION] != UV:
        step = max(width, textures.transform[index, 6] / textures.layout[index, WIDTH])
        t, b = basis(normal)
        here, _, _ = map_value(textures, index, at, p, flat, width)
        pt = (p[0] + step * t[0], p[1] + step * t[1], p[2] + step * t[2])
        pb = (p[0] + step * b[0], p[1] + step * b[1], p[2] + step * b[2])
        ht, _, _ = map_value(textures, index, at, pt, flat, width)
        hb, _, _ = map_value(textures, index, at, pb, flat, width)
        st, sb = depth * (ht - here) / step, depth * (hb - here) / step
        return normalize(
            normal[0] - st * t[0] - sb * b[0], normal[1] - st * t[1] - sb * b[1], normal[2] - st * t[2] - sb * b[2]
        )
    gu, gv, side = gradients(geometry, triangle, textures.layout[index, UV_SET])
    if side == 0.0:
        return normal
    density = at[5] if textures.layout[index, UV_SET] == 1 else at[2]
    step = max(width * density, 1.0 / textures.layout[index, WIDTH])
    here, _, _ = map_value(textures, index, at, p, flat, width)
    hu, _, _ = map_value(textures, index, _shifted(at, step, 0.0), p, flat, width)
    hv, _, _ = map_value(textures, index, _shifted(at, 0.0, step), p, flat, width)
    su, sv = depth * (hu - here) / step, depth * (hv - here) / step
    g = (su * gu[0] + sv * gv[0], su * gu[1] + sv * gv[1], su * gu[2] + sv * gv[2])
    along = dot(g, normal)
    return normalize(
        normal[0] - g[0] + along * normal[0], normal[1] - g[1] + along * normal[1], normal[2] - g[2] + along * normal[2]
    )


@routine
def rounded_normal(edges, triangle, p, flat, smooth, values):
    """The smooth normal as if hard edges nearby were rounded with the material's radius.

    A fillet of radius r between faces whose normals enclose θ touches them L = r tan(θ/2) from the edge; at a
    distance d < L its normal leans by φ, tan φ = (L − d) / r, towards the edge (away from it in a hollow).
    """
    radius = values[EDGE_RADIUS] * 1.0
    x, y, z = smooth
    for k in range(edges.first[triangle], edges.first[triangle + 1]):
        w, d, mine, other = _towards_edge(edges.edge[edges.near[k]], p, flat)
        if dot(mine, flat) < 0.99:
            continue  # lies round another corner
        distance = math.sqrt(dot(w, w))
        c = min(max(dot(mine, other), -0.9), 1.0)
        reach = radius * math.sqrt((1.0 - c) / (1.0 + c))
        if distance >= reach:
            continue
        # towards the edge in the face, and whether the other face falls away from it
        t = cross(d, mine)
        t = normalize(t[0], t[1], t[2])
        if dot(t, w) < 0.0 or (distance < 1e-12 and dot(t, other) < 0.0):
            t = (-t[0], -t[1], -t[2])
        k2 = (reach - distance) / radius
        if dot(t, other) < 0.0:
            k2 = -k2
        x, y, z = x + k2 * t[0], y + k2 * t[1], z + k2 * t[2]
    return normalize(x, y, z)


@device
def step_off(x, y, z):
    """Offset from the surface at which a ray starts so that it does not meet it again.

    256 units in the last place of the largest coordinate, as Wächter and Binder choose in "A Fast and Robust Method
    for Avoiding Self-Intersection", Ray Tracing Gems, chapter 6, 2019.
    """
    return 1.5e-5 * max(max(abs(x), abs(y)), abs(z)) + 2e-7


@device
def leave(p, n, towards):
    """A ray origin just off the surface on the side that `towards` points to."""
    step = step_off(p[0], p[1], p[2])
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
