"""Liquid in hollow things: where the hollow is, and the body of what fills it up to a level.

Below a level, what is left of a vessel's surface falls into pieces: the outside, and one piece for each hollow, whose
normals point into it. Up to its brim a hollow is a piece of its own; there it meets the outside. So nothing has to be
said of what is inside: it follows from how the surface hangs together.
"""

from dataclasses import dataclass

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from ..arrays import Points
from ..kernel import kernel
from .mesh import Mesh, face_normals, unit_rows, used_by
from .normals import weld

Triangles = NDArray[np.int64]

MOST_DENTS = 6
"""Of all dents in a surface, so many are looked at for being hollows."""
LEAST_SHARE = 1e-3
"""A hollow that fills less of the vessel's box is none."""
CAPILLARY_M = 0.0027
"""√(γ / ρg) of water: how far from the wall a meniscus has sunk to a third (de Gennes, Brochard-Wyart and Quéré,
"Capillarity and Wetting Phenomena", 2004, section 2.2)."""
RINGS = (0.0, 0.15, 0.35, 0.6, 1.0, 1.6, 2.5, 4.0)
"""Distances of a meniscus' rings from the wall, in capillary lengths."""
GROWN_M = 1e-4
"""A liquid reaches so far into its vessel, a fifth of the wall at most: no air is left between the two."""


@dataclass(frozen=True, slots=True)
class Hollow:
    """A hollow of a vessel, in its space: metres, +Y up."""

    vertices: Points
    """(v, 3) of the vessel, those at one place as one"""
    triangles: Triangles
    """(t, 3)"""
    deepest: int
    """its lowest vertex"""
    bottom: float
    brim: float
    """height at which it would overflow"""
    grown: float
    """m by which a liquid reaches into the wall"""

    def level(self, share: float) -> float:
        """Height of a liquid that stands at a share of the way from bottom to brim."""
        return self.bottom + share * (self.brim - self.bottom)


def find_hollow(mesh: Mesh) -> Hollow | None:
    """The largest hollow of a mesh in metres, None where it has none."""
    group, count = weld(mesh.vertices)
    vertices = np.zeros((count, 3))
    vertices[group] = mesh.vertices
    triangles = group[mesh.triangles].astype(np.int64)
    a, b, c = triangles.T
    triangles = triangles[(a != b) & (b != c) & (c != a)]
    if not len(triangles):
        return None
    box = np.ptp(vertices[triangles].reshape(-1, 3), axis=0)
    best, found = LEAST_SHARE * float(np.prod(np.maximum(box, 1e-9))), None
    for deepest, end in _dents(vertices, triangles):
        hollow, volume = _hollow(vertices, triangles, deepest, end)
        if volume > best:
            best, found = volume, hollow
    return found


def _dents(vertices: Points, triangles: Triangles) -> list[tuple[int, float]]:
    """Dents: lowest vertices of pieces that face up, and the height at which each piece meets the outside.

    The deepest MOST_DENTS, the deepest first. The height is infinite where a piece never meets any other.
    """
    facing = _summed_normals(vertices, triangles)[:, 1]
    heights = vertices[:, 1]
    order = np.argsort(heights, kind="stable")
    rank = np.empty(len(order), np.int64)
    rank[order] = np.arange(len(order))
    edges = np.sort(rank[triangles[:, [0, 1, 1, 2, 2, 0]]].reshape(-1, 2), axis=1)
    edges = edges[np.argsort(edges[:, 1], kind="stable")]
    ends = np.full(len(order), -1, np.int64)
    _join_upwards(edges, facing[order] > 0.0, np.arange(len(order)), np.arange(len(order)), ends)
    dents = np.flatnonzero(ends >= 0)
    low = heights[order[dents]]
    high = np.where(ends[dents] < len(order), heights[order[np.minimum(ends[dents], len(order) - 1)]], np.inf)
    top = np.minimum(high, heights.max())
    deepest = np.argsort(low - top)[:MOST_DENTS]
    return [(int(order[dents[k]]), float(high[k])) for k in deepest if top[k] > low[k]]


