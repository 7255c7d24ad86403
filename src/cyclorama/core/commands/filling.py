"""Liquids in hollow items."""

from typing import Literal

from ..errors import ChangeError
from ..material.presets import Liquid, with_preset
from ..scene import Doc, Item, Material, Part, Project, put_all
from ..scene.base import Id
from ..scene.item import Filling, Worn
from ..scene.writing import channels_without, revise
from .base import performs
from .lists import materials_of, without_materials
from .names import free_ids
from .place_model import left_behind
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
    return put_all(project, {"materials": (*project.materials, material), f"items/{item.id}": filled}), label


def with_filling(item: Item, filling: Filling, part: Part, worn: Worn) -> Item:
    """An item that holds nothing, filled; the liquid wears the same in every colourway."""
    variants = tuple(revise(v, parts=(*v.parts, worn)) for v in item.variants)
    return revise(item, filling=filling, parts=(*item.parts, part), variants=variants)


def without_filling(item: Item) -> Item:
    """The item, emptied. One that holds nothing stays as it is."""
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
    return put_all(project, {"materials": materials, f"items/{item.id}": named})


def _emptied(project: Project, item: Item) -> Project:
    """The project without the liquid of an item; its keys go with it, and what aimed at it aims at the item."""
    if item.filling is None:
        raise ChangeError(f"There is nothing in ‘{item.name}’.")
    empty, path = without_filling(item), f"items/{item.id}"
    left = channels_without(project, f"{path}/filling/") | left_behind(project, empty)
    after = put_all(project, {path: empty, **left})
    return without_materials(after, materials_of(item) - {m for x in after.items for m in materials_of(x)})
