"""Parts of a file under the matrices of its nodes."""

import numpy as np
from numpy.typing import NDArray

from ..mesh import swapped_bits
from ..rig import bend
from .model import Creases, ModelPart


def reverse(part: ModelPart) -> None:
    """Turn a part inside out."""
    part.triangles = part.triangles[:, ::-1]
    part.inner = None if part.inner is None else swapped_bits(part.inner)


def place(part: ModelPart, matrices: NDArray[np.float64]) -> None:
    """Lay a part out under matrices (n, 4, 4), one instance after the other."""
    v, n, t, inner = part.vertices, part.normals, part.triangles, part.inner
    mirrored = np.linalg.det(matrices[:, :3, :3]) < 0
    part.copies *= len(matrices)
    if part.creases is not None:
        edges = [part.creases.edges + i * len(v) for i in range(len(matrices))]
        part.creases = Creases(np.concatenate(edges), np.tile(part.creases.sharpness, len(matrices)))
    part.vertices = np.concatenate([v @ m[:3, :3].T + m[:3, 3] for m in matrices])
    if len(matrices) > 1 or mirrored[0]:
        part.triangles = np.concatenate(
            [(t[:, ::-1] if turned else t) + i * len(v) for i, turned in enumerate(mirrored)]
        )
        if inner is not None:
            swapped = swapped_bits(inner)
            part.inner = np.concatenate([swapped if turned else inner for turned in mirrored])
    if n is not None:
        part.normals = np.concatenate([(n @ np.linalg.pinv(m[:3, :3])).astype(np.float32) for m in matrices])
    for field in ("uvs", "more_uvs", "colours"):
        values = getattr(part, field)
        if values is not None and len(matrices) > 1:
            setattr(part, field, np.tile(values, (len(matrices), 1)))


def hang(part: ModelPart, matrices: NDArray[np.float64], weights: NDArray[np.float64]) -> None:
    """Bring a part that is bound to a skeleton to where that stands: matrices of its bones (b, 4, 4), weights of its
    shapes (s,)."""
    binding = part.binding
    assert binding is not None
    at_rest = binding.points.copy()
    for shape, move, _ in binding.shapes:
        at_rest += np.float32(weights[shape]) * move
    upright = np.tile(np.array([0, 1, 0], np.float32), (len(at_rest), 1)) if part.normals is None else part.normals
    vertices, leant = bend(at_rest, upright, binding.bone, binding.weight, matrices)
    if len(part.triangles) and np.linalg.det(matrices[binding.bone[0, 0], :3, :3]) < 0:
        reverse(part)
    part.vertices = vertices.astype(np.float64)
    part.normals = None if part.normals is None else leant