@kernel
def _join_upwards(edges, faces_up, root, lowest, ends):  # type: ignore[no-untyped-def]
    """Join vertices from the lowest edge (e, 2) up; all are numbered by height. `ends` (v,): where dents end, −1 for
    vertices that are none, v for those that never do; root, lowest: scratch, each vertex its own."""
    count = root.shape[0]
    for e in range(edges.shape[0]):
        a, b = edges[e, 0], edges[e, 1]
        while root[a] != a:
            root[a] = root[root[a]]
            a = root[a]
        while root[b] != b:
            root[b] = root[root[b]]
            b = root[b]
        if a == b:
            continue
        low, high = min(lowest[a], lowest[b]), max(lowest[a], lowest[b])
        now = edges[e, 1]
        if high != now:  # not a vertex that only comes to it here
            if faces_up[low] and not faces_up[high]:
                ends[low] = now
                faces_up[low] = False
            elif faces_up[high]:
                ends[high] = now
        root[a] = b
        lowest[b] = low
    for v in range(count):
        if root[v] == v and faces_up[lowest[v]]:
            ends[lowest[v]] = count


def _hollow(vertices: Points, triangles: Triangles, deepest: int, end: float) -> tuple[Hollow, float]:
    """The hollow above a dent, and its volume in m³."""
    heights = vertices[:, 1]
    inner = _piece(vertices, triangles, deepest, np.nextafter(end, -np.inf))
    brim = float(heights[inner].max()) if np.isinf(end) else end
    other = ~inner & (heights <= brim)
    other &= used_by(triangles, len(vertices))
    grown = GROWN_M
    if other.any():
        grown = min(grown, float(cKDTree(vertices[other]).query(vertices[inner])[0].min()) / 5)
    wall = triangles[inner[triangles].any(axis=1)]
    used, number = np.unique(wall, return_inverse=True)
    hollow = Hollow(
        vertices[used], number.reshape(-1, 3), int(np.searchsorted(used, deepest)), float(heights[deepest]), brim, grown
    )
    return hollow, volume_m3(fill(hollow, 1.0, 0.0))


def _piece(vertices: Points, triangles: Triangles, of: int, level: float) -> NDArray[np.bool_]:
    """Vertices (v,) up to a level that hang together with one of them below it."""
    below = vertices[:, 1] <= level
    pairs = triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    pairs = pairs[below[pairs].all(axis=1)]
    n = len(vertices)
    graph = coo_array((np.ones(len(pairs), np.int8), (pairs[:, 0], pairs[:, 1])), shape=(n, n))
    _, piece = connected_components(graph, directed=False)
    return np.asarray((piece == piece[of]) & below)


def fill(hollow: Hollow, share: float, meniscus_m: float) -> Mesh:
    """The body of a liquid up to a share of the hollow's height, its surface drawn up at the wall by a meniscus.

    It reaches `grown` into the wall: of two bodies that overlap, the one of higher priority counts (see `trace.media`).
    """
    level = hollow.level(share)
    tiny = 1e-5 * (hollow.brim - hollow.bottom)
    contact = min(level + meniscus_m, hollow.brim - tiny)
    risen = max(contact - min(level, contact), 0.0)
    contact = _between(hollow.vertices[:, 1], contact, tiny)
    wall, triangles, ring_edges = _cut(hollow, contact)
    loops = _loops(ring_edges)
    outwards = -_vertex_normals(wall, triangles)
    rims = [wall[loop] for loop in loops]
    on_rim = np.concatenate(loops) if loops else np.zeros(0, np.int64)
    outwards[on_rim, 1] = 0.0
    outwards[on_rim] = unit_rows(outwards[on_rim])
    side = wall + hollow.grown * outwards
    top, top_triangles = _surface(rims, [side[loop] for loop in loops], contact - risen, risen)
    normals = np.concatenate([outwards, _vertex_normals(top, top_triangles)])
    vertices = np.concatenate([side, top])
    whole = np.concatenate([triangles[:, ::-1], top_triangles + len(side)])
    return Mesh(
        vertices.astype(np.float32),
        unit_rows(normals),
        np.zeros((len(vertices), 2), np.float32),
        np.ascontiguousarray(whole, dtype=np.int32),
        np.zeros(len(whole), np.int32),
    )


def volume_m3(mesh: Mesh) -> float:
    """Volume of a closed mesh, m³."""
    a, b, c = np.moveaxis(mesh.vertices.astype(np.float64)[mesh.triangles], 1, 0)
    return float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6.0)


