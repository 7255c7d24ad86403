"""Liquids in hollow items."""

from typing import Literal

from ..errors import ChangeError
from ..material.presets import Liquid, with_preset
from ..scene import Doc, Item, Material, Part, Project, put_all
from ..scene.base import Id
from ..scene.item import Filling, Worn
from ..scene.writing import revise
from .base import performs
from .lists import materials_of, without_materials
from .names import free_ids
from .tools import Tools


class FillItem(Doc):
    """Fill the hollow of an item with a liquid, or empty it."""

    kind: Literal["fill"] = "fill"
    item: Id
    liquid: Liquid | Literal["none"]


@performs(FillItem)
def _fill(project: Project, change: FillItem, tools: Tools) -> tuple[Project, str]:
    """An item that holds something keeps its level; another liquid takes the place."""
    item = project.item(change.item)
    if item is None:
        raise ChangeError("That item is not there any more.")
    if change.liquid == "none":
        return _emptied(project, item), f"Empty {item.name}"
    label = f"Fill {item.name} with {change.liquid.lower()}"
    if item.filling is not None:
        return _refilled(project, item, change.liquid), label
    if item.made is not None or tools.eye.hollow(item) is None:
        raise ChangeError(
            f"‘{item.name}’ has no hollow that could hold a liquid. Its walls need an inside and an outside: give them "
            f"a thickness where it was modelled."
        )
    material_id = free_ids(["liquid"], (m.id for m in project.materials), "material")["liquid"]
    part_id = free_ids(["liquid"], (p.id for x in project.items for p in x.parts), "part")["liquid"]
    material = with_preset(Material(id=material_id, name=change.liquid), change.liquid)
    filled = with_filling(
        item, Filling(), Part(id=part_id, name=change.liquid, triangles=0), Worn(id=part_id, material=material_id)
    )
    items = tuple(filled if x.id == item.id else x for x in project.items)
    return put_all(project, {"materials": (*project.materials, material), "items": items}), label


def with_filling(item: Item, filling: Filling, part: Part, worn: Worn) -> Item:
    """An item that holds nothing, filled; the liquid wears the same in every colourway."""
    variants = tuple(revise(v, parts=(*v.parts, worn)) for v in item.variants)
    return revise(item, filling=filling, parts=(*item.parts, part), variants=variants)


def without_filling(item: Item) -> Item:
    """The item without what it is filled with, if anything."""
    if item.filling is None:
        return item
    variants = tuple(revise(v, parts=v.parts[:-1]) for v in item.variants)
    return revise(item, filling=None, parts=item.parts[:-1], variants=variants)


def filled_as(item: Item, other: Item) -> Item:
    """An item that holds nothing, filled as another one is."""
    if other.filling is None:
        return item
    return with_filling(item, other.filling, other.parts[-1], other.variant.parts[-1])


def _refilled(project: Project, item: Item, liquid: Liquid) -> Project:
    worn = {v.parts[-1].material for v in item.variants}
    materials = tuple(with_preset(revise(m, name=liquid), liquid) if m.id in worn else m for m in project.materials)
    named = revise(item, parts=(*item.parts[:-1], revise(item.parts[-1], name=liquid)))
    items = tuple(named if x.id == item.id else x for x in project.items)
    return put_all(project, {"materials": materials, "items": items})


def _emptied(project: Project, item: Item) -> Project:
    """Without the liquid, what is keyed of it, and what aims at it."""
    if item.filling is None:
        raise ChangeError(f"There is nothing in ‘{item.name}’.")
    part, empty = item.parts[-1].id, without_filling(item)
    values: dict[str, object] = {"items": tuple(empty if x.id == item.id else x for x in project.items)}
    for shot in project.shots:
        stay = tuple(c for c in shot.channels if not c.path.startswith(f"items/{item.id}/filling/"))
        values[f"shots/{shot.id}/channels"] = stay
    for camera in project.cameras:
        if camera.aim.part == part:
            values[f"cameras/{camera.id}/aim/part"] = None
    for look in project.looks:
        values |= {f"looks/{look.id}/lights/{x.id}/aim/part": None for x in look.lights if x.aim.part == part}
    after = put_all(project, values)
    return without_materials(after, materials_of(item) - {m for x in after.items for m in materials_of(x)})
