"""Checks a take's frames as they are finished, and keeps what was found."""

import hashlib
from collections.abc import Callable, Iterator
from itertools import pairwise

import numpy as np

from ...core.errors import ShootError
from ...core.framing import format_margins
from ...core.motion import loops, moment, moves_nothing
from ...core.picture.finishing import Finishing
from ...core.review import review
from ...core.sequence.checks import Checked, FrameLook, check_sequence, look_at
from ...core.sequence.paint import Paints, is_paint
from ...store import Studio, TakeRecord
from ...store.takes import MASTER
from ..frames.files import read_whole
from ..frames.pass_files import mask_of
from .masters import Masters, finish_frame, state_of, sums_of, why_not_gradable

PAINTED = 8
"""In so many frames, spread over the take, paint is looked at."""


def source_of(take: TakeRecord, finishing: Finishing, studio: Studio) -> str:
    """A fingerprint of the frames and of how they are finished: while it is the same, so is what checks find."""
    return hashlib.sha256(f"{state_of(finishing, studio)} {sums_of(take)}".encode()).hexdigest()


def check_take(studio: Studio, take: TakeRecord, tell: Callable[[float], None] = lambda share: None) -> Checked:
    """Look at all frames of a take and keep what was found. `tell` hears which share is done."""
    finishing = studio.screening.finish(take).finishing
    unreadable: dict[int, str] = {}
    s, shot = take.project.shot.shoot, take.project.shot
    closes = not moves_nothing(shot) and loops(take.project, shot) and take.moments == shot.frames
    paints = Paints()
    checked = check_sequence(
        _looks(studio, take, finishing, unreadable, paints, tell),
        take.numbers,
        (s.width, s.height),
        closes,
        unreadable,
        [n for n in take.numbers if n not in take.frames],
        _alike(take),
        _cut(studio, take),
        lambda: paints.findings(list(take.numbers)),
    )
    studio.screening.keep_checked(take.id, source_of(take, finishing, studio), checked.model_dump_json())
    return checked


def _looks(
    studio: Studio,
    take: TakeRecord,
    finishing: Finishing,
    unreadable: dict[int, str],
    paints: Paints,
    tell: Callable[[float], None],
) -> Iterator[FrameLook]:
    masters, numbers = Masters(studio, 0), [n for n in take.numbers if n in take.frames]
    gradable = why_not_gradable(take) is None
    painted = (
        set(numbers[:: -(-len(numbers) // PAINTED)]) if "materials" in take.project.shot.shoot.passes.wanted else ()
    )
    for i, n in enumerate(numbers):
        tell(i / len(numbers))
        try:
            for name in take.frames[n].files.keys() - {MASTER}:  # passes, too; the master is read anyway
                read_whole(take, n, name)
            display = finish_frame(take, n, finishing, masters, studio.assets.get)
            master = masters.get(take, n) if gradable else None
            light, broken = (None, 0) if master is None else (master.floats[0], master.broken)
            display = np.ascontiguousarray(display[..., :3])
            for material in moment(take.project, n).materials if n in painted else ():
                if is_paint(material):
                    paints.add(material, display, mask_of(take, "materials", material.name, n))
            yield look_at(n, display, light, broken)
        except ShootError as error:
            unreadable[n] = error.sentence


def _alike(take: TakeRecord) -> set[tuple[int, int]]:
    """Neighbours that are meant to show the same: their keys are equal."""
    keys = {n: frame.key for n, frame in take.frames.items()}
    return {(a, b) for a, b in pairwise(take.numbers) if keys.get(a) is not None and keys.get(a) == keys.get(b)}


def _cut(studio: Studio, take: TakeRecord) -> dict[str, list[int]]:
    """Frames in which the subject leaves the picture, or one of the formats that are cut from it."""
    project = take.project
    found = review(project, studio.measures_if_whole(project.subject))
    if found.margins is None or found.travel is None:
        return {}
    view = found.margins.view
    names = {kind.id: f"the format {kind.name}" for kind in project.shot.formats}
    each = {"the picture": found.margins.per_frame}
    for identity, margins in format_margins(project, found.travel, found.poses.frames).items():
        each[names[identity]] = margins
    cut = {name: [n for n in view.every(margins < 0) if n in take.numbers] for name, margins in each.items()}
    return {name: numbers for name, numbers in cut.items() if numbers}
