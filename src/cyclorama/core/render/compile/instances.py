"""Compiled geometry: set and items as bodies, laid out so that what moves moves without being compiled again."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ...arrays import Mat4
from ...geometry.mesh import Mesh, join, transform_vertices
from ...geometry.rig import PROBES, Rig
from ...geometry.skeleton import AnimationState
from ...motion import STILL, Moment, Playing, Poses
from ..trace.arrays import (
    BENDS,
    F32,
    I32,
    NO_EDGES,
    NO_SHAPES,
    STANDS,
    TURNS,
    U8,
    Bodies,
    Geometry,
    Shapes,
    allocate_aligned,
)
from ..trace.bodies import Body, addresses_of, pose_keys
from ..trace.embree import Structure
from ..trace.surface import pack_corners

Shown = tuple[I32, I32, I32]
"""Triangles as often as they stand on the set: numbers, bodies, and copies (−1: of no copy)."""


@dataclass(frozen=True, slots=True)
class Rigged:
    """Rig of an item, and its state."""

    item: str
    rig: Rig
    animations: frozenset[int]
    """those that are played"""
    placement: Mat4

    def at(self, acting: AnimationState) -> tuple[F32, F32]:
        """Vertices and unit normals (v, 3) in studio space, before the item is carried."""
        return transform_vertices(self.placement, *self.rig.at(acting))


@dataclass(frozen=True, slots=True)
class RestMesh:
    """A mesh at rest in studio space."""

    mesh: Mesh
    rows: I32
    """material row of each of its parts"""
    first_part: int
    carriage: str
    """what it moves with"""
    rigged: Rigged | None = None


@dataclass(frozen=True, slots=True)
class CopiedMesh:
    """A prototype and its copies, seen from where it is at rest in studio space."""

    piece: RestMesh
    poses: F32
    """(n, 12) see `arrays.Bodies`"""
    prototype: int = 0
    """number among those of its item"""


@dataclass(frozen=True, slots=True)
class Bending:
    """Bending part of an item, and the rig that bends it."""

    rigged: Rigged
    triangles: I32
    """(d, 3) of the rig's vertices"""
    first: int
    """number of the first of these triangles among all"""


@dataclass(frozen=True, slots=True)
class Instances:
    """One body for all that stands, one for each carriage, and one for each item that bends, in this order."""

    bodies: list[Body | None]
    """None for those that bend: each frame brings its own"""
    carriages: list[str]
    """what each body moves with"""
    bending: list[Bending]
    geometry: Geometry
    body_of: I32
    """(t,) the body of each triangle"""
    copies_of: NDArray[np.int64]
    """(t, 2) number of its first copy among all, and how many there are; 0, 0 for those of no prototype"""
    vertices: F32
    triangles: I32
    inner: U8
    sheer: bool
    """the mesh's own colours are not opaque everywhere"""

    @property
    def poses(self) -> F32:
        """(n, 12) of all copies."""
        return addresses_of([b for b in self.bodies if b is not None])[-1]

    def shown(self, triangles: I32) -> Shown:
        """Some triangles, as often as they stand on the set."""
        first, count = self.copies_of[triangles].T
        times = np.maximum(count, 1)
        begin = np.repeat(np.cumsum(times) - times, times)
        copy = np.repeat(first, times) + np.arange(len(begin)) - begin
        several = np.repeat(count > 0, times)
        chosen = np.repeat(triangles, times)
        return chosen, self.body_of[chosen], np.where(several, copy, -1).astype(np.int32)

    def where(self, bodies: list[Body], moment: Moment) -> Bodies:
        """Where a frame's bodies stand while the shutter is open."""
        steps = len(moment.shutter)
        keys = [self._keys(carriage, moment) for carriage in self.carriages]
        moving = [
            BENDS if body is None else TURNS if carriage else STANDS
            for body, carriage in zip(self.bodies, self.carriages, strict=True)
        ]
        return Bodies(
            np.array(keys, np.float32).reshape(len(keys), steps, 7), np.array(moving, np.uint8), *addresses_of(bodies)
        )

    def placed(self, moment: Moment, poses: Poses) -> F32:
        """Where the bodies stand in some poses (k, b, 3, 4)."""
        found = np.tile(np.eye(4)[:3], (len(poses), max(len(self.carriages), 1), 1, 1))
        for i, carriage in enumerate(self.carriages):
            if carriage:
                found[:, i] = moment.carried(carriage, poses)[:, :3]
        return found.astype(np.float32)

    @staticmethod
    def _keys(carriage: str, moment: Moment) -> F32:
        if carriage == STILL:
            return np.tile(pose_keys(np.eye(4)[None]), (len(moment.shutter), 1))
        return pose_keys(moment.carried(carriage, moment.shutter))


