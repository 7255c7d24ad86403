"""Checks of a model before anything is done with it."""

import numpy as np
from numpy.typing import NDArray

from ..errors import IntakeError
from ..scene.writing import revise
from ..words import count
from .mesh import together, used_by
from .read import FileModel, ModelPart
from .read.model import inner_edges

MAX_TRIANGLES = 20_000_000
MAX_PARTS = 2000
"""Pieces beyond this are joined where they have the same material: nobody dresses more of them one by one."""
LEAST_SIZE, FARTHEST = 1e-9, 1e12
"""Units of the file."""
FAR = 100.0
"""A model that stands farther from its origin than so many times its size is brought there: single precision would
make steps of a hundredth of a millimetre on a metre otherwise."""


def check(name: str, model: FileModel) -> None:
    """Drop empty parts, join too many of them, bring a far model to its origin.

    Raises IntakeError when there is nothing to see, too much of it, or positions that are none.
    """
    model.parts = [p for p in model.parts if len(p.triangles)]
    total = sum(len(p.triangles) for p in model.parts)
    if total > MAX_TRIANGLES:
        raise IntakeError(
            f"‘{name}’ has {count(total, 'triangle')}; at most {MAX_TRIANGLES // 1_000_000} million can be used. "
            f"Reduce it and export again."
        )
    for part in model.parts:
        _check_part(name, part)
    if len(model.parts) > MAX_PARTS and model.skeleton is None:
        _join_by_material(model)
    _bring_near(name, model)


def _check_part(name: str, part: ModelPart) -> None:
    v, triangles = part.vertices, part.triangles
    if v.shape[1:] != (3,):
        raise IntakeError(f"‘{name}’ has vertices that are no points in space; it is damaged. Export it again.")
    if triangles.min() < 0 or triangles.max() >= len(v):
        raise IntakeError(f"‘{name}’ refers to vertices that are not there; it is damaged. Export it again.")
    if not np.abs(v).max() <= FARTHEST:  # NaN too
        used = used_by(triangles, len(v))
        broken = ~np.isfinite(v).all(axis=1)
        if (broken & used).any():
            many = count(int((broken & used).sum()), "vertex", "vertices")
            raise IntakeError(
                f"‘{part.name}’ in ‘{name}’ has {many} without a position (not a number). Repair the mesh and "
                f"export it again."
            )
        if np.abs(v[used]).max() > FARTHEST:
            raise IntakeError(f"‘{part.name}’ in ‘{name}’ is immensely far from its origin. Repair it first.")
        part.vertices = np.where(used[:, None], v, v[triangles[0, 0]])


def _bring_near(name: str, model: FileModel) -> None:
    """Subtract the place of a model that stands far from its origin, before anything is rounded."""
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    for part in model.parts:
        # unused vertices may lie anywhere
        seen = part.vertices[used_by(part.triangles, len(part.vertices))]
        low, high = np.minimum(low, seen.min(axis=0)), np.maximum(high, seen.max(axis=0))
    middle, size = (low.astype(np.float64) + high) / 2, float((high - low).max(initial=0.0))
    if model.parts and not LEAST_SIZE <= size <= FARTHEST:
        raise IntakeError(
            f"‘{name}’ is {size:.3g} units across: nothing the studio could show. Scale it and try again."
        )
    if not np.abs(middle).max(initial=0.0) > FAR * size:
        return
    for part in model.parts:
        part.vertices = part.vertices.astype(np.float64) - middle
    if model.skeleton is not None:
        model.skeleton = model.skeleton.moved(-middle)
    model.cameras = [revise(c, at=tuple(np.array(c.at) - middle)) for c in model.cameras]
    model.lights = [revise(x, at=tuple(np.array(x.at) - middle)) for x in model.lights]
    place = ", ".join(f"{x:.6g}" for x in middle)
    model.notes.append(f"It stood far from its origin, at {place}; its middle is the origin now.")


def _join_by_material(model: FileModel) -> None:
    groups: dict[int, list[ModelPart]] = {}
    for part in model.parts:
        groups.setdefault(part.material, []).append(part)
    before = count(len(model.parts), "piece")
    model.parts = [
        parts[0] if len(parts) == 1 else join_parts(_material_name(model, parts[0]), parts) for parts in groups.values()
    ]
    model.notes.append(f"{before} are too many to handle one by one; those of the same material were joined.")


def _material_name(model: FileModel, part: ModelPart) -> str:
    known = 0 <= part.material < len(model.materials)
    return model.materials[part.material].name if known else "Plain"


def join_parts(name: str, parts: list[ModelPart]) -> ModelPart:
    """Parts of one material, without a skeleton, as one."""
    sizes = [len(p.vertices) for p in parts]
    first = np.cumsum(sizes) - sizes

    def whole(field: str, width: int, default: float) -> NDArray[np.float32] | None:
        values = together([getattr(p, field) for p in parts], sizes, width, default)
        return values if len(values) else None

    inner = inner_edges(parts)
    return ModelPart(
        name,
        np.concatenate([p.vertices for p in parts]),
        np.concatenate([p.triangles + f for p, f in zip(parts, first, strict=True)]),
        whole("normals", 3, np.nan),
        whole("uvs", 2, 0.0),
        parts[0].material,
        more_uvs=whole("more_uvs", 2, 0.0),
        colours=whole("colours", 4, 1.0),
        inner=inner if len(inner) else None,
    )
