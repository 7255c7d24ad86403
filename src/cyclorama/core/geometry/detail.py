"""Level of detail: parts left out, cages refined, triangles collapsed."""

from dataclasses import dataclass, field

import numpy as np

from ..errors import IntakeError
from ..scene import Detail
from ..words import count, number
from .lighten import reduce_mesh
from .read import Binding, FileModel, ModelPart
from .refine import refine
from .repair import Clean

FILLS_PX = 1000.0
"""How wide a picture is taken to be that a model fills when it comes in: there is no camera yet."""
HEAVY = 1_000_000
"""Triangles from which on it is offered to lighten a model."""


@dataclass(frozen=True, slots=True)
class DetailRequest:
    """Level of detail wanted of a model made from its files."""

    detail: Detail = field(default_factory=Detail)
    off: float | None = None
    """how far it may be off its source, in units of the file; None: by what would show if it filled the picture"""

    @property
    def exact(self) -> float | None:
        """Tolerance of exact surfaces, in units of the file (of STEP, which is in metres by then)."""
        if self.detail.tolerance_mm is not None:
            return self.detail.tolerance_mm / 1000
        return self.off and self.off * share_of_surfaces(self.detail)


def share_of_surfaces(detail: Detail) -> float:
    """Share of the tolerance spent on surfaces; the rest is for edge collapse afterwards."""
    return 0.5 if detail.lighten else 1.0


def usual_off(model: FileModel, detail: Detail) -> float:
    """Usual tolerance of a model that fills the picture, in units of the file."""
    low = np.min([p.vertices.min(axis=0) for p in model.parts], axis=0)
    high = np.max([p.vertices.max(axis=0) for p in model.parts], axis=0)
    return detail.error_px * float((high - low).max()) / FILLS_PX


def choose(name: str, model: FileModel, detail: Detail) -> None:
    """Number the parts and leave out those that are not wanted."""
    for i, part in enumerate(model.parts):
        part.number = i + 1
    if gone := set(detail.left_out):
        kept = [p for p in model.parts if p.number not in gone]
        if not kept:
            raise IntakeError(f"Nothing of ‘{name}’ would be left. Keep at least one part.")
        if many := len(model.parts) - len(kept):
            model.notes.append(f"{count(many, 'part')} left out, as chosen.")
        model.parts = kept


def bends(part: ModelPart) -> bool:
    """True when an animation changes a part's shape, not only its place."""
    b = part.binding
    return b is not None and bool(b.bone.shape[1] > 1 or b.shapes or np.ptp(b.bone) > 0)


def refine_cages(model: FileModel, detail: Detail, off: float) -> None:
    """Refine the parts that are cages until they are `off` their surfaces; those that bend stay as they are."""
    cages = [detail.smooth == "all" or (detail.smooth == "marked" and p.smooth) for p in model.parts]
    which = [cage and not bends(p) for cage, p in zip(cages, model.parts, strict=True)]
    if bending := sum(cages) - sum(which):
        model.notes.append(f"{count(bending, 'part')} that an animation bends cannot be refined: shown as they are.")
    if not any(which):
        return
    done = refine(model.parts, which, off * share_of_surfaces(detail))
    _hang_again(model, which)
    model.off = max(model.off, done.off)
    times = " to ".join(str(n) for n in sorted({done.levels[0], done.levels[-1]}))
    what = "Surfaces marked for subdivision are refined" if detail.smooth == "marked" else "All parts are refined"
    model.notes.append(f"{what}, {times} times; wireframes keep the cage.")


def _hang_again(model: FileModel, which: list[bool]) -> None:
    """Refined parts that go with one bone hang on it with all their new vertices."""
    if model.skeleton is None:
        return
    bones, _ = model.skeleton.at(())
    for part, refined in zip(model.parts, which, strict=True):
        if refined and part.binding is not None:
            bone = int(part.binding.bone[0, 0])
            back = np.linalg.pinv(bones[bone])
            many = len(part.vertices)
            points = (part.vertices @ back[:3, :3].T + back[:3, 3]).astype(np.float32)
            part.binding = Binding(points, np.full((many, 1), bone, np.int32), np.ones((many, 1), np.float32))


def lighten(model: FileModel, clean: Clean, off: float) -> Clean:
    """Take out what does not show; parts that bend stay as they are."""
    stays = np.array([bends(p) for p in model.parts])
    before = len(clean.mesh.triangles)
    rest = max(off - model.off, off / 10)
    mesh, vertex = reduce_mesh(clean.mesh, rest, clean.vertex_part, stays[clean.kept][clean.mesh.part])
    model.off += rest
    after = number(len(mesh.triangles))
    model.notes.append(f"Lightened from {count(before, 'triangle')} to {after}; the source is kept.")
    return Clean(mesh, clean.source[vertex], clean.vertex_part[vertex], clean.kept)