def build_instances(pieces: list[RestMesh], copied: Sequence[CopiedMesh] = ()) -> Instances:
    """Compile pieces and prototypes; of pieces with a rig, what moves with it bends."""
    rigid, bent = [], []
    for piece in pieces:
        if piece.rigged is None:
            rigid.append(piece)
            continue
        bends = np.asarray(piece.rigged.rig.moving(piece.rigged.animations)[piece.mesh.triangles].any(axis=1))
        rigid.append(replace(piece, mesh=piece.mesh.only(~bends), rigged=None))
        bent.append(replace(piece, mesh=piece.mesh.only(bends)))
    riding = [p.carriage for p in (*rigid, *(c.piece for c in copied))]
    carriages = sorted(set(riding), key=[STILL, *riding].index)
    groups = [[p for p in rigid if p.carriage == carriage] for carriage in carriages] + [[p] for p in bent]
    before = sum(len(p.mesh.triangles) for group in groups for p in group)
    firsts = np.cumsum([before, *(len(c.piece.mesh.triangles) for c in copied)])
    bodies: list[Body | None] = []
    carried: list[str] = []
    owners: list[I32] = []
    copies_of: list[NDArray[np.int64]] = []
    bending: list[Bending] = []
    first = copies = 0
    of_prototypes = [(np.zeros(0, np.int32), np.zeros((0, 2), np.int64)) for _ in copied]
    for group, carriage in zip(groups, [*carriages, *(p.carriage for p in bent)], strict=True):
        mesh = join([p.mesh for p in group])
        rigged = group[0].rigged if group else None
        here = [] if rigged else [k for k, c in enumerate(copied) if c.piece.carriage == carriage and len(c.poses)]
        if not len(mesh.triangles) and not here:
            continue
        owners.append(np.full(len(mesh.triangles), len(bodies), np.int32))
        copies_of.append(np.zeros((len(mesh.triangles), 2), np.int64))
        for k in here:
            count = len(copied[k].piece.mesh.triangles)
            stand = np.full((count, 2), [copies, len(copied[k].poses)], np.int64)
            of_prototypes[k] = np.full(count, len(bodies), np.int32), stand
            copies += len(copied[k].poses)
        carried.append(carriage)
        if rigged is not None:
            bending.append(Bending(rigged, mesh.triangles, first))
            bodies.append(None)
        else:
            bodies.append(_body(mesh, first, [(copied[k], int(firsts[k])) for k in here]))
        first += len(mesh.triangles)
    ordered = [*(piece for group in groups for piece in group), *(c.piece for c in copied)]
    whole = join([p.mesh for p in ordered])
    material = np.concatenate([[0], *(p.rows[p.mesh.part] for p in ordered)])[1:]
    part = np.concatenate([[0], *(p.mesh.part + p.first_part for p in ordered)])[1:]
    geometry = Geometry(
        _packed_corners(whole, material, part),
        material.astype(np.int32),
        part.astype(np.int32),
        NO_EDGES,
        NO_SHAPES,
        _at_corners(whole.more_uvs, whole.triangles),
        _at_corners(whole.colours, whole.triangles),
        np.zeros((0, 3), np.float32),
    )
    return Instances(
        bodies,
        carried,
        bending,
        geometry,
        np.concatenate([np.zeros(0, np.int32), *owners, *(owner for owner, _ in of_prototypes)]),
        np.concatenate([np.zeros((0, 2), np.int64), *copies_of, *(stand for _, stand in of_prototypes)]),
        whole.vertices,
        whole.triangles,
        whole.inner_bits,
        bool((whole.colours[:, 3] < 1).any()),
    )


