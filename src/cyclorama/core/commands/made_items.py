"""Made items: shapes, letters and marks that are put on the set, in a size that suits the subject."""

from collections.abc import Sequence
from functools import lru_cache
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..errors import ChangeError
from ..geometry.measure import Measures, ground_placement, measure, placed_hull
from ..geometry.natural import NATURAL
from ..geometry.primitives import build_made, made_box, part_names
from ..motion import stand_height_m
from ..scene import Doc, Item, Made, Material, Part, Placement, Project, Variant, Worn, put, put_all
from ..scene.base import Colour, Name, ReadAsset, new_id
from ..scene.item import ON_SET
from ..scene.made import EXTRUDED_PARTS, MOST_LETTERS, Form, Letters, Mark
from ..scene.writing import revise
from .base import performs
from .names import free_name
from .placing import standing_again
from .tools import MeasuresOf, Tools

USUAL_SIZE_M = 0.3
"""Size of the subject that shapes are made for where there is none, m."""
GREY: tuple[float, float, float] = (0.62, 0.61, 0.59)


@lru_cache(maxsize=256)
def measure_made_item(made: Made, read_asset: ReadAsset | None = None) -> Measures:
    """Measures of a made shape; those of a model are kept with it. read_asset: as `build_made`."""
    return measure(build_made(made, read_asset))


def rightmost(project: Project, measures_of: MeasuresOf) -> float:
    """Reach of the set to the right of its middle, m."""
    known = ((item, measures) for item in project.items if (measures := measures_of(item)) is not None)
    return max([0.0, *(float(placed_hull(measures, item.placement)[:, 0].max()) for item, measures in known)])


class AddItem(Doc):
    """Put a shape made by the program on the set, in a size that suits the subject."""

    kind: Literal["add_item"] = "add_item"
    form: Form = "plinth"


@performs(AddItem)
def _add_item(project: Project, change: AddItem, tools: Tools) -> tuple[Project, str]:
    if change.form == "mark":
        raise ChangeError("A mark is made from a drawing. Bring an SVG file in.")
    return with_made(project, change.form, tools.measures_of), f"Add a {change.form}"


class MarkPiece(Doc):
    """A piece of a drawing: areas of one colour."""

    name: Name
    colour: Colour


class AddMark(Doc):
    """Put a drawing on the set as a solid body."""

    kind: Literal["add_mark"] = "add_mark"
    mark: Mark
    pieces: Annotated[tuple[MarkPiece, ...], Field(min_length=1, max_length=40)]


@performs(AddMark)
def _add_mark(project: Project, change: AddMark, tools: Tools) -> tuple[Project, str]:
    """Each piece has a part for its face, bevel and side; pieces of one colour share a material."""
    size, _ = _subject_size(project, tools.measures_of)
    high = min(size * 0.5, size / change.mark.aspect)
    made = Made(form="mark", depth_m=high * 0.2, height_m=high, edge_m=high * 0.01, mark=change.mark)
    materials: dict[tuple[float, float, float], Material] = {}
    parts, worn = [], []
    for piece in change.pieces:
        material = materials.setdefault(piece.colour, _material(piece.name, piece.colour))
        for surface in EXTRUDED_PARTS:
            part = Part(
                id=new_id("part"), name=f"{piece.name[:70]} {surface.lower()}", triangles=0, group=(piece.name,)
            )
            parts.append(part)
            worn.append(Worn(id=part.id, material=material.id))
    stem = change.mark.source_name.rpartition(".")[0] or "Mark"
    item = _item(project, stem[:60], made, parts, worn)
    return _beside(project, item, list(materials.values()), size, tools.measures_of), f"Add ‘{item.name}’"


