"""Another version of the model takes the place of the one on the set, or the same one made otherwise: what was done to
its parts stays."""

from collections import Counter
from dataclasses import replace

import numpy as np

from ..errors import ChangeError
from ..framing import View, frame_margins
from ..geometry.cache_keys import Intake
from ..geometry.measure import Measures, gap_m, ground_placement, placed_hull
from ..motion import stand_height_m
from ..scene import Detail, Item, Part, Placement, Project, Variant, put
from ..scene.writing import revise
from .filling import filled_as
from .lists import with_new_ids
from .names import free_ids
from .place_model import with_item
from .placing import STOOD
from .tools import MeasuresOf

LEAST_PIXEL = 1e-5
"""A pixel shows at least this share of the subject: a camera that touches it asks for no end of detail."""
LEAST_SHARE = 0.5
"""Of the new parts, so many must have the name of an old one: otherwise it is another model and nothing is kept."""


def match_by_name(project: Project, intake: Intake) -> tuple[Intake, int]:
    """The intake of another model with what fits of the subject that it replaces, and how many parts keep what the old
    ones had.

    A part with the name of an old one keeps its id (so lights that spare it still do), its material as edited, and
    whether it is shown. Placement keeps the way it lies and turns, its centre's method, and, between files of one
    format, unit and axis. Names that stand for several parts are not matched.
    """
    old, new = project.subject, intake.item
    if old is None:
        return intake, 0
    known = _by_unique_name(old.parts)
    matched = {part.id: known[name] for name, part in _by_unique_name(new.parts).items() if name in known}
    if not matched or len(matched) < LEAST_SHARE * len(new.parts):
        return intake, 0
    kept = _kept(project, intake, matched)
    item = revise(kept.item, name=old.name, placement=_placement(old, new))
    return replace(kept, item=item), len(matched)


def finest(project: Project, measures: Measures | None, detail: Detail) -> tuple[Item, float]:
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
    unit = subject.placement.unit_m * subject.placement.scale
    return subject, detail.error_px * max(frame_margins(View.of(project), hull).pixel_m, least) / unit


def standing(after: Project, before: Project, measures_of: MeasuresOf) -> Project:
    """The project `after` its subject was made anew: where it stood `before` it stands again, to the last hair."""
    old, new = before.subject, after.subject
    then, now = (None if item is None else measures_of(item) for item in (old, new))
    if old is None or new is None or then is None or now is None:
        return after
    size_m = float(np.ptp(placed_hull(then, new.placement), axis=0).max())
    if abs(gap_m(then, old.placement, stand_height_m(before, old))) > size_m * STOOD:
        return after
    placement = ground_placement(now, new.placement, stand_height_m(after, new))
    return put(after, f"items/{new.id}/placement", placement)


def with_subject_remade(project: Project, intake: Intake) -> Project:
    """The project with the subject made anew from its own source: everything that was done to it stays, and parts that
    come back have what the file gives them.

    Raises ChangeError when another model has come onto the set meanwhile.
    """
    old = project.subject
    if old is None or old.source != intake.item.source:
        raise ChangeError("Another model was brought in meanwhile; this one was left as it was.")
    known = {p.number: p for p in old.parts}
    kept = _kept(project, intake, {p.id: known[p.number] for p in intake.item.parts if p.number in known})
    play = old.play if any(a.id == old.play.animation for a in kept.item.animations) else kept.item.play
    stays = {"id": old.id, "name": old.name, "rides": old.rides, "on": old.on, "placement": old.placement, "play": play}
    return with_item(project, revise(kept.item, **stays), kept.materials)


def _kept(project: Project, intake: Intake, matched: dict[str, Part]) -> Intake:
    """The intake with ids, materials and visibility of the subject's old parts for those of its own that match them (by
    id), in every colourway that the subject has."""
    new, old = intake.item, project.subject
    assert old is not None
    part_ids = free_ids([p.id for p in new.parts], (), "part", {i: p.id for i, p in matched.items()})
    same = {p.id for p in matched.values()}
    stays = {w.material for v in old.variants for w in v.parts if w.id in same}
    of_file = {
        w.material
        for number, v in enumerate(new.variants)
        for w in v.parts
        if number >= len(old.variants) or w.id not in matched
    }
    material_ids = free_ids([m.id for m in intake.materials if m.id in of_file], stays, "material")
    materials = tuple(m for m in project.materials if m.id in stays) + tuple(
        revise(m, id=material_ids[m.id]) for m in intake.materials if m.id in of_file
    )
    item = with_new_ids(new, part_ids, material_ids)
    variants = tuple(
        _dressed(v, item.variants[i if i < len(item.variants) else 0], same) for i, v in enumerate(old.variants)
    )
    variants += item.variants[len(old.variants) :]
    item = filled_as(revise(item, variants=variants, variant_id=old.variant_id), old)
    materials += tuple(m for m in project.materials if item.filling and m.id == item.variant.parts[-1].material)
    return replace(intake, item=item, materials=materials)


def _dressed(old: Variant, new: Variant, same: set[str]) -> Variant:
    """A colourway for new parts: as the old one dresses those that are the same, and as the file does the others."""
    known = {w.id: w for w in old.parts if w.id in same}
    return revise(old, parts=tuple(known.get(w.id, w) for w in new.parts))


def _by_unique_name(parts: tuple[Part, ...]) -> dict[str, Part]:
    taken = Counter(p.name for p in parts)
    return {p.name: p for p in parts if taken[p.name] == 1}


def _placement(old: Item, new: Item) -> Placement:
    names = ["tip_deg", "roll_deg", "turn_deg", "centre_method"]
    if old.source_name.rsplit(".", 1)[-1].lower() == new.source_name.rsplit(".", 1)[-1].lower():
        names += ["unit_m", "up"]
    return revise(new.placement, **({name: getattr(old.placement, name) for name in names}))