def _between(heights: NDArray[np.float64], level: float, tiny: float) -> float:
    """A height next to `level` at which no vertex lies."""
    while np.abs(heights - level).min() < 0.1 * tiny:
        level -= tiny
    return level


def _cut(hollow: Hollow, level: float) -> tuple[Points, Triangles, Triangles]:
    """The hollow's wall below a level: vertices, triangles, and edges at the level, one after the other as triangles go
    round."""
    vertices, triangles = hollow.vertices, hollow.triangles
    below = _piece(vertices, triangles, hollow.deepest, level)[triangles]
    count = below.sum(axis=1)
    whole = triangles[count == 3]
    one = _turned(triangles[count == 1], below[count == 1].argmax(axis=1))
    two = _turned(triangles[count == 2], below[count == 2].argmin(axis=1))
    crossing = np.concatenate([one[:, [0, 1]], one[:, [0, 2]], two[:, [0, 1]], two[:, [0, 2]]])
    pairs, number = np.unique(np.sort(crossing, axis=1), axis=0, return_inverse=True)
    a, b = vertices[pairs[:, 0]], vertices[pairs[:, 1]]
    t = (level - a[:, 1]) / (b[:, 1] - a[:, 1])
    cut = a + t[:, None] * (b - a)
    cut[:, 1] = level
    new = number.reshape(-1) + len(vertices)
    n, m = len(one), len(two)
    first, second, third, fourth = np.split(new, [n, 2 * n, 2 * n + m])
    parts = [
        whole,
        np.column_stack([one[:, 0], first, second]),
        np.column_stack([third, two[:, 1], two[:, 2]]),
        np.column_stack([third, two[:, 2], fourth]),
    ]
    ring = np.concatenate([np.column_stack([first, second]), np.column_stack([fourth, third])])
    used, number = np.unique(np.concatenate([p.reshape(-1) for p in parts]), return_inverse=True)
    renamed = np.full(len(vertices) + len(cut), -1, np.int64)
    renamed[used] = np.arange(len(used))
    return np.concatenate([vertices, cut])[used], number.reshape(-1, 3), renamed[ring]


def _turned(triangles: Triangles, first: NDArray[np.int64]) -> Triangles:
    """Triangles (t, 3) that begin with another corner (t,)."""
    return np.take_along_axis(triangles, (first[:, None] + np.arange(3)) % 3, axis=1)


def _loops(edges: Triangles) -> list[NDArray[np.int64]]:
    """Closed rings of vertices that directed edges (e, 2) make."""
    following = dict(zip(edges[:, 0].tolist(), edges[:, 1].tolist(), strict=True))
    loops = []
    while following:
        start, at = next(iter(following.items()))
        loop = [start]
        del following[start]
        while at != start and at in following:
            loop.append(at)
            at = following.pop(at)
        if at == start and len(loop) > 2:
            loops.append(np.array(loop))
    return loops


def _vertex_normals(vertices: Points, triangles: Triangles) -> Points:
    """Unit normals (v, 3), of the faces round each vertex by their area."""
    return unit_rows(_summed_normals(vertices, triangles)).astype(np.float64)


def _summed_normals(vertices: Points, triangles: Triangles) -> Points:
    """Sum of the normals (v, 3) of the faces round each vertex, each as long as twice its area."""
    normals = np.zeros((len(vertices), 3))
    faces = face_normals(vertices, triangles)
    for corner in triangles.T:
        np.add.at(normals, corner, faces)
    return normals


def _area(ring: Points) -> float:
    """Signed area of a ring seen from above, positive where it goes round from +Z to +X."""
    x, z = ring[:, 0], ring[:, 2]
    return float(0.5 * (z * np.roll(x, -1) - np.roll(z, -1) * x).sum())


def _inset(ring: Points, way: float, distance: float) -> Points | None:
    """The ring moved inwards, None where parts of it would turn round."""
    along = np.roll(ring, -1, axis=0) - ring
    length = np.maximum(np.hypot(along[:, 0], along[:, 2]), 1e-12)
    across = way * np.column_stack([along[:, 2], np.zeros(len(ring)), -along[:, 0]]) / length[:, None]
    corner = across + np.roll(across, 1, axis=0)
    square = np.maximum((corner**2).sum(axis=1), 1.0)
    moved = ring + distance * 2.0 * corner / square[:, None]
    after = np.roll(moved, -1, axis=0) - moved
    turned = (along * after).sum(axis=1) < 0.0
    return None if length[turned].sum() > 0.01 * length.sum() else moved