def _body(mesh: Mesh, first: int, copied: list[tuple[CopiedMesh, int]]) -> Body:
    """A body of triangles, the first of which is the `first` among all, and of prototypes, each with its first."""
    counts = [len(c.poses) for c, _ in copied]
    poses = np.zeros((sum(counts) + 1, 12), np.float32)  # the library reads beyond the last
    starts = np.cumsum([0, *counts])
    for (c, _), start in zip(copied, starts[:-1], strict=True):
        poses[start : start + len(c.poses)] = c.poses
    structures: dict[int, Structure] = {}  # those of colourways are the same
    within = []
    for (c, _), start, count in zip(copied, starts[:-1], counts, strict=True):
        m = c.piece.mesh
        if id(m.vertices) not in structures:
            structures[id(m.vertices)] = Structure(m.vertices, m.triangles)
        structure = structures[id(m.vertices)]
        within.append((structure, poses[start : start + count]))
    table = np.array([(number, start) for (_, number), start in zip(copied, starts[:-1], strict=True)], np.int32)
    return Body(Structure(mesh.vertices, mesh.triangles, within), first, table.reshape(-1, 2), poses[:-1])


def bend(
    bending: list[Bending], playing: dict[str, Playing], around: Mapping[str, tuple[AnimationState, ...]]
) -> tuple[list[Body], Shapes]:
    """The bodies that bend while the shutter is open, and their triangles.

    around: what they do in this frame, the next and the one before, for motion vectors; empty where those are not
    recorded.
    """
    steps = max(b.rigged.rig.steps(playing[b.rigged.item].acting(PROBES)) for b in bending)
    bent = [_bent(b, playing[b.rigged.item].acting(steps), around.get(b.rigged.item, ())) for b in bending]
    bodies, corners, places = zip(*bent, strict=True)
    return list(bodies), Shapes(bending[0].first, np.concatenate(corners, axis=1), np.concatenate(places, axis=1))


def _bent(
    bending: Bending, actings: tuple[AnimationState, ...], around: tuple[AnimationState, ...]
) -> tuple[Body, F32, F32]:
    """One body in k poses, corners (k, d, 18) and places (3, d, 9) of its triangles."""
    triangles = bending.triangles
    poses = {a: bending.rigged.at(a) for a in {*actings, *around}}  # this frame is often one of the shutter's
    corners = np.empty((len(actings), len(triangles), 18), np.float32)
    for row, (vertices, normals) in zip(corners, (poses[a] for a in actings), strict=True):
        row[:, :9], row[:, 9:] = vertices[triangles].reshape(-1, 9), normals[triangles].reshape(-1, 9)
    places = np.zeros((3, len(triangles) if around else 0, 9), np.float32)
    for k, acting in enumerate(around):
        places[k] = poses[acting][0][triangles].reshape(-1, 9)
    structure = Structure(np.stack([poses[a][0] for a in actings]), triangles)
    return Body(structure, bending.first), corners, places


def _at_corners(values: F32, triangles: I32) -> F32:
    """Values of vertices (v, k) at the corners of triangles (t, 3·k); (0, 3·k) where there are none."""
    if not len(values):
        return np.zeros((0, 3 * values.shape[1]), np.float32)
    return np.ascontiguousarray(values[triangles].reshape(len(triangles), -1))


def _packed_corners(mesh: Mesh, material: np.ndarray, part: np.ndarray) -> np.ndarray:
    corners = allocate_aligned(32 * len(mesh.triangles), 128).reshape(-1, 32)
    pack_corners(mesh.vertices, mesh.normals, mesh.uvs, mesh.triangles, material, part, corners)
    return corners
