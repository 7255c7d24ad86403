"""Skeleton: nodes under nodes, shapes, and animations that drive them.

Follows glTF 2.0 (ISO/IEC 12113:2022), sections 3.7.3 (skins), 3.7.2.2 (morph targets), 3.11 and appendix C
(animations and their interpolation).
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

F64 = NDArray[np.float64]
I32 = NDArray[np.int32]
MOVE, TURN, SCALE, SHAPES = 0, 1, 2, 3
"""What a track drives: a node's translation, rotation (quaternion x y z w), scale, or a run of shape weights."""
STEP, LINEAR, CUBIC = 0, 1, 2
"""How a track goes from key to key."""
SAME = 1e-7
"""Keys that differ less stand still: exporters write one for every node."""
AnimationState = tuple[tuple[int, float, float], ...]
"""What a model does: number of an animation, where that stands in seconds, and its share; all shares add up to 1. None:
it is at rest."""
WIDTH = {MOVE: 3, TURN: 4, SCALE: 3}


@dataclass(frozen=True, slots=True)
class Track:
    """Keys of one thing that an animation drives."""

    kind: int
    target: int
    """node, or the first of the shapes"""
    mode: int
    times_s: F64
    """(k,) growing"""
    values: F64
    """(k, width), or (k, 3, width) in-tangent, value, out-tangent for CUBIC"""

    def at(self, seconds: float) -> F64:
        """The value (width,); before the first and after the last key it stands."""
        t, v = self.times_s, self.values
        key = v[:, 1] if self.mode == CUBIC else v
        i = int(np.searchsorted(t, seconds, side="right")) - 1
        if i < 0 or i >= len(t) - 1:
            return np.asarray(key[max(i, 0)])
        if self.mode == STEP:
            return np.asarray(key[i])
        span = t[i + 1] - t[i]
        f = (seconds - t[i]) / span
        if self.mode == CUBIC:
            return _hermite(key[i], span * v[i, 2], key[i + 1], span * v[i + 1, 0], f)
        return slerp(key[i], key[i + 1], f) if self.kind == TURN else key[i] + f * (key[i + 1] - key[i])

    def leaves(self, rest: F64) -> NDArray[np.bool_]:
        """Which of its numbers (width,) are ever other than at rest."""
        keys, tangents = (self.values[:, 1], self.values[:, ::2]) if self.mode == CUBIC else (self.values, None)
        away = np.abs(keys - rest).max(axis=0) > SAME
        return np.asarray(away if tangents is None else away | (np.abs(tangents).max(axis=(0, 1)) > SAME))


def _hermite(a: F64, leaving: F64, b: F64, arriving: F64, f: float) -> F64:
    f2, f3 = f * f, f * f * f
    return np.asarray(
        (2 * f3 - 3 * f2 + 1) * a + (f3 - 2 * f2 + f) * leaving + (3 * f2 - 2 * f3) * b + (f3 - f2) * arriving
    )


def slerp(a: F64, b: F64, f: float) -> F64:
    """From quaternion a to b (4,) the short way round (Shoemake, "Animating Rotation with Quaternion Curves", 1985)."""
    cosine = float(a @ b)
    if cosine < 0:
        b, cosine = -b, -cosine
    if cosine > 0.9999:
        return np.asarray(a + f * (b - a))
    angle = np.arccos(min(cosine, 1.0))
    return np.asarray((np.sin((1 - f) * angle) * a + np.sin(f * angle) * b) / np.sin(angle))