def _surface(rims: list[Points], grown: list[Points], level: float, risen: float) -> tuple[Points, Triangles]:
    """The top of a liquid within its rims: rings down the meniscus, flat between the innermost.

    The height follows cosh, which solves the equation of a flat meniscus that ends where the rings do.
    """
    if not rims:
        return np.zeros((0, 3)), np.zeros((0, 3), np.int64)
    way = np.sign(_area(max(rims, key=lambda ring: abs(_area(ring)))))
    narrow = min(float(min(np.ptp(ring[:, 0]), np.ptp(ring[:, 2]))) for ring in rims)
    capillary = min(CAPILLARY_M, 0.45 * narrow / RINGS[-1]) if risen > 0.0 else 0.0
    rings: list[list[Points]] = [grown]
    reached = [0.0]
    for k in RINGS if risen > 0.0 else RINGS[:1]:
        inset = [_inset(ring, way, k * capillary) for ring in rims]
        if any(ring is None for ring in inset):
            break
        rings.append([ring for ring in inset if ring is not None])
        reached.append(k)
    most = reached[-1]
    vertices: list[Points] = []
    triangles: list[Triangles] = []
    at, inner, inner_at = 0, [], []
    for number in range(len(rims)):
        n = len(rims[number])
        for k, ring in enumerate(rings):
            sunk = (np.cosh(most - reached[k]) - 1.0) / (np.cosh(most) - 1.0) if most > 0.0 else 0.0
            placed = ring[number].copy()
            placed[:, 1] = level + risen * sunk
            vertices.append(placed)
            if k:
                i = np.arange(n)
                j = (i + 1) % n
                a, b = at - n + i, at - n + j
                c, d = at + i, at + j
                triangles += [np.column_stack([a, b, c]), np.column_stack([b, d, c])]
            at += n
        inner.append(vertices[-1])
        inner_at.append(at - n)
    triangles += _flat(inner, inner_at)
    return np.concatenate(vertices), np.concatenate(triangles)


def _flat(rings: list[Points], first: list[int]) -> list[Triangles]:
    """Triangles between rings that lie at one height: those that go round one way bound, the others are holes."""
    areas = [_area(ring) for ring in rings]
    bounds = np.sign(max(areas, key=abs))
    outer = [k for k, a in enumerate(areas) if np.sign(a) == bounds]
    holes: dict[int, list[int]] = {k: [] for k in outer}
    for k, area in enumerate(areas):
        if np.sign(area) != bounds:
            around = [o for o in outer if _contains(rings[o], rings[k][0]) and abs(areas[o]) > abs(area)]
            if around:
                holes[min(around, key=lambda o: abs(areas[o]))].append(k)
    found = []
    for k in outer:
        together = [k, *holes[k]]
        flat = np.concatenate([rings[i][:, [2, 0]] for i in together])
        ends = np.cumsum([len(rings[i]) for i in together]).astype(np.uint32)
        corners = mapbox_earcut.triangulate_float64(np.ascontiguousarray(flat), ends).astype(np.int64).reshape(-1, 3)
        number = np.concatenate([first[i] + np.arange(len(rings[i])) for i in together])
        t = number[corners]
        a, b, c = flat[corners[:, 0]], flat[corners[:, 1]], flat[corners[:, 2]]
        turned = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
        wrong = np.sign(turned) != bounds
        t[wrong] = t[wrong][:, ::-1]
        found.append(t)
    return found


def _contains(ring: Points, point: NDArray[np.float64]) -> bool:
    """True for a point within a ring, seen from above."""
    x, z = ring[:, 0] - point[0], ring[:, 2] - point[2]
    crosses = (z > 0) != (np.roll(z, -1) > 0)
    span = np.where(crosses, np.roll(z, -1) - z, 1.0)
    return bool((crosses & (x - z * (np.roll(x, -1) - x) / span > 0)).sum() % 2)
