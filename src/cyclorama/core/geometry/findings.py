"""Findings of the intake report, in sentences."""

from ..scene import Animation
from ..words import count
from .nesting import Nested
from .read import FileModel
from .repair import Repairs
from .report import Finding, Growing

GROWN_SHARE = 1e-3
"""A body that is grown reaches so far into its neighbour, as a share of the model: 0.1 mm of 10 cm."""


def animation_finding(animation: Animation) -> Finding:
    """An animation that came with the model."""
    return Finding(mark="ready", what=f"Animation ‘{animation.name}’, {animation.seconds:.3g} s")


def heavy(triangles: int) -> Finding:
    """More triangles than a picture could show."""
    return Finding(
        mark="look",
        what=f"{count(triangles, 'triangle')} are more than a picture shows",
        done="Lighten, under Detail, leaves out those that do not show; the source is kept",
    )


def nested_finding(n: Nested, names: list[str], part: str, size: float) -> Finding:
    """One transparent body in another; part: id of the inner one; size: of the model, units of the file."""
    outer, inner = f"‘{names[n.outer]}’", f"‘{names[n.inner]}’"
    if n.kind == "inside":
        return Finding(mark="ready", what=f"{inner} lies in {outer}", done="its priority is higher")
    if n.kind == "overlaps":
        return Finding(mark="ready", what=f"{inner} reaches into {outer}", done=f"the priority of {outer} is higher")
    return Finding(
        mark="look",
        what=f"{inner} stops just short of {outer}: the air between would mirror",
        mend=Growing(part=part, by=n.gap + GROWN_SHARE * size),
    )


def findings(model: FileModel, r: Repairs) -> list[Finding]:
    """Oddities of a model, and what was done about each."""
    found = []

    def add(n: int, what: str, done: str) -> None:
        if n:
            found.append(Finding(mark="look", what=what, done=done))

    add(r.degenerate, f"{count(r.degenerate, 'face')} without an area", "removed")
    add(r.duplicate, f"{count(r.duplicate, 'face')} there twice", "the copies are removed")
    add(r.open_edges, count(r.open_edges, "open edge"), "left as they are; glass needs closed parts")
    add(r.without_normals, f"{count(r.without_normals, 'face')} without normals", "smoothed up to a crease of 35°")
    add(r.broken_uvs, f"{count(r.broken_uvs, 'vertex', 'vertices')} with broken texture coordinates", "set to 0, 0")
    add(r.flipped_normals, f"{count(r.flipped_normals, 'face')} with normals on the wrong side", "turned round")
    add(r.inside_out, f"{count(r.inside_out, 'part')} inside out", "turned round")
    for label in dict.fromkeys(model.missing):
        add(1, f"{label} is missing", "shown without it; bring it in together with the model")
    hidden = sum(not p.visible for p in model.parts)
    add(hidden, count(hidden, "hidden part"), "in the list of parts, not shown")
    if model.variants:
        names = ", ".join(f"‘{v}’" for v in model.variants[:5])
        found.append(Finding(mark="ready", what=f"{count(len(model.variants), 'variant')} of materials: {names}"))
    around = [count(len(x), what) for x, what in ((model.cameras, "camera"), (model.lights, "light")) if x]
    if around:
        found.append(Finding(mark="ready", what=f"{' and '.join(around)} in the file", done="to be taken under Parts"))
    found += [Finding(mark="look", what=note) for note in dict.fromkeys(model.notes)]
    if not found:
        found.append(Finding(mark="ready", what="Nothing odd: closed, with normals, nothing missing."))
    return found