@dataclass(frozen=True, slots=True)
class Skeleton:
    """Nodes with their parents before them, the bones that vertices hang on, and what drives them."""

    parent: I32
    """(n,) −1: stands in the file's space"""
    base: F64
    """(n, 4, 4) what comes before a node's own movement, its scale and so on"""
    move: F64
    """(n, 3) at rest"""
    turn: F64
    """(n, 4) at rest, quaternion x y z w"""
    scale: F64
    """(n, 3) at rest"""
    bone_node: I32
    """(b,)"""
    bone_inverse: F64
    """(b, 4, 4) from the space that vertices are bound in to the bone's"""
    shapes: F64
    """(s,) weights at rest"""
    animations: tuple[tuple[Track, ...], ...] = ()

    def at(self, acting: AnimationState) -> tuple[F64, F64]:
        """Bones (b, 4, 4), bound space → file space, and shape weights (s,).

        Between animations nodes go straight and turn the short way, each by itself.
        """
        move, turn, scale, shapes = self._driven(*acting[0][:2]) if acting else self._resting()
        so_far = acting[0][2] if acting else 1.0
        for number, seconds, share in acting[1:]:
            so_far += share
            part = share / so_far if so_far > 0 else 0.0
            one = self._driven(number, seconds)
            turn = np.array([slerp(a, b, part) for a, b in zip(turn, one[1], strict=True)]).reshape(-1, 4)
            move, scale, shapes = (a + part * (b - a) for a, b in ((move, one[0]), (scale, one[2]), (shapes, one[3])))
        local = self.base @ local_matrices(move, turn, scale)
        world = np.empty_like(local)
        for i, parent in enumerate(self.parent):
            world[i] = local[i] if parent < 0 else world[parent] @ local[i]
        return np.asarray(world[self.bone_node] @ self.bone_inverse), shapes

    def _resting(self) -> tuple[F64, F64, F64, F64]:
        return self.move.copy(), self.turn.copy(), self.scale.copy(), self.shapes.copy()

    def _driven(self, animation: int, seconds: float) -> tuple[F64, F64, F64, F64]:
        """Moves, turns and scales of nodes and weights of shapes at a time of an animation."""
        found = self._resting()
        for track in self.animations[animation]:
            value = track.at(seconds)
            if track.kind == SHAPES:
                found[SHAPES][track.target : track.target + len(value)] = value
            else:
                found[track.kind][track.target] = value
        return found

    def moved(self, by: F64) -> "Skeleton":
        """The same, standing elsewhere (3,): under one more node, which nothing drives."""
        base = np.eye(4)
        base[:3, 3] = by
        counted = tuple(
            tuple(t if t.kind == SHAPES else replace(t, target=t.target + 1) for t in a) for a in self.animations
        )
        return Skeleton(
            np.concatenate([[-1], self.parent + 1]).astype(np.int32),
            np.concatenate([base[None], self.base]),
            np.concatenate([np.zeros((1, 3)), self.move]),
            np.concatenate([[[0.0, 0.0, 0.0, 1.0]], self.turn]),
            np.concatenate([np.ones((1, 3)), self.scale]),
            self.bone_node + np.int32(1),
            self.bone_inverse,
            self.shapes,
            counted,
        )

    def moving(self, animation: int) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
        """Which nodes (n,) and shapes (s,) an animation takes from their rest."""
        nodes, shapes = np.zeros(len(self.parent), bool), np.zeros(len(self.shapes), bool)
        for track in self.animations[animation]:
            if track.kind == SHAPES:
                run = slice(track.target, track.target + track.values.shape[-1])
                shapes[run] |= track.leaves(self.shapes[run])
            else:
                rest = (self.move, self.turn, self.scale)[track.kind][track.target]
                nodes[track.target] |= bool(track.leaves(rest).any())
        for i, parent in enumerate(self.parent):
            nodes[i] |= parent >= 0 and nodes[parent]
        return nodes, shapes

    def length_s(self, animation: int) -> float:
        """When the last key of an animation stands."""
        return max((float(t.times_s[-1]) for t in self.animations[animation]), default=0.0)


def local_matrices(move: F64, turn: F64, scale: F64) -> F64:
    """Translation · rotation · scale (n, 4, 4); a quaternion without length is no rotation (3.5.3)."""
    length = np.linalg.norm(turn, axis=1, keepdims=True)
    x, y, z, w = np.where(length > 1e-12, turn / np.maximum(length, 1e-12), [0.0, 0.0, 0.0, 1.0]).T
    m = np.zeros((len(turn), 4, 4))
    rotation = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    m[:, :3, :3] = rotation.transpose(2, 0, 1) * scale[:, None, :]
    m[:, :3, 3] = move
    m[:, 3, 3] = 1.0
    return m
