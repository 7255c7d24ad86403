"""Another version of the model takes the place of the one on the set, or the same one made otherwise: what was done to
its parts stays."""

from collections import Counter
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from ..errors import ChangeError
from ..framing import frame_margins
from ..geometry.kept import Intake
from ..geometry.measure import Measures, gap_mm, grounded, placed_hull
from ..scene import Detail, Part, Placement, Project, Subject, put, put_all

LEAST_PIXEL = 1e-5
"""A pixel shows at least this share of the subject: a camera that touches it asks for no end of detail."""
STOOD = 1e-5
"""A subject stands when its gap to what it stands on is below this share of its size."""
LEAST_SHARE = 0.5
"""Of the new parts, so many must have the name of an old one: otherwise it is another model and nothing is kept."""


def kept_by_name(project: Project, intake: Intake) -> tuple[Intake, int]:
    """The intake of another model with what fits of the subject that it replaces, and how many parts keep what the old
    ones had.

    A part with the name of an old one keeps its id (so lights that spare it still do), its material as edited, and
    whether it is shown. Placement keeps the way it lies and turns, its centre's method, and, between files of one
    format, unit and axis. Names that stand for several parts are not matched.
    """
    old, new = project.subject, intake.subject
    if old is None:
        return intake, 0
    known = _by_unique_name(old.parts)
    matched = {part.id: known[name] for name, part in _by_unique_name(new.parts).items() if name in known}
    if not matched or len(matched) < LEAST_SHARE * len(new.parts):
        return intake, 0
    kept = _kept(project, intake, matched)
    subject = kept.subject.model_copy(update={"placement": _placement(old, new)})
    return replace(kept, subject=subject), len(matched)


def finest(project: Project, measures: Measures | None, detail: Detail) -> tuple[Subject, float]:
    """The subject, and how far it may be off its source so that no more shows than `detail` says where the camera is
    nearest, in units of its file.

    Raises ChangeError when there is no subject, or its source was not kept.
    """
    subject = project.subject
    if subject is None or measures is None:
        raise ChangeError("There is no subject yet. Bring a model in first.")
    if not subject.source:
        raise ChangeError(f"The source of ‘{subject.source_name}’ was not kept yet when it came in. Bring it in again.")
    hull = placed_hull(measures, subject.placement)
    least = float(np.ptp(hull, axis=0).max()) * LEAST_PIXEL
    return subject, detail.error_px * max(frame_margins(project, hull).pixel_m, least) / subject.placement.unit_m


def standing(after: Project, before: Project, measures_of: Callable[[Project], Measures | None]) -> Project:
    """The project `after` its subject was made anew: where it stood `before` it stands again, to the last hair."""
    then, now = measures_of(before), measures_of(after)
    if then is None or now is None or after.subject is None:
        return after
    size_m = float(np.ptp(placed_hull(then, after.subject.placement), axis=0).max())
    if abs(gap_mm(then, before)) > 1000 * size_m * STOOD:
        return after
    placement = grounded(now, after.subject.placement, after.set.stand_height_m)
    return put(after, "subject/placement", placement)


def made_again(project: Project, intake: Intake) -> Project:
    """The project with the subject made anew from its own source: everything that was done to it stays, and parts that
    come back have what the file gives them.

    Raises ChangeError when another model has come onto the set meanwhile.
    """
    old = project.subject
    if old is None or old.source != intake.subject.source:
        raise ChangeError("Another model was brought in meanwhile; this one was left as it was.")
    known = {p.number: p for p in old.parts}
    kept = _kept(project, intake, {p.id: known[p.number] for p in intake.subject.parts if p.number in known})
    play = old.play if any(a.id == old.play.animation for a in kept.subject.animations) else kept.subject.play
    subject = kept.subject.model_copy(update={"placement": old.placement, "play": play})
    return put_all(project, {"materials": kept.materials, "subject": subject})


def _kept(project: Project, intake: Intake, matched: dict[str, Part]) -> Intake:
    """The intake with ids, materials and visibility of old parts for those of its own that match them (by id)."""
    new = intake.subject
    part_ids = _ids([p.id for p in new.parts], {i: p.id for i, p in matched.items()}, "part")
    stays = {p.material for p in matched.values()}
    comes = {p.material for p in new.parts if p.id not in matched} | {m for v in new.variants for _, m in v.materials}
    material_ids = _ids([m.id for m in intake.materials if m.id in comes], {}, "material", stays)
    materials = tuple(m for m in project.materials if m.id in stays) + tuple(
        m.model_copy(update={"id": material_ids[m.id]}) for m in intake.materials if m.id in comes
    )
    parts = tuple(_dressed(p, part_ids[p.id], matched.get(p.id), material_ids) for p in new.parts)
    variants = tuple(
        v.model_copy(update={"materials": tuple((part_ids[p], material_ids[m]) for p, m in v.materials)})
        for v in new.variants
    )
    subject = new.model_copy(update={"parts": parts, "variants": variants})
    return replace(intake, subject=subject, materials=materials)


def _dressed(part: Part, identity: str, old: Part | None, material_ids: dict[str, str]) -> Part:
    """A new part with what the old one of its name had."""
    if old is None:
        return part.model_copy(update={"id": identity, "material": material_ids[part.material]})
    return part.model_copy(update={"id": identity, "material": old.material, "visible": old.visible})


def _by_unique_name(parts: tuple[Part, ...]) -> dict[str, Part]:
    taken = Counter(p.name for p in parts)
    return {p.name: p for p in parts if taken[p.name] == 1}


def _ids(wanted: list[str], given: dict[str, str], stem: str, taken: set[str] | None = None) -> dict[str, str]:
    """An id for each of those wanted: the given one, its own where that is free, or the next free number."""
    used = set(given.values()) | (taken or set())
    found = dict(given)
    number = 1
    for identity in wanted:
        if identity in found:
            continue
        new = identity
        while new in used:
            new = f"{stem}-{number}"
            number += 1
        used.add(new)
        found[identity] = new
    return found


def _placement(old: Subject, new: Subject) -> Placement:
    names = ["tip_deg", "roll_deg", "turn_deg", "centre_method"]
    if old.source_name.rsplit(".", 1)[-1].lower() == new.source_name.rsplit(".", 1)[-1].lower():
        names += ["unit_m", "up"]
    return new.placement.model_copy(update={name: getattr(old.placement, name) for name in names})
