"""Kernels that take vertices out of a mesh one by one, with proof that nothing strays.

A vertex is pulled along an edge onto a neighbour (half-edge collapse), in the order of quadric errors (Garland and
Heckbert, "Surface Simplification Using Quadric Error Metrics", 1997). Every vertex that was ever taken out stays
attached to the triangle it lies nearest to, and no step is taken after which one of them would be farther off than
allowed (Ciampalini, Cignoni, Montani and Scopigno, "Multiresolution decimation based on global error", 1997).

Vertices at one place with different values (seams of textures, hard edges) are its wedges; they go together or not at
all, along the seam, so that it stays closed. An open border is only walked along. Edges of more than two triangles
stay.
"""

import math

import numpy as np

from ..kernel import kernel

MOST_AROUND = 64
"""Places with more triangles around them stay."""
MOST_ATTACHED = 8192
"""Points that one step may have to look at."""
_LEAST_TURN = 0.2
"""Cosine by which no triangle may turn in a step."""


def scratch_room():  # type: ignore[no-untyped-def]
    """Room for `take_out`: kernels allocate nothing."""
    n = MOST_AROUND
    return (
        np.empty(n, np.int64),
        np.empty(n, np.int64),
        np.empty((n, 2), np.int64),
        np.empty((n, 3), np.int64),
        np.empty(n, np.int64),
        np.empty(MOST_ATTACHED, np.int64),
        np.empty(MOST_ATTACHED, np.int64),
        np.empty(n),
    )


@kernel
def corners_at(place, triangles, starts, around):  # type: ignore[no-untyped-def]
    """For each place, where its triangles begin in `around`: starts (n + 1,), around (3 t,). Gone ones are at −1."""
    for n in range(starts.shape[0]):
        starts[n] = 0
    for t in range(triangles.shape[0]):
        if triangles[t, 0] >= 0:
            for c in range(3):
                starts[place[triangles[t, c]] + 1] += 1
    for n in range(starts.shape[0] - 1):
        starts[n + 1] += starts[n]
    for t in range(triangles.shape[0]):  # filled from the end: what was the end of each place becomes its beginning
        if triangles[t, 0] >= 0:
            for c in range(3):
                p = place[triangles[t, c]] + 1
                starts[p] -= 1
                around[starts[p]] = t
    for n in range(starts.shape[0] - 1):
        starts[n] = starts[n + 1]
    total = 0
    for t in range(triangles.shape[0]):
        total += 3 if triangles[t, 0] >= 0 else 0
    starts[starts.shape[0] - 1] = total


@kernel
def add_planes(points, place, triangles, quadrics):  # type: ignore[no-untyped-def]
    """Add to each place's quadric (n, 10) the planes of its triangles, weighted by area."""
    for t in range(triangles.shape[0]):
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay, az = points[i, 0], points[i, 1], points[i, 2]
        bx, by, bz = points[j, 0] - ax, points[j, 1] - ay, points[j, 2] - az
        cx, cy, cz = points[k, 0] - ax, points[k, 1] - ay, points[k, 2] - az
        nx, ny, nz = by * cz - bz * cy, bz * cx - bx * cz, bx * cy - by * cx
        area = math.sqrt(nx * nx + ny * ny + nz * nz)
        if area <= 0.0:
            continue
        nx, ny, nz = nx / area, ny / area, nz / area
        d = -(nx * ax + ny * ay + nz * az)
        for c in range(3):
            q = quadrics[place[triangles[t, c]]]
            q[0] += area * nx * nx
            q[1] += area * nx * ny
            q[2] += area * nx * nz
            q[3] += area * nx * d
            q[4] += area * ny * ny
            q[5] += area * ny * nz
            q[6] += area * ny * d
            q[7] += area * nz * nz
            q[8] += area * nz * d
            q[9] += area * d * d


@kernel
def _error(quadrics, n, points, v):  # type: ignore[no-untyped-def]
    """A place's quadric at a vertex: the sum of squared distances to its planes, weighted by their areas."""
    q = quadrics[n]
    x, y, z = points[v, 0], points[v, 1], points[v, 2]
    total = q[0] * x * x + 2 * q[1] * x * y + 2 * q[2] * x * z + 2 * q[3] * x
    return total + q[4] * y * y + 2 * q[5] * y * z + 2 * q[6] * y + q[7] * z * z + 2 * q[8] * z + q[9]


@kernel
def cheapest(points, place, triangles, starts, around, quadrics, refused, cost):  # type: ignore[no-untyped-def]
    """For each place the least error (n,) of pulling it onto a neighbour; infinite where it stays."""
    for a in range(cost.shape[0]):
        cost[a] = math.inf
        if refused[a] or starts[a + 1] - starts[a] > MOST_AROUND:
            continue
        for i in range(starts[a], starts[a + 1]):
            for c in range(3):
                v = triangles[around[i], c]
                if place[v] != a:
                    cost[a] = min(cost[a], _error(quadrics, a, points, v) + _error(quadrics, place[v], points, v))


