"""Compiled geometry: set and subject as bodies, laid out so that what moves moves without being compiled again."""

from dataclasses import dataclass, replace

import numpy as np

from ..arrays import Mat4
from ..geometry.mesh import Mesh, join, under
from ..geometry.rig import Rig
from ..motion import turned
from .arrays import BENDS, F32, F64, I32, NO_EDGES, NO_SHAPES, STANDS, TURNS, U8, Bodies, Geometry, Shapes, aligned
from .bodies import Body, addresses_of, pose_keys
from .embree import Structure
from .surface import pack_corners


@dataclass(frozen=True, slots=True)
class Piece:
    """A mesh at rest in studio space."""

    mesh: Mesh
    rows: I32
    """material row of each of its parts"""
    first_part: int
    turns: bool
    """with the subject"""


@dataclass(frozen=True, slots=True)
class Bending:
    """What of the subject bends, and by what."""

    rig: Rig
    animation: int
    placement: Mat4
    triangles: I32
    """(d, 3) of the rig's vertices"""
    first: int
    """number of the first of these triangles among all"""

    def at(self, seconds: float) -> tuple[F32, F32]:
        """Vertices and unit normals (v, 3) in studio space, before the subject turns."""
        return under(self.placement, *self.rig.at(self.animation, seconds))


@dataclass(frozen=True, slots=True)
class Standing:
    """One body when nothing moves; what turns and what bends are bodies of their own."""

    bodies: list[Body | None]
    """None for the one that bends: each frame brings its own"""
    turns: list[bool]
    bending: Bending | None
    geometry: Geometry
    body_of: I32
    """(t,) the body of each triangle"""
    vertices: F32
    triangles: I32
    inner: U8
    sheer: bool
    """the mesh's own colours are not opaque everywhere"""

    def where(self, bodies: list[Body], subject_deg: F64) -> Bodies:
        """Where a frame's bodies stand while the subject passes angles (k,)."""
        still, turning = pose_keys(np.eye(4)[None]), pose_keys(turned(subject_deg))
        keys = [turning if turns else np.tile(still, (len(subject_deg), 1)) for turns in self.turns]
        moving = [BENDS if body is None else TURNS if turns else STANDS
                  for body, turns in zip(self.bodies, self.turns, strict=True)]  # fmt: skip
        return Bodies(
            np.array(keys, np.float32).reshape(len(keys), len(subject_deg), 7), np.array(moving, np.uint8),
            *addresses_of(bodies),
        )  # fmt: skip


def stand(pieces: list[Piece], rig: tuple[Rig, int, Mat4] | None) -> Standing:
    """Compile pieces; with a rig, its animation and placement the last of them, the subject, bends where it moves."""
    bending_pieces = []
    if rig:
        subject = pieces[-1]
        bends = np.asarray(rig[0].moving(rig[1])[subject.mesh.triangles].any(axis=1))
        pieces = [*pieces[:-1], replace(subject, mesh=subject.mesh.only(~bends))]
        bending_pieces = [replace(subject, mesh=subject.mesh.only(bends))]
    groups = [[p for p in pieces if not p.turns], [p for p in pieces if p.turns], bending_pieces]
    bodies: list[Body | None] = []
    turns: list[bool] = []
    body_of: list[np.ndarray] = []
    bending, first = None, 0
    for group in groups:
        mesh = join([p.mesh for p in group])
        if not len(mesh.triangles):
            continue
        body_of.append(np.full(len(mesh.triangles), len(bodies), np.int32))
        turns.append(group[0].turns)
        if rig and group is bending_pieces:
            bending = Bending(*rig, mesh.triangles, first)
            bodies.append(None)
        else:
            bodies.append(Body(Structure(mesh.vertices, mesh.triangles), first))
        first += len(mesh.triangles)
    ordered = [piece for group in groups for piece in group]
    whole = join([p.mesh for p in ordered])
    material = np.concatenate([[0], *(p.rows[p.mesh.part] for p in ordered)])[1:]
    part = np.concatenate([[0], *(p.mesh.part + p.first_part for p in ordered)])[1:]
    corners = _packed_corners(whole, material, part)
    geometry = Geometry(
        corners, material.astype(np.int32), part.astype(np.int32), NO_EDGES, NO_SHAPES,
        _at_corners(whole.more_uvs, whole.triangles), _at_corners(whole.colours, whole.triangles),
    )  # fmt: skip
    owner = np.concatenate(body_of) if body_of else np.zeros(0, np.int32)
    return Standing(bodies, turns, bending, geometry, owner, whole.vertices, whole.triangles, whole.inner_bits,
                    bool((whole.colours[:, 3] < 1).any()))  # fmt: skip


def bend(bending: Bending, shutter_s: F64, around_s: tuple[float, ...]) -> tuple[Body, Shapes]:
    """The body that bends at times (k,) of its animation while the shutter is open.

    around_s: times of this frame, the next and the one before for motion vectors; () where they are not recorded.
    """
    triangles, count = bending.triangles, len(bending.triangles)
    poses = {t: bending.at(t) for t in {*shutter_s.tolist(), *around_s}}  # this frame is often one of the shutter's
    steps = [poses[t] for t in shutter_s.tolist()]
    corners = np.empty((len(steps), count, 18), np.float32)
    for row, (vertices, normals) in zip(corners, steps, strict=True):
        row[:, :9], row[:, 9:] = vertices[triangles].reshape(-1, 9), normals[triangles].reshape(-1, 9)
    places = np.zeros((3, count if around_s else 0, 9), np.float32)
    for k, t in enumerate(around_s):
        places[k] = poses[t][0][triangles].reshape(-1, 9)
    structure = Structure(np.stack([vertices for vertices, _ in steps]), triangles)
    return Body(structure, bending.first), Shapes(bending.first, corners, places)


def _at_corners(values: F32, triangles: I32) -> F32:
    """Values of vertices (v, k) at the corners of triangles (t, 3·k); (0, 3·k) where there are none."""
    if not len(values):
        return np.zeros((0, 3 * values.shape[1]), np.float32)
    return np.ascontiguousarray(values[triangles].reshape(len(triangles), -1))


def _packed_corners(mesh: Mesh, material: np.ndarray, part: np.ndarray) -> np.ndarray:
    corners = aligned(32 * len(mesh.triangles), 128).reshape(-1, 32)
    pack_corners(mesh.vertices, mesh.normals, mesh.uvs, mesh.triangles, material, part, corners)
    return corners
