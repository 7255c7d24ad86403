"""Small repairs every model gets on its way in: broken faces out, normals there and on the right side.

All parts are worked on at once: a model of ten thousand pieces costs no more than one of as many triangles.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernel import kernel
from ..textures import FARTHEST_UV
from .mesh import Mesh, face_normals, swapped_bits, together, unit_rows
from .normals import weld, with_smooth_normals
from .polygons import split_quads
from .read import ModelPart
from .read.model import inner_edges
from .rows import I32, distinct_rows, first_of, runs


@dataclass(slots=True)
class Repairs:
    """Defects found, and repairs made."""

    degenerate: int = 0
    duplicate: int = 0
    open_edges: int = 0
    without_normals: int = 0
    broken_uvs: int = 0
    flipped_normals: int = 0
    inside_out: int = 0


@dataclass(slots=True)
class Clean:
    """A model ready for the renderer, in the file's space."""

    mesh: Mesh
    source: NDArray[np.intp]
    """(v,) which vertex of the parts end to end each was"""
    vertex_part: NDArray[np.integer]
    """(v,) the part that each belongs to"""
    kept: NDArray[np.integer]
    """which parts have any face left; the mesh numbers only these"""


@dataclass(slots=True)
class _Whole:
    """The parts end to end."""

    vertices: NDArray[np.float64]
    triangles: I32
    part: I32
    """(t,)"""
    owner: I32
    """(v,) the part that a vertex belongs to"""
    inner: NDArray[np.uint8]


def repair(parts: list[ModelPart], keeps_winding: NDArray[np.bool_]) -> tuple[Clean, Repairs]:
    """Clean a model. `keeps_winding` (p,): the part's material lets light through, so its sides mean something."""
    found = Repairs()
    sizes = [len(p.vertices) for p in parts]
    first = np.cumsum(sizes) - sizes
    whole = _Whole(
        np.concatenate([p.vertices for p in parts]).astype(np.float64, copy=False),
        np.concatenate([p.triangles.astype(np.int32) + np.int32(f) for p, f in zip(parts, first, strict=True)]),
        np.repeat(np.arange(len(parts), dtype=np.int32), [len(p.triangles) for p in parts]),
        np.repeat(np.arange(len(parts), dtype=np.int32), sizes),
        inner_edges(parts),
    )
    position, _ = weld(whole.vertices, whole.owner)
    normals = _filled(parts, "normals", 3, np.nan)
    _keep(whole, _sound(whole, position, found))
    _check_closed(whole, position, _bodies(parts), keeps_winding, normals, found)
    uvs, found.broken_uvs = _held(_filled(parts, "uvs", 2, 0.0))
    meant = np.array([p.refined for p in parts])  # what was refined has no normals of its own yet
    normals, triangles, source = _with_normals(whole, position, normals, meant, found)
    kept, part = np.unique(whole.part, return_inverse=True)
    vertices = whole.vertices[source].astype(np.float32)
    inner = whole.inner if len(whole.inner) else split_quads(vertices, triangles, part, position[source])
    more_uvs, _ = _held(together([p.more_uvs for p in parts], sizes, 2, 0.0))
    colours = np.nan_to_num(together([p.colours for p in parts], sizes, 4, 1.0), nan=1.0).clip(0, None)
    mesh = Mesh(
        vertices,
        normals,
        uvs[source],
        triangles,
        part.astype(np.int32),
        inner,
        more_uvs[source] if len(more_uvs) else more_uvs,
        colours[source] if len(colours) else colours,
    )
    return Clean(mesh, source, whole.owner[source], kept), found


def _filled(parts: list[ModelPart], name: str, width: int, default: float) -> NDArray[np.float32]:
    """An attribute of all vertices (v, width), `default` where a part has none."""
    sizes = [len(p.vertices) for p in parts]
    values = together([getattr(p, name) for p in parts], sizes, width, default)
    return values if len(values) else np.full((sum(sizes), width), default, np.float32)


