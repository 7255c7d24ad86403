"""Poses of copies: set in order, or scattered over a ground."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from ..arrays import Mask, Points, Vec3
from ..scene import Item
from ..scene.copies import MOST_COPIES, Copies
from ..scene.writing import derive
from .arrangements import ARRANGEMENTS, Stands, about_vertical, along_path, upright
from .dart_throwing import Target, throw_darts
from .drops import condensed_radii, merge_drops
from .edges import hard_segments
from .measure import Measures, extreme_points, placed_hull
from .mesh import Mesh, face_normals
from .natural import DROP_FOOT, SHAPES, is_natural

F64 = NDArray[np.float64]
F32 = NDArray[np.float32]
TINTS = 6
"""Tints of what is copied in different ones."""
STANCES = 64
"""So many ways in which a copy lies, at most."""
CELLS = 512
"""Cells across the grid of what is kept clear."""
THROWN_ALONG_EDGES = 12
THROWN = 8
"""Darts thrown for each drop."""
AT_ONCE = 1 << 16
UPWARD = 0.2
"""Least upward part of the unit normal of a surface on which things stand upright."""
ROUGHLY_ROUND = 0.7
"""Share of its own reach, seen from above, by which a copy is kept clear of others: most are rounder than their box."""
RIM, MOST_OUTER = 48, 400
"""Corners of the circle in which copies lie, and copies that are looked at for the hull of all."""
_DENSER = ("even", "middle", "rim", "flat", "low", "high", "picture", "painted")
"""In the order of the numbers in `dart_throwing`."""
EDGE_REACH = 0.02
"""Distance from an edge within which most copies along edges lie: a share of the size of the item below them, or their
spacing where that is more."""


@dataclass(frozen=True, slots=True)
class Ground:
    """Triangles on which copies are scattered, and what is to be kept clear there."""

    mesh: Mesh
    obstacles: tuple[Points, ...] = ()
    """points (k, 3) of what stands there, one nearer to the next than a cell of the grid"""
    picture: Mask | None = None
    """(h, w) 0…1: where copies are denser, seen from above, its upper edge at the back, or painted on the triangles"""
    limit: Callable[[F64, F64], NDArray[np.bool_]] | None = None
    """true for places x, z at which copies may lie"""
    is_open: Callable[[Points, F64], NDArray[np.bool_]] | None = None
    """true for places (n, 3) from which nothing stands in the way of their normals (n, 3)"""


def fractions(seed: int, count: int, draw: int) -> F64:
    """Numbers 0…1 (count,), the same for the same seed, number and draw, however many there are (splitmix64)."""
    with np.errstate(over="ignore"):
        words = np.arange(count, dtype=np.uint64) + np.uint64(seed) * np.uint64(0x9E3779B97F4A7C15)
        return (_mixed(_mixed(words) + np.uint64(draw + 1) * np.uint64(0xD1B54A32D192ED03)) >> np.uint64(11)) / 2.0**53


def _mixed(x: NDArray[np.uint64]) -> NDArray[np.uint64]:
    x = (x ^ (x >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    x = (x ^ (x >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return x ^ (x >> np.uint64(31))


def prototype_count(item: Item) -> int:
    """Number of shapes, tints or colourways in which an item is copied."""
    copies = item.copies
    if copies is None:
        return 0
    if copies.colourways and len(item.variants) > 1:
        return len(item.variants)
    if item.made is not None and is_natural(item.made):
        return SHAPES
    return TINTS if copies.in_tints else 1


def prototype_values(item: Item, number: int) -> dict[str, Any]:
    """Values of a copied item in the shape or colourway of one of its prototypes."""
    values: dict[str, Any] = {}
    if item.copies is not None and item.copies.colourways:
        values["variant_id"] = item.variants[number % len(item.variants)].id
    if item.made is not None and is_natural(item.made):
        values["made"] = derive(item.made, shape=(item.made.shape + number) % SHAPES)
    return values


def arrange(
    copies: Copies, prototypes: Sequence[Mesh], foot: Vec3, ground: Ground | None, path: tuple[Points, Points] | None
) -> list[F32]:
    """Poses (n, 12) of the copies of each prototype, seen from where the prototypes stand at rest: three axes, as long
    as a copy is large, and where the origin goes.

    foot: (3,) the item's own place. ground: of scattered ones. path: places (n, 3) and directions of those along one.
    """
    hulls = [mesh.vertices[_corners_of_hull(mesh)].astype(np.float64) for mesh in prototypes]
    if copies.arrangement == "scatter":
        stands = _scattered(copies, hulls, foot, ground)
    elif copies.arrangement == "drops":
        stands = _condensed(copies, hulls, foot, ground)
    elif copies.arrangement == "path":
        stands = along_path(path)
    else:
        stands = ARRANGEMENTS[copies.arrangement].in_order(copies, foot)
    count = len(stands.places)
    which = _chosen_prototypes(copies, len(prototypes), count)
    sizes = stands.sizes
    if sizes is None:
        sizes = 2.0 ** (copies.size_spread * (2.0 * fractions(copies.seed, count, 1) - 1.0))
    turned = replace(
        stands, turns=stands.turns + copies.turn_spread * math.pi * (2.0 * fractions(copies.seed, count, 2) - 1.0)
    )
    found = []
    for number, hull in enumerate(hulls):
        mine = np.flatnonzero(which == number)
        stances = _stances(copies.lie, hull, foot, copies.seed)
        lying = (fractions(copies.seed, count, 3)[mine] * len(stances)).astype(int)
        found.append(_poses(turned, mine, sizes, stances, lying))
    return found


def _chosen_prototypes(copies: Copies, prototypes: int, count: int) -> NDArray[np.intp]:
    """Prototype of each copy: colourways in order, all else by chance."""
    if copies.colourways and copies.arrangement != "scatter":
        return np.arange(count) % prototypes
    return (fractions(copies.seed, count, 0) * prototypes).astype(np.intp)


def _poses(stands: Stands, mine: NDArray[np.intp], sizes: F64, stances: F64, lying: NDArray[np.intp]) -> F32:
    """Poses (n, 12) of some copies; stances (s, 3, 4) and which each takes."""
    out = np.empty((len(mine), 4, 3), np.float32)
    for start in range(0, len(mine), AT_ONCE):
        some = slice(start, start + AT_ONCE)
        k = mine[some]
        size = sizes[k][:, None, None]
        stance = stances[lying[some]]
        stand = _from_up(stands.ups[k]) @ about_vertical(stands.turns[k])
        turned = stand @ stance[:, :, :3]
        at = stands.places[k] + size[:, 0] * (stand @ stance[:, :, 3:])[..., 0]
        out[some, :3] = (size * turned).transpose(0, 2, 1)
        out[some, 3] = at
    return out.reshape(-1, 12)


def _from_up(ups: F64) -> F64:
    """Shortest rotations (n, 3, 3) that bring +Y to unit vectors (n, 3)."""
    x, y, z = ups.T
    k = 1.0 / np.maximum(1.0 + y, 1e-9)
    found = np.stack([1 - k * x * x, x, -k * x * z, -x, y, -z, -k * x * z, z, 1 - k * z * z], axis=-1).reshape(-1, 3, 3)
    down = y < -0.999999
    found[down] = np.diag([1.0, -1.0, -1.0])
    return found


def _condensed(copies: Copies, hulls: list[F64], foot: Vec3, ground: Ground | None) -> Stands:
    """Drops as large as the prototypes at most before they merge, their foot in the surface."""
    count = min(THROWN * copies.count, MOST_COPIES)  # many lie in hollows
    dry = derive(copies, arrangement="scatter", spacing_m=0.0, upright=False, count=count)
    found = _scattered(dry, hulls, foot, ground)
    places, normals = found.places, found.ups
    if ground is not None and ground.is_open is not None:
        seen = ground.is_open(places, normals)
        places, normals = places[seen], normals[seen]
    places, normals = places[: copies.count], normals[: copies.count]
    radius = max(float(np.ptp(hull[:, [0, 2]], axis=0).max()) for hull in hulls) / 2
    tall = max(float(np.ptp(hull[:, 1])) for hull in hulls)
    radii = radius * condensed_radii(fractions(copies.seed, len(places), 1))
    left, radii = merge_drops(places, normals, radii)
    sizes = radii / radius
    feet = places[left] - normals[left] * (DROP_FOOT * tall * sizes)[:, None]
    return replace(upright(feet, np.zeros(1)), ups=normals[left], sizes=sizes)


def _scattered(copies: Copies, hulls: list[F64], foot: Vec3, ground: Ground | None) -> Stands:
    """Darts on the ground; along edges, those of many that are near to one."""
    if copies.denser == "edges" and ground is not None:
        many = derive(copies, denser="even", count=min(THROWN_ALONG_EDGES * copies.count, MOST_COPIES))
        thrown = _scattered(many, hulls, foot, ground)
        near = _near_edges(ground.mesh, thrown.places, copies)[: copies.count]
        return replace(upright(thrown.places[near], thrown.turns[near]), ups=thrown.ups[near])
    places, normals = np.zeros((copies.count, 3)), np.zeros((copies.count, 3))
    found = 0
    if ground is not None and len(ground.mesh.triangles):
        heads = np.full(1 << max(4, (2 * copies.count - 1).bit_length()), -1, np.int32)
        reach = max(float(np.ptp(hull[:, [0, 2]], axis=0).max()) for hull in hulls) / 2 * ROUGHLY_ROUND
        target = _target(copies, foot, ground, reach)
        found = throw_darts(
            target, np.uint64(copies.seed), copies.spacing_m, heads, np.empty(copies.count, np.int32), places, normals
        )
    stands = upright(places[:found], np.radians([copies.direction_deg]))
    return stands if copies.upright else replace(stands, ups=normals[:found])


def _near_edges(mesh: Mesh, places: Points, copies: Copies) -> NDArray[np.intp]:
    """Numbers of places (n, 3) near to a hard edge of a mesh, fewer the farther away they are."""
    size = float(np.ptp(mesh.vertices, axis=0).max()) if len(mesh.vertices) else 0.0
    reach = max(EDGE_REACH * size, copies.spacing_m, 1e-9)
    ends = hard_segments(mesh.vertices, mesh.triangles).astype(np.float64)
    if not len(ends) or not len(places):
        return np.zeros(0, np.intp)
    steps = np.ceil(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1) / (0.5 * reach)).astype(int) + 1
    along = np.concatenate([np.linspace(0, 1, n) for n in steps])[:, None]
    which = np.repeat(np.arange(len(ends)), steps)
    points = ends[which, 0] * (1 - along) + ends[which, 1] * along
    away, _ = scipy.spatial.cKDTree(points).query(places, distance_upper_bound=3 * reach)
    return np.flatnonzero(fractions(copies.seed, len(places), 4) < np.exp(-((away / reach) ** 2)))


def _target(copies: Copies, foot: Vec3, ground: Ground, reach: float) -> Target:
    mesh = ground.mesh
    if copies.upright:
        across = face_normals(mesh.vertices, mesh.triangles)
        mesh = mesh.only(across[:, 1] > UPWARD * np.linalg.norm(across, axis=1))
    corners = mesh.vertices[mesh.triangles].astype(np.float64)
    area = np.linalg.norm(face_normals(mesh.vertices, mesh.triangles), axis=1)
    share = np.cumsum([0.0, *area])
    heights = corners[..., 1] if len(corners) else np.zeros(1)
    return Target(
        corners.reshape(-1, 9),
        mesh.normals[mesh.triangles].astype(np.float64).reshape(-1, 9),
        share / max(float(share[-1]), 1e-300),
        np.array([foot[0], foot[2], copies.radius_m]),
        float(heights.min()),
        float(heights.max()),
        _DENSER.index(copies.denser),
        np.ones((1, 1), np.float32) if ground.picture is None else ground.picture.astype(np.float32),
        mesh.uvs[mesh.triangles].astype(np.float64).reshape(-1, 6),
        _room(ground, foot, copies.radius_m),
        max(copies.clear_m + reach, 1e-9),
    )


def _room(ground: Ground, foot: Vec3, reach: float) -> F32:
    """Distance (CELLS, CELLS) to the nearest obstacle, m, over the square around the region; 0 beyond the limit."""
    cell = 2 * reach / CELLS
    low = foot[[0, 2]] - reach
    taken = np.zeros((CELLS, CELLS), bool)
    for points in ground.obstacles:
        column, row = np.floor((points[:, [0, 2]] - low) / cell).astype(int).T
        inside = (row >= 0) & (row < CELLS) & (column >= 0) & (column < CELLS)
        taken[row[inside], column[inside]] = True
    room = np.full(taken.shape, np.float32(np.inf))
    if taken.any():
        room = scipy.ndimage.distance_transform_edt(~taken) * cell
    if ground.limit is not None:
        middles = (np.arange(CELLS) + 0.5) * cell
        room[~ground.limit(low[0] + middles[None, :], low[1] + middles[:, None])] = 0.0
    return room.astype(np.float32)


def footprint(mesh: Mesh, below: float, cell: float) -> Points:
    """Points (k, 3) of a mesh below a height, one nearer to the next than a cell."""
    corners = mesh.vertices[mesh.triangles].astype(np.float64)
    corners = corners[corners[..., 1].min(axis=1) < below]
    if not len(corners):
        return np.zeros((0, 3))
    long = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(axis=1)
    found = [corners.reshape(-1, 3)]
    steps = np.ceil(long / cell).astype(int)
    for count in np.unique(np.minimum(steps, CELLS)):
        if count < 2:
            continue
        some = corners[np.minimum(steps, CELLS) == count]
        i, j = np.meshgrid(np.arange(count + 1), np.arange(count + 1))
        inside = i + j <= count
        u, v = (i[inside] / count)[:, None, None], (j[inside] / count)[:, None, None]
        found.append((some[None, :, 0] * (1 - u - v) + some[None, :, 1] * u + some[None, :, 2] * v).reshape(-1, 3))
    points = np.concatenate(found)
    return points[points[:, 1] < below]


def _corners_of_hull(mesh: Mesh) -> NDArray[np.intp]:
    used = np.unique(mesh.triangles).astype(np.intp)
    try:
        return used[scipy.spatial.ConvexHull(mesh.vertices[used].astype(np.float64)).vertices]
    except (scipy.spatial.QhullError, ValueError):
        return used


def _stances(lie: str, hull: F64, foot: Vec3, seed: int) -> F64:
    """Ways (s, 3, 4) to lie, each as likely: from where the prototype is at rest to where it touches the origin from
    above."""
    if lie == "standing" or len(hull) < 4:
        return np.column_stack([np.eye(3), -foot])[None]
    middle = (hull.min(axis=0) + hull.max(axis=0)) / 2
    turned = scipy.spatial.transform.Rotation.random(STANCES, random_state=seed).as_matrix()
    if lie == "settled":
        turned = _settled(hull, middle, turned)
    lowest = ((hull - middle) @ turned.transpose(0, 2, 1))[..., 1].min(axis=1)
    offset = -(turned @ middle) - np.stack([0 * lowest, lowest, 0 * lowest], axis=1)
    return np.concatenate([turned, offset[..., None]], axis=2)


def _settled(hull: F64, middle: Vec3, turned: F64) -> F64:
    """Rotations (s, 3, 3) after which a hull lies on the stable face through which down goes in some rotations."""
    try:
        planes = scipy.spatial.ConvexHull(hull).equations
    except scipy.spatial.QhullError:
        return turned
    normals, height = planes[:, :3], -planes[:, 3] - planes[:, :3] @ middle
    facing = normals @ normals.T
    with np.errstate(divide="ignore"):
        ways = np.where(facing > 1e-9, height[None, :] / np.maximum(facing, 1e-9), np.inf)
    stable = np.flatnonzero(height <= ways.min(axis=1) + 1e-6 * np.ptp(hull, axis=0).max())
    down = -turned[:, 1]  # what points down in each rotation, seen from the body
    with np.errstate(divide="ignore"):
        through = height[stable] / np.maximum(down @ normals[stable].T, 1e-9)
    faces = normals[stable[through.argmin(axis=1)]]
    return np.stack([_face_down(face, turn) for face, turn in zip(faces, turned, strict=True)])


def _face_down(face: Vec3, turn: F64) -> F64:
    """The rotation with the least further turn that brings a face of a body down."""
    now = turn @ face
    return _from_up(-now[None])[0].T @ turn


def shown_hull(measures: Measures, item: Item) -> Points:
    """Corners of the hull (k, 3) of an item with all its copies, in studio space at rest, m; of scattered ones, of the
    circle in which they lie. Copies along a path are not counted."""
    hull = placed_hull(measures, item.placement)
    copies = item.copies
    if copies is None:
        return hull
    foot = np.array([item.placement.x_m, float(hull[:, 1].min()), item.placement.z_m])
    if copies.arrangement in ("scatter", "drops"):
        around = np.linspace(0, 2 * np.pi, RIM, endpoint=False)
        rim = copies.radius_m * np.stack([np.sin(around), 0 * around, np.cos(around)], axis=1)
        return np.concatenate([rim + foot, rim + foot + [0.0, np.ptp(hull[:, 1]), 0.0]])
    stands = ARRANGEMENTS[copies.arrangement].in_order(copies, foot)
    if not len(stands.places):
        return hull
    every = np.unique(np.linspace(0, len(stands.places) - 1, MOST_OUTER).astype(int))
    turned = (about_vertical(stands.turns[every])[:, None] @ (extreme_points(hull) - foot)[None, :, :, None])[..., 0]
    return np.asarray((turned + stands.places[every, None]).reshape(-1, 3))