@kernel
def _nearest(p, a, b, c):  # type: ignore[no-untyped-def]
    """Weights of a triangle's corners at its point nearest to p, and the distance squared.

    Ericson, "Real-Time Collision Detection", 2005, section 5.1.5.
    """
    abx, aby, abz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    acx, acy, acz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    apx, apy, apz = p[0] - a[0], p[1] - a[1], p[2] - a[2]
    d1, d2 = abx * apx + aby * apy + abz * apz, acx * apx + acy * apy + acz * apz
    bpx, bpy, bpz = p[0] - b[0], p[1] - b[1], p[2] - b[2]
    d3, d4 = abx * bpx + aby * bpy + abz * bpz, acx * bpx + acy * bpy + acz * bpz
    cpx, cpy, cpz = p[0] - c[0], p[1] - c[1], p[2] - c[2]
    d5, d6 = abx * cpx + aby * cpy + abz * cpz, acx * cpx + acy * cpy + acz * cpz
    va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
    if d1 <= 0 and d2 <= 0:
        v, w = 0.0, 0.0
    elif d3 >= 0 and d4 <= d3:
        v, w = 1.0, 0.0
    elif d6 >= 0 and d5 <= d6:
        v, w = 0.0, 1.0
    elif vc <= 0 and d1 >= 0 and d3 <= 0:
        v, w = d1 / (d1 - d3), 0.0
    elif vb <= 0 and d2 >= 0 and d6 <= 0:
        v, w = 0.0, d2 / (d2 - d6)
    elif va <= 0 and d4 - d3 >= 0 and d5 - d6 >= 0:
        w = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        v = 1.0 - w
    else:
        whole = 1.0 / (va + vb + vc)
        v, w = vb * whole, vc * whole
    x, y, z = apx - v * abx - w * acx, apy - v * aby - w * acy, apz - v * abz - w * acz
    return v, w, x * x + y * y + z * z


@kernel
def _cross(points, i, j, k):  # type: ignore[no-untyped-def]
    ux, uy, uz = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
    vx, vy, vz = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1], points[k, 2] - points[i, 2]
    return uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx


@kernel
def _turns(points, old, new):  # type: ignore[no-untyped-def]
    """True when a triangle turns over, or shrinks to nothing, when its corners change."""
    x, y, z = _cross(points, old[0], old[1], old[2])
    u, v, w = _cross(points, new[0], new[1], new[2])
    after = u * u + v * v + w * w
    along = x * u + y * v + z * w
    return after <= 0.0 or along <= _LEAST_TURN * math.sqrt((x * x + y * y + z * z) * after)


@kernel
def _ring(place, triangles, starts, around, a, ring, many):  # type: ignore[no-untyped-def]
    """The places around one, and how many triangles of its own each is in; their number."""
    count = 0
    for i in range(starts[a], starts[a + 1]):
        for c in range(3):
            n = place[triangles[around[i], c]]
            if n == a:
                continue
            k = 0
            while k < count and ring[k] != n:
                k += 1
            if k == count:
                if count == MOST_AROUND:
                    return -1
                ring[k], many[k] = n, 0
                count += 1
            many[k] += 1
    return count


@kernel
def _may_go(place, triangles, starts, around, a, b, ring, many, count, wedges):  # type: ignore[no-untyped-def]
    """True when place a may be pulled onto b as far as the mesh's connections go; fills the wedges (w, 2) that each of
    a's becomes. Returns their number, 0 when it may not."""
    borders, shared = 0, 0
    for k in range(count):
        if many[k] > 2:
            return 0
        borders += many[k] == 1
        if ring[k] == b:
            shared = many[k]
    if borders > 2 or (borders > 0 and shared != 1):
        return 0
    common = 0  # places next to both: only the third corners of what they share, or the mesh would fold
    for k in range(count):
        if ring[k] == b:
            continue
        beside = False
        for i in range(starts[b], starts[b + 1]):
            t = around[i]
            for c in range(3):
                beside = beside or place[triangles[t, c]] == ring[k]
        common += beside
    if common != shared:
        return 0
    found = 0
    for i in range(starts[a], starts[a + 1]):
        t = around[i]
        mine, other = -1, -1
        for c in range(3):
            if place[triangles[t, c]] == a:
                mine = triangles[t, c]
            elif place[triangles[t, c]] == b:
                other = triangles[t, c]
        if other < 0:
            continue
        k = 0
        while k < found and wedges[k, 0] != mine:
            k += 1
        if k == found:
            wedges[k, 0], wedges[k, 1] = mine, other
            found += 1
        elif wedges[k, 1] != other:
            return 0
    return found


@kernel
def _becomes(wedges, found, v):  # type: ignore[no-untyped-def]
    for k in range(found):
        if wedges[k, 0] == v:
            return wedges[k, 1]
    return -1


