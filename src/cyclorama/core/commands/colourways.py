"""Colourways: more of them, which one is worn in a shot, and a shot of each."""

from typing import Literal

from ..errors import ChangeError
from ..scene import Doc, Item, Project, Wears, insert_item, put, put_all, with_worn_colourway
from ..scene.base import Id, new_id
from ..scene.writing import revise
from .base import performs
from .lists import with_copy
from .names import free_name
from .tools import Tools


def _item(project: Project, identity: str) -> Item:
    item = project.item(identity)
    if item is None:
        raise ChangeError("That is not on the set any more.")
    return item


def _wearing(project: Project, item: Item, variant: str) -> Project:
    """The open shot's item in a colourway. While no shot says anything else it is the item's own."""
    if all(w.id != item.id for shot in project.shots for w in shot.wears) and len(project.shots) == 1:
        return put(project, f"items/{item.id}/variant_id", variant)
    others = tuple(w for w in project.shot.wears if w.id != item.id)
    return put(project, "shot/wears", (*others, Wears(id=item.id, variant=variant)))


class AddColourway(Doc):
    """Another colourway of an item like the one that it wears in the open shot, which it wears from then on."""

    kind: Literal["add_colourway"] = "add_colourway"
    item: Id


@performs(AddColourway)
def _more(project: Project, change: AddColourway, _: Tools) -> tuple[Project, str]:
    item = _item(project, change.item)
    now = with_worn_colourway(item, project.shot).variant
    name = free_name((v.name for v in item.variants), now.name)
    new = revise(now, id=new_id("colourway"), name=name)
    at = [v.id for v in item.variants].index(now.id) + 1
    after = insert_item(project, f"items/{item.id}/variants", new, at)
    return _wearing(after, _item(after, item.id), new.id), f"New colourway like {now.name}"


class WearColourway(Doc):
    """Let an item wear one of its colourways in the open shot; other shots stay as they are."""

    kind: Literal["wear_colourway"] = "wear_colourway"
    item: Id
    variant: Id


@performs(WearColourway)
def _wear(project: Project, change: WearColourway, _: Tools) -> tuple[Project, str]:
    item = _item(project, change.item)
    variant = next((v for v in item.variants if v.id == change.variant), None)
    if variant is None:
        raise ChangeError("That colourway is not there any more.")
    return _wearing(project, item, variant.id), f"Wear {variant.name}"


class ShotEachColourway(Doc):
    """A shot like the open one for each other colourway of an item."""

    kind: Literal["shot_each_colourway"] = "shot_each_colourway"
    item: Id


@performs(ShotEachColourway)
def _shot_each(project: Project, change: ShotEachColourway, tools: Tools) -> tuple[Project, str]:
    item = _item(project, change.item)
    if len(item.variants) < 2:
        raise ChangeError(f"‘{item.name}’ has only one colourway. Make another first.")
    shot = project.shot
    now = with_worn_colourway(item, shot).variant_id
    after = project
    for variant in reversed([v for v in item.variants if v.id != now]):
        after, _ = with_copy(after, f"shots/{shot.id}", tools.measures_of)
        new = after.shots[[s.id for s in after.shots].index(shot.id) + 1]
        others = tuple(w for w in new.wears if w.id != item.id)
        name = free_name((s.name for s in after.shots), f"{shot.name}, {variant.name}"[:76])
        after = put_all(
            after,
            {f"shots/{new.id}/wears": (*others, Wears(id=item.id, variant=variant.id)), f"shots/{new.id}/name": name},
        )
    return after, f"A shot for each colourway of {item.name}"