def with_made(project: Project, form: Form, measures_of: MeasuresOf) -> Project:
    """One more made shape, of a size that suits the subject: a plinth comes under it, all others stand beside it."""
    subject = project.subject
    size, foot = _subject_size(project, measures_of)
    made = _made(form, size, foot, project.name)
    name = free_name((x.name for x in project.items), form.capitalize())
    material = _material(name, GREY)
    mesh = build_made(made)
    parts = tuple(
        Part(id=new_id("part"), name=part, triangles=int((mesh.part == k).sum()))
        for k, part in enumerate(part_names(made) or (name,))
    )
    worn = tuple(Worn(id=part.id, material=material.id) for part in parts)
    item = _item(project, name, made, parts, worn)
    if form != "plinth" or subject is None or measures_of(subject) is None:
        return _beside(project, item, [material], size, measures_of)
    under = revise(item.placement, x_m=subject.placement.x_m, z_m=subject.placement.z_m)
    after = _standing(project, revise(item, placement=under, rides=subject.rides), [material])
    return standing_again(project, put(after, f"items/{subject.id}/rides", item.id), measures_of)


def _subject_size(project: Project, measures_of: MeasuresOf) -> tuple[float, float]:
    """Size of the subject and of its foot, m, or usual ones where there is none."""
    subject = project.subject
    measures = None if subject is None else measures_of(subject)
    if subject is None or measures is None:
        return USUAL_SIZE_M, USUAL_SIZE_M
    hull = placed_hull(measures, subject.placement)
    return float(np.ptp(hull, axis=0).max()), _foot(hull, subject)


def _material(name: str, colour: tuple[float, float, float]) -> Material:
    return Material(id=new_id("material"), name=name, base_color=colour, specular_roughness=0.55)


def _item(project: Project, stem: str, made: Made, parts: Sequence[Part], worn: Sequence[Worn]) -> Item:
    """A made item on the floor, in the middle."""
    return Item(
        id=new_id("item"),
        name=free_name((x.name for x in project.items), stem),
        made=made,
        parts=tuple(parts),
        variant_id="colourway-1",
        rides=ON_SET,
        variants=(Variant(id="colourway-1", name="As made", parts=tuple(worn)),),
        placement=Placement(),
    )


def _beside(project: Project, item: Item, materials: list[Material], size: float, measures_of: MeasuresOf) -> Project:
    """The project with an item to the right of all that stands there."""
    assert item.made is not None
    wide = float(np.ptp(made_box(item.made)[:, 0]))
    x = rightmost(project, measures_of) + size * 0.1 + wide / 2
    return _standing(project, revise(item, placement=Placement(x_m=x, z_m=-size * 0.2)), materials)


def _standing(project: Project, item: Item, materials: list[Material]) -> Project:
    """The project with one more item, which stands on the floor, on the disc or on the item that it rides on."""
    assert item.made is not None
    stands = ground_placement(measure_made_item(item.made), item.placement, stand_height_m(project, item))
    items = (*project.items, revise(item, placement=stands))
    return put_all(project, {"materials": (*project.materials, *materials), "items": items})


def _foot(hull: np.ndarray, subject: Item) -> float:
    """Twice how far the subject reaches from its own axis near its foot, m."""
    foot = hull[hull[:, 1] < hull[:, 1].min() + 0.05 * np.ptp(hull[:, 1]) + 1e-12]
    return 2 * float(np.hypot(foot[:, 0] - subject.placement.x_m, foot[:, 2] - subject.placement.z_m).max())


def _made(form: Form, size: float, foot: float, text: str) -> Made:
    """A shape for a subject of a size and a foot, m; letters write a text."""
    if form == "letters":
        high = size * 0.2
        return Made(
            form=form, depth_m=high * 0.3, height_m=high, edge_m=high * 0.03, letters=Letters(text=text[:MOST_LETTERS])
        )
    if form in NATURAL:
        width, depth, height = NATURAL[form].size_m
        return Made(form=form, width_m=width, depth_m=depth, height_m=height, edge_m=0.0)
    if form == "plinth":
        return Made(form=form, width_m=foot * 1.25, depth_m=foot * 1.25, height_m=size * 0.35, edge_m=size * 0.01)
    if form == "card":
        return Made(form=form, width_m=size, depth_m=size, height_m=size * 1.2, edge_m=0.0)
    side = size * 0.35
    return Made(form=form, width_m=side, depth_m=side, height_m=side, edge_m=side * 0.03)