def _held(uvs: NDArray[np.float32]) -> tuple[NDArray[np.float32], int]:
    """Texture coordinates (v, 2) with those that are none, or too far, at 0, and how many these were."""
    broken = ~np.all(np.abs(uvs) < FARTHEST_UV, axis=1)
    uvs = np.where(broken[:, None], np.float32(0), uvs)
    return uvs, int(broken.sum())


def _keep(whole: _Whole, which: NDArray[np.bool_]) -> None:
    if not which.all():
        whole.triangles, whole.part = whole.triangles[which], whole.part[which]
        whole.inner = whole.inner[which] if len(whole.inner) else whole.inner


def _sound(whole: _Whole, position: I32, found: Repairs) -> NDArray[np.bool_]:
    """Which triangles have an area and are not there twice in their part."""
    corners = position[whole.triangles]
    distinct = (corners[:, 0] != corners[:, 1]) & (corners[:, 1] != corners[:, 2]) & (corners[:, 2] != corners[:, 0])
    least, keep = (_longest(whole) * 1e-9) ** 2, distinct
    for some in runs(len(keep)):
        area = np.linalg.norm(face_normals(whole.vertices, whole.triangles[some]), axis=1)
        keep[some] &= area > least[whole.part[some]]
    found.degenerate = int((~keep).sum())
    index, count = distinct_rows(np.sort(corners, axis=1))
    again = np.ones(len(corners), bool)
    again[first_of(index, count)] = False
    found.duplicate = int((again & keep).sum())
    return np.asarray(keep & ~again)


def _longest(whole: _Whole) -> NDArray[np.float64]:
    """The longest side (p,) of each part's box."""
    starts = np.flatnonzero(np.diff(whole.owner, prepend=-1))
    reach = np.maximum.reduceat(whole.vertices, starts) - np.minimum.reduceat(whole.vertices, starts)
    sides = np.zeros(int(whole.owner.max()) + 1)
    sides[whole.owner[starts]] = reach.max(axis=1)
    return sides


def _bodies(parts: list[ModelPart]) -> NDArray[np.intp]:
    """The body (p,) that each part is a piece of, counted from 0."""
    given = [part.body if part.body >= 0 else -1 - i for i, part in enumerate(parts)]
    return np.unique(given, return_inverse=True)[1]


def _check_closed(
    whole: _Whole,
    position: I32,
    body: NDArray[np.intp],
    keeps_winding: NDArray[np.bool_],
    normals: NDArray[np.float32],
    found: Repairs,
) -> None:
    """Count open edges, and turn closed bodies round that are inside out. Pieces of one body (p,) close each other."""
    count = int(body.max()) + 1
    if count < len(body):
        position, _ = weld(whole.vertices, body[whole.owner].astype(np.int32))
    of = body[whole.part]
    keeps = np.zeros(count, bool)
    np.logical_or.at(keeps, body, keeps_winding)
    edges = np.empty(3 * len(whole.triangles), np.int64)
    for c in range(3):
        edges[c * len(whole.triangles) : (c + 1) * len(whole.triangles)] = _edge_keys(whole, position, c)
    edges.sort()
    once = np.ones(len(edges), bool)
    alike = edges[1:] == edges[:-1]
    once[1:] &= ~alike
    once[:-1] &= ~alike
    once = edges[once]
    del edges, alike
    found.open_edges = len(once)
    is_open = np.zeros(count, bool)
    for c in range(3 if len(once) else 0):
        keys = _edge_keys(whole, position, c)
        at = np.minimum(np.searchsorted(once, keys), len(once) - 1)
        is_open[of[once[at] == keys]] = True
    turned = ~is_open & ~keeps & (_volumes(whole, of, count) < 0)
    if turned.any():
        mine = turned[of]
        whole.triangles[mine] = whole.triangles[mine][:, ::-1]
        if len(whole.inner):
            whole.inner[mine] = swapped_bits(whole.inner[mine])
        normals[turned[body[whole.owner]]] *= -1
        found.inside_out = int(turned[body].sum())


