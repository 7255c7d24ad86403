"""From what a file says about its parts to the rig of the mesh that came out of their repair."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .mesh import face_normals, unit_rows
from .normals import weld
from .read import Binding
from .rig import Rig, Shape, bound_normals
from .rows import distinct_rows
from .skeleton import Skeleton

ALIKE = 1000.0
"""Normals that differ by less than its inverse are one."""
STILL = 1e-7
"""A shape leaves vertices out that it moves by less than this share of its greatest movement, and does not lean."""


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
        leaning = _Leaning(p, part.normals, part.triangles)
        for number, move, lean in binding.shapes:
            moved = move[at]
            leant = lean[at] if lean is not None else leaning.by(moved)
            n = (n - np.float32(rest[number]) * leant).astype(np.float32)
            size = np.abs(moved).max(axis=1)
            which = np.flatnonzero((size > STILL * size.max(initial=0.0)) | (np.abs(leant).max(axis=1) > 1.0 / ALIKE))
            shapes[number].append(Shape((which + first).astype(np.int32), moved[which], leant[which]))
        points.append(p)
        normals.append(n)
        bone.append(b)
        weight.append(w)
        first += len(at)
    return Rig(
        skeleton,
        np.concatenate(points),
        np.concatenate(normals),
        np.concatenate(bone).astype(np.int32),
        np.concatenate(weight).astype(np.float32),
        tuple(_joined(pieces) for pieces in shapes),
    )


def _joined(pieces: list[Shape]) -> Shape:
    if not pieces:
        none = np.zeros((0, 3), np.float32)
        return Shape(np.zeros(0, np.int32), none, none)
    return Shape(*(np.concatenate([getattr(p, name) for p in pieces]) for name in Shape.__slots__))


class _Leaning:
    """Change of normals (v, 3) of points (v, 3) by movements whose file does not give it.

    Faces count together at vertices that stand in one place and lean alike: edges that are hard stay hard.
    """

    def __init__(self, points: NDArray[np.float32], normals: NDArray[np.float32], triangles: NDArray[np.int32]):
        self._points, self._normals, self._triangles = points, normals, triangles
        self._before: NDArray[np.float32] | None = None

    def by(self, move: NDArray[np.float32]) -> NDArray[np.float32]:
        """Changes (v, 3) of unit normals after a movement (v, 3)."""
        if self._before is None:
            lean = np.round(self._normals * ALIKE).astype(np.int32)
            rows = np.column_stack([weld(self._points)[0].astype(np.int32), lean])
            self._at, self._count = distinct_rows(rows)
            self._before = self._smooth(self._points)
        return np.asarray(self._smooth(self._points + move) - self._before, np.float32)

    def _smooth(self, points: NDArray[np.float32]) -> NDArray[np.float32]:
        flat = face_normals(points, self._triangles)
        total = np.zeros((self._count, 3))
        for axis in range(3):
            each = np.repeat(flat[:, axis], 3)
            total[:, axis] = np.bincount(self._at[self._triangles.reshape(-1)], each, self._count)
        return unit_rows(total)[self._at]
