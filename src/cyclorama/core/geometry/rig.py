"""The vertices of a mesh on a skeleton: where they are at any time."""

import io
import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..kernel import kernel
from .measure import convex_corners, outermost_points
from .mesh import unit_rows
from .skeleton import CUBIC, AnimationState, Skeleton, Track

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]
I32 = NDArray[np.int32]
MOST_POSES = 60
MOST_POSITIONS = 20_000_000
POSES_A_SECOND = 12
"""At so many times an animation is looked at for the room that it takes."""
FARTHEST = 1e9
"""No vertex goes farther, whatever its keys say."""
_STEP_DEG = 6.0
"""How far a bone may turn between two poses that are joined by straight lines: 0.14 % of the radius off the arc."""
MOST_STEPS = 17
PROBES = 9
"""Poses by which a movement is looked at."""


@dataclass(frozen=True, slots=True)
class Shape:
    """Displacements of some vertices by a shape of weight 1."""

    vertex: I32
    """(k,) each at most once"""
    move: F32
    """(k, 3) in the space that vertices are bound in"""
    lean: F32
    """(k, 3) change of the normal"""


@dataclass(frozen=True, slots=True)
class Rig:
    """A skeleton with the vertices of a mesh, which stand in its order."""

    skeleton: Skeleton
    points: F32
    """(v, 3) as bound"""
    normals: F32
    """(v, 3) as bound, unit"""
    bone: I32
    """(v, w)"""
    weight: F32
    """(v, w), each row adds up to 1"""
    shapes: tuple[Shape, ...] = ()

    def at(self, acting: AnimationState) -> tuple[F32, F32]:
        """Vertices and unit normals (v, 3) in the file's space."""
        bones, weights = self.skeleton.at(acting)
        points, normals = self.points, self.normals
        if weights.any():
            points, normals = points.copy(), normals.copy()
            for shape, w in zip(self.shapes, weights.astype(np.float32), strict=True):
                if w:
                    points[shape.vertex] += w * shape.move
                    normals[shape.vertex] += w * shape.lean
        return bend(points, normals, self.bone, self.weight, bones)

    def steps(self, actings: Iterable[AnimationState]) -> int:
        """Number of poses that describe a movement: one every few degrees of the fastest bone.

        An odd number, so that there is one in the middle; one if nothing moves.
        """
        passed = list(dict.fromkeys(actings))
        if len(passed) < 2:
            return 1
        turned = np.zeros(len(self.skeleton.bone_node))
        before = None
        for acting in passed:
            bones, _ = self.skeleton.at(acting)
            axes = bones[:, :3, :3] / np.maximum(np.linalg.norm(bones[:, :3, :3], axis=1, keepdims=True), 1e-12)
            if before is not None:
                cosine = (np.einsum("bij,bij->b", axes, before) - 1) / 2
                turned += np.degrees(np.arccos(np.clip(cosine, -1, 1)))
            before = axes
        return int(min(3 + 2 * (turned.max(initial=0.0) // (2 * _STEP_DEG)), MOST_STEPS))

    def moving(self, animations: Iterable[int]) -> NDArray[np.bool_]:
        """Which vertices (v,) some animations take from where they rest."""
        each = [self.skeleton.moving(number) for number in animations]
        nodes, shapes = (np.any(found, axis=0) for found in zip(*each, strict=True))
        moving = np.any(nodes[self.skeleton.bone_node][self.bone] & (self.weight > 0), axis=1)
        for number in np.flatnonzero(shapes):
            moving[self.shapes[number].vertex] = True
        return np.asarray(moving)

    def room(self, animation: int) -> F64:
        """Corners (k, 3) of the convex hull of everywhere an animation takes the vertices, in the file's space."""
        length = self.skeleton.length_s(animation)
        most = min(MOST_POSES, max(2, MOST_POSITIONS // max(len(self.points), 1)))
        count = int(min(max(length * POSES_A_SECOND, 2), most))
        poses = (self.at(((animation, float(t), 1.0),))[0] for t in np.linspace(0, length, count))
        return convex_corners(np.concatenate([outermost_points(pose.astype(float)) for pose in poses]))

    def to_bytes(self) -> bytes:
        """One self-contained file (NumPy npz): tracks and shapes lie end to end, with a table of what is where."""
        s, shapes = self.skeleton, self.shapes
        tracks = [(i, track) for i, animation in enumerate(s.animations) for track in animation]
        parts: dict[str, Any] = {n: getattr(self, n) for n in _PLAIN} | {n: getattr(s, n) for n in _PLAIN_SKELETON}
        parts["animations"] = np.array(len(s.animations))
        parts["table"] = np.array(
            [(i, t.kind, t.target, t.mode, len(t.times_s), t.values.size) for i, t in tracks], np.int64
        ).reshape(-1, 6)
        parts["keys"] = np.concatenate([np.zeros(0), *(np.append(t.times_s, t.values) for _, t in tracks)])
        parts["shape_sizes"] = np.array([len(x.vertex) for x in shapes], np.int64)
        parts["shape_vertex"] = np.concatenate([np.zeros(0, np.int32), *(x.vertex for x in shapes)])
        parts["shape_moves"] = np.concatenate(
            [np.zeros((0, 6), np.float32), *(np.hstack([x.move, x.lean]) for x in shapes)]
        )
        buffer = io.BytesIO()
        np.savez(buffer, **parts)
        return buffer.getvalue()

    @staticmethod
    def from_bytes(data: bytes) -> "Rig":
        with np.load(io.BytesIO(data), allow_pickle=False) as file:
            animations: list[list[Track]] = [[] for _ in range(int(file["animations"]))]
            keys, at = file["keys"], 0
            for i, kind, target, mode, count, size in file["table"].tolist():
                times, values = keys[at : at + count], keys[at + count : at + count + size]
                layout = (count, 3, -1) if mode == CUBIC else (count, -1)
                animations[i].append(Track(kind, target, mode, times, values.reshape(layout)))
                at += count + size
            ends = np.cumsum(file["shape_sizes"])[:-1]
            moves = np.split(file["shape_moves"], ends) if len(file["shape_sizes"]) else []
            shapes = tuple(
                Shape(vertex, np.ascontiguousarray(m[:, :3]), np.ascontiguousarray(m[:, 3:]))
                for vertex, m in zip(np.split(file["shape_vertex"], ends), moves, strict=False)
            )
            skeleton = Skeleton(**{n: file[n] for n in _PLAIN_SKELETON}, animations=tuple(map(tuple, animations)))
            return Rig(skeleton, **{n: file[n] for n in _PLAIN}, shapes=shapes)


_PLAIN = ("points", "normals", "bone", "weight")
_PLAIN_SKELETON = ("parent", "base", "move", "turn", "scale", "bone_node", "bone_inverse", "shapes")


def bend(points: F32, normals: F32, bone: I32, weight: F32, bones: F64) -> tuple[F32, F32]:
    """Points and unit normals (v, 3) under the weighted sum of their bones (b, 4, 4): linear blend skinning.

    Normals go by the cofactors of the sum, which is its inverse transpose but for a factor and needs no inverse.
    """
    moved, leant = np.empty_like(points), np.empty_like(normals)
    rows = np.ascontiguousarray(bones[:, :3].reshape(len(bones), 12))
    _bend(points, normals, bone, weight, rows, np.empty(12), np.empty(3), moved, leant)
    return moved, leant


def bound_normals(normals: F32, bone: I32, weight: F32, bones: F64) -> F32:
    """Unit normals (v, 3) as bound, for normals as they stand under these bones: the way back from `bend`."""
    linear = np.einsum("vw,vwij->vij", weight.astype(np.float64), bones[bone][:, :, :3, :3])
    side = np.where(np.linalg.det(linear) < 0, -1.0, 1.0)
    return unit_rows(np.einsum("vji,vj->vi", linear, normals) * side[:, None])


@kernel
def _bend(points, normals, bone, weight, bones, m, lean, moved, leant):  # type: ignore[no-untyped-def]
    for v in range(points.shape[0]):
        for c in range(12):
            m[c] = 0.0
        for k in range(bone.shape[1]):
            w = weight[v, k]
            if w != 0.0:
                b = bone[v, k]
                for c in range(12):
                    m[c] += w * bones[b, c]
        x, y, z = points[v, 0], points[v, 1], points[v, 2]
        for r in range(3):
            p = m[4 * r] * x + m[4 * r + 1] * y + m[4 * r + 2] * z + m[4 * r + 3]
            moved[v, r] = min(max(p, -FARTHEST), FARTHEST) if p == p else 0.0
        x, y, z = normals[v, 0], normals[v, 1], normals[v, 2]
        for r in range(3):
            i, j = 4 * ((r + 1) % 3), 4 * ((r + 2) % 3)
            lean[r] = (
                (m[i + 1] * m[j + 2] - m[i + 2] * m[j + 1]) * x
                + (m[i + 2] * m[j] - m[i] * m[j + 2]) * y
                + (m[i] * m[j + 1] - m[i + 1] * m[j]) * z
            )
        length = math.sqrt(lean[0] * lean[0] + lean[1] * lean[1] + lean[2] * lean[2])
        for r in range(3):
            leant[v, r] = lean[r] / length if 0.0 < length < math.inf else (1.0 if r == 1 else 0.0)
