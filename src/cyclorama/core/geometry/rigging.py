"""From what a file says about its parts to the rig of the mesh that came out of their repair."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .mesh import face_normals, unit_rows
from .normals import weld
from .read import Binding
from .rig import Rig, Shape, bound_normals
from .skeleton import Skeleton

STILL = 1e-7
"""A shape leaves vertices out that it moves by less than this share of its greatest movement."""


@dataclass(frozen=True, slots=True)
class Hung:
    """A part that hangs on the skeleton, after its repair."""

    binding: Binding
    source: NDArray[np.intp]
    """(v,) which vertex of the file's part each was"""
    normals: NDArray[np.float32]
    """(v, 3) as it stands at rest"""
    triangles: NDArray[np.int32]
    """(t, 3) of these vertices"""


def build_rig(skeleton: Skeleton, parts: list[Hung]) -> Rig:
    """The rig of parts laid end to end."""
    bones, rest = skeleton.at(())
    width = max(p.binding.bone.shape[1] for p in parts)
    points, normals, bone, weight = [], [], [], []
    shapes: list[list[Shape]] = [[] for _ in rest]
    first = 0
    for part in parts:
        binding, at = part.binding, part.source
        room = (0, 0), (0, width - binding.bone.shape[1])
        p, b, w = binding.points[at], np.pad(binding.bone[at], room), np.pad(binding.weight[at], room)
        n = bound_normals(part.normals, b, w, bones)
        for number, move, lean in binding.shapes:
            moved = move[at]
            leant = lean[at] if lean is not None else _leaning(p, moved, part.triangles)
            n = (n - np.float32(rest[number]) * leant).astype(np.float32)
            size = np.abs(moved).max(axis=1)
            which = np.flatnonzero(size > STILL * size.max(initial=0.0))
            shapes[number].append(Shape((which + first).astype(np.int32), moved[which], leant[which]))
        points.append(p)
        normals.append(n)
        bone.append(b)
        weight.append(w)
        first += len(at)
    return Rig(
        skeleton, np.concatenate(points), np.concatenate(normals), np.concatenate(bone).astype(np.int32),
        np.concatenate(weight).astype(np.float32), tuple(_joined(pieces) for pieces in shapes),
    )  # fmt: skip


def _joined(pieces: list[Shape]) -> Shape:
    if not pieces:
        none = np.zeros((0, 3), np.float32)
        return Shape(np.zeros(0, np.int32), none, none)
    return Shape(*(np.concatenate([getattr(p, name) for p in pieces]) for name in Shape.__slots__))


def _leaning(
    points: NDArray[np.float32], move: NDArray[np.float32], triangles: NDArray[np.int32]
) -> NDArray[np.float32]:
    """How smooth normals change (v, 3) with a movement whose file does not say so."""
    position, count = weld(points)
    before, after = (_smooth(p, position, count, triangles) for p in (points, points + move))
    return np.asarray(after - before, np.float32)


def _smooth(points: NDArray[np.float32], position: NDArray[np.integer], count: int,
            triangles: NDArray[np.int32]) -> NDArray[np.float32]:  # fmt: skip
    flat = face_normals(points, triangles)
    total = np.zeros((count, 3))
    for corner in range(3):
        np.add.at(total, position[triangles[:, corner]], flat)
    return unit_rows(total)[position]
