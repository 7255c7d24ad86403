"""Position of the subject in formats that are cut from the picture."""

import numpy as np
from numpy.typing import NDArray

from ..motion.curve import number_over
from ..scene import Project
from ..scene.delivery import COMMON_FORMATS, Format
from .travel import SubjectTravel

F64 = NDArray[np.float64]


def cut_of(kind: Format, width: int, height: int) -> tuple[float, float]:
    """Width and height of a format as shares of a picture of width × height px: as large as fits."""
    ratio = kind.wide / kind.high * height / width
    return min(1.0, ratio), min(1.0, 1.0 / ratio)


def crops(project: Project) -> dict[str, tuple[float, float]]:
    """Width and height of every common format, and of those of the open shot, as shares of its picture, by name."""
    shot = project.shot
    pairs = [tuple(map(int, name.split(":"))) for name in COMMON_FORMATS]
    common = [Format(id=f"{wide}x{high}", wide=wide, high=high) for wide, high in pairs]
    return {kind.name: cut_of(kind, shot.shoot.width, shot.shoot.height) for kind in (*common, *shot.formats)}


def format_margins(project: Project, travel: SubjectTravel, frames: F64) -> dict[str, F64]:
    """Smallest distance (n,) of the subject to the edge of each format of the open shot, by its id, as a share of the
    format's size along that axis; negative where it is cut off. frames: (n,) counted from the first."""
    shot = project.shot
    found = {}
    for kind in shot.formats:
        half = np.array(cut_of(kind, shot.shoot.width, shot.shoot.height))
        middle = places_in(project, kind, frames) * (1.0 - half)
        room = np.concatenate([travel.low - (middle - half), middle + half - travel.high], axis=1)
        found[kind.id] = (room / np.tile(2 * half, 2)).min(axis=1)
    return found


def best_place(project: Project, kind: Format, travel: SubjectTravel) -> tuple[float, float]:
    """Across and up of a format at which the subject's tightest margin over the move is greatest."""
    half = np.array(cut_of(kind, project.shot.shoot.width, project.shot.shoot.height))
    free = 1.0 - half
    middle = (travel.low.min(axis=0) + travel.high.max(axis=0)) / 2.0
    across, up = (float(np.clip(m / f, -1.0, 1.0)) if f > 1e-9 else 0.0 for m, f in zip(middle, free, strict=True))
    return across, up


def places_in(project: Project, kind: Format, frames: F64) -> F64:
    """Across and up (n, 2) of a format in frames counted from the first, as keyed."""
    shot = project.shot
    at = f"shots/{shot.id}/formats/{kind.id}"
    columns = [number_over(shot, f"{at}/{name}", getattr(kind, name), frames) for name in ("across", "up")]
    return np.stack(columns, axis=1)