def _edge_keys(whole: _Whole, position: I32, corner: int) -> NDArray[np.int64]:
    """A number (t,) for the edge from each triangle's corner to the next, the same in both directions."""
    a, b = position[whole.triangles[:, corner]], position[whole.triangles[:, (corner + 1) % 3]]
    return np.minimum(a, b).astype(np.int64) * len(position) + np.maximum(a, b)


def _volumes(whole: _Whole, of: NDArray[np.intp], count: int) -> NDArray[np.float64]:
    """Signed volume (b,) of each body, of which triangles (t,) are; below zero when its faces look inwards."""
    at = np.zeros((count, 3))
    at[of[::-1]] = whole.vertices[whole.triangles[::-1, 0]]  # seen from a corner of its own
    volumes = np.zeros(count)
    _add_volumes(whole.vertices, whole.triangles, of, at, volumes)
    return volumes


@kernel
def _add_volumes(vertices, triangles, part, at, volumes):  # type: ignore[no-untyped-def]
    """Add to each body's volume that of the tetrahedra from its triangles to its point `at`."""
    for t in range(triangles.shape[0]):
        o = at[part[t]]
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay, az = vertices[i, 0] - o[0], vertices[i, 1] - o[1], vertices[i, 2] - o[2]
        bx, by, bz = vertices[j, 0] - o[0], vertices[j, 1] - o[1], vertices[j, 2] - o[2]
        cx, cy, cz = vertices[k, 0] - o[0], vertices[k, 1] - o[1], vertices[k, 2] - o[2]
        volumes[part[t]] += (ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)) / 6.0


def _with_normals(
    whole: _Whole, position: I32, normals: NDArray[np.float32], meant: NDArray[np.bool_], found: Repairs
) -> tuple[NDArray[np.float32], I32, NDArray[np.intp]]:
    """Normals (n, 3), triangles (t, 3), and which vertex each was: smooth ones for parts whose own are broken; `meant`
    (p,) says of which parts that need not be told."""
    lacking = np.zeros(int(whole.owner.max()) + 1, bool)
    broken = ~np.isfinite(normals).all(axis=1) | (np.abs(normals).sum(axis=1) < 1e-6)
    lacking[whole.owner[broken]] = True
    bare = lacking[whole.part]
    found.without_normals = int((bare & ~meant[whole.part]).sum())
    outwards, found.flipped_normals = _face_outwards(whole, np.nan_to_num(normals), ~bare)
    triangles, source = whole.triangles, np.arange(len(normals))
    if not bare.any():
        return unit_rows(outwards), np.ascontiguousarray(triangles), source
    smooth, smoothed, smooth_source = with_smooth_normals(whole.vertices, triangles[bare], position=position)
    own = np.flatnonzero(~lacking[whole.owner])
    source = np.concatenate([own, smooth_source])
    order = np.argsort(source, kind="stable")  # the parts stay in their order
    rank = np.empty(len(source), np.int32)
    rank[order] = np.arange(len(source), dtype=np.int32)
    place = np.zeros(len(normals), np.int32)
    place[own] = rank[: len(own)]
    result = np.empty_like(triangles)
    result[~bare] = place[triangles[~bare]]
    result[bare] = rank[len(own) + smoothed]
    return np.concatenate([unit_rows(outwards[own]), smooth])[order], result, source[order]


def _face_outwards(
    whole: _Whole, normals: NDArray[np.float32], which: NDArray[np.bool_]
) -> tuple[NDArray[np.float32], int]:
    """Normals turned to the side their faces (`which`) look to, and how many faces disagreed with all three."""
    flipped, side = 0, np.zeros(len(normals))
    chosen = np.flatnonzero(which)
    for some in runs(len(chosen)):
        triangles = whole.triangles[chosen[some]]
        against = np.einsum("ti,tci->tc", face_normals(whole.vertices, triangles), normals[triangles]) < 0
        flipped += int(against.all(axis=1).sum())
        side += np.bincount(triangles.ravel(), np.where(against, -1.0, 1.0).ravel(), len(normals))
    if not (side < 0).any():
        return normals, flipped
    return np.where(side[:, None] < 0, -normals, normals).astype(np.float32), flipped