@kernel
def _new_triangles(points, place, triangles, starts, around, a, b, wedges, found, new, kept):  # type: ignore[no-untyped-def]
    """Triangles around a after the collapse (kept: which, new: their corners); their number, −1 where one turns over or
    has a wedge that goes nowhere."""
    count = 0
    for i in range(starts[a], starts[a + 1]):
        t = around[i]
        has_b = False
        for c in range(3):
            has_b = has_b or place[triangles[t, c]] == b
        if has_b:
            continue
        for c in range(3):
            v = triangles[t, c]
            new[count, c] = _becomes(wedges, found, v) if place[v] == a else v
            if new[count, c] < 0:
                return -1
        if _turns(points, triangles[t], new[count]):
            return -1
        kept[count] = t
        count += 1
    return count


@kernel
def _place_for(points, values, p, new, count, tolerance):  # type: ignore[no-untyped-def]
    """Which of some triangles a point is best attached to; −1 when it would stray from all of them."""
    best, best_off = -1, 1.0
    for k in range(count):
        i, j, m = new[k, 0], new[k, 1], new[k, 2]
        v, w, squared = _nearest(points[p], points[i], points[j], points[m])
        off = math.sqrt(squared) / tolerance
        u = 1.0 - v - w
        c = 0
        while off <= best_off and c < values.shape[1]:
            off = max(off, abs(values[p, c] - u * values[i, c] - v * values[j, c] - w * values[m, c]))
            c += 1
        if off <= best_off:
            best, best_off = k, off
    return best


@kernel
def _attach_all(points, values, place, triangles, starts, around, a, head, following, new, count, tolerance,  # type: ignore[no-untyped-def]
                points_at, home):  # fmt: skip
    """Find a triangle for all that is attached around a, and for its own wedges; their number, −1 when one strays."""
    n = 0
    for i in range(starts[a], starts[a + 1]):
        t = around[i]
        for c in range(3):
            v = triangles[t, c]
            if place[v] == a:
                known = False
                for k in range(n):
                    known = known or points_at[k] == v
                if not known:
                    points_at[n] = v
                    n += 1
    for i in range(starts[a], starts[a + 1]):
        p = head[around[i]]
        while p >= 0:
            if n == MOST_ATTACHED:
                return -1
            points_at[n] = p
            n += 1
            p = following[p]
    for k in range(n):
        home[k] = _place_for(points, values, points_at[k], new, count, tolerance)
        if home[k] < 0:
            return -1
    return n


@kernel
def take_out(points, values, place, triangles, starts, around, order, quadrics, refused, head, following,  # type: ignore[no-untyped-def]
             tolerance, touched, scratch):  # fmt: skip
    """Go through places in an order and pull each onto the neighbour where it does least harm, if it does none.

    points (v, 3), values (v, k) of which a difference of 1 may just be; place (v,); triangles (t, 3) are changed, gone
    ones have −1; head (t,) and following (v,): the lists of points attached to each triangle; touched (n,) and
    scratch: room to work in. Every place and its ring are touched once at most. Returns how many were taken out.
    """
    ring, many, wedges, new, kept, points_at, home, errors = scratch
    for n in range(touched.shape[0]):
        touched[n] = False
    done = 0
    for a in order:
        if touched[a]:
            continue
        size = _ring(place, triangles, starts, around, a, ring, many)
        if size < 0:
            refused[a] = True
            continue
        for k in range(size):
            errors[k] = math.inf
            for i in range(starts[a], starts[a + 1]):
                for c in range(3):
                    v = triangles[around[i], c]
                    if place[v] == ring[k]:
                        errors[k] = _error(quadrics, a, points, v) + _error(quadrics, ring[k], points, v)
        waits, gone = False, False
        for _ in range(size):
            k = 0
            for j in range(size):
                k = j if errors[j] < errors[k] else k
            if errors[k] == math.inf:
                break
            errors[k] = math.inf
            b = ring[k]
            if touched[b] or starts[b + 1] - starts[b] > MOST_AROUND:
                waits = waits or touched[b]
                continue
            found = _may_go(place, triangles, starts, around, a, b, ring, many, size, wedges)
            if found == 0:
                continue
            count = _new_triangles(points, place, triangles, starts, around, a, b, wedges, found, new, kept)
            if count <= 0:
                continue
            n = _attach_all(points, values, place, triangles, starts, around, a, head, following, new, count,
                            tolerance, points_at, home)  # fmt: skip
            if n < 0:
                continue
            for i in range(starts[a], starts[a + 1]):
                head[around[i]] = -1
                triangles[around[i], 0] = -1
            for j in range(count):
                for c in range(3):
                    triangles[kept[j], c] = new[j, c]
            for j in range(n):
                following[points_at[j]] = head[kept[home[j]]]
                head[kept[home[j]]] = points_at[j]
            for c in range(10):
                quadrics[b, c] += quadrics[a, c]
            touched[a] = True
            for j in range(size):
                touched[ring[j]] = True
                refused[ring[j]] = False
            refused[a] = True
            gone = True
            done += 1
            break
        if not gone and not waits:
            refused[a] = True
    return done
