"""Another version of the model takes the place of the one on the set: what was done to parts of the same name stays."""

from collections import Counter
from dataclasses import replace

from ..geometry.kept import Intake
from ..scene import Part, Placement, Project, Subject

LEAST_SHARE = 0.5
"""Of the new parts, so many must have the name of an old one: otherwise it is another model and nothing is kept."""


def kept_by_name(project: Project, intake: Intake) -> tuple[Intake, int]:
    """The intake with what fits of the subject that it replaces, and how many parts keep what the old ones had.

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
    subject = new.model_copy(update={"parts": parts, "variants": variants, "placement": _placement(old, new)})
    return replace(intake, subject=subject, materials=materials), len(matched)


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
