"""Things that come and go: items, lights, looks, cameras and shots; what is added, copied and taken away."""

import re
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from ..errors import ChangeError
from ..geometry.measure import placed_hull
from ..scene import (
    Aim,
    Channel,
    Doc,
    Item,
    Look,
    Project,
    full_path,
    insert_item,
    move_item,
    put,
    put_all,
    remove_item,
    value_at,
)
from ..scene.base import new_id
from ..scene.light import WITH_RIG
from ..scene.writing import revise
from .base import ValuePath, performs
from .names import free_ids, free_light_name, free_name, next_name
from .placing import STOOD, standing_again
from .tools import MeasuresOf, Tools

_BESIDE = 0.15
"""Share of its width that lies between a copy and what stands beside it."""
USUAL_SIZE_M = 0.3
"""What is made beside no subject is made for one of this size."""
_COPIED = ("items", "looks", "cameras", "shots")
_REMOVED = (*_COPIED, "materials", "paths", "palette", "references")
_REMOVED_WITHIN = ("lights", "segments", "points", "formats", "then", "variants", "layers", "decals")


def with_copy(project: Project, path: str, measures_of: MeasuresOf) -> tuple[Project, str]:
    """Another one like what is at a path, beside it, and its name. Raises ChangeError."""
    path = full_path(project, path)
    parent, _, identity = path.rpartition("/")
    origin, siblings = value_at(project, path), value_at(project, parent)
    kind = parent.split("/")[-1]
    if kind == "lights":
        name = free_light_name(value_at(project, parent.rpartition("/")[0]), origin.name)
        update: dict[str, Any] = {"azimuth_deg": (origin.azimuth_deg + 30 + 180) % 360 - 180}
    elif kind in _COPIED and parent == kind:
        numbered = parent in ("cameras", "looks", "shots")  # others are named by people
        name = (next_name if numbered else free_name)((x.name for x in siblings), origin.name)
        update = _item_beside(project, origin, measures_of) if kind == "items" else {}
    else:
        raise ChangeError("That cannot be copied.")
    fresh = new_id(kind[:-1])
    if kind == "shots":
        update = {"channels": tuple(_of_shot(channel, identity, fresh) for channel in origin.channels)}
    new = type(origin)(**(dict(origin) | update | {"id": fresh, "name": name}))
    at = [x.id for x in siblings].index(identity) + 1
    return insert_item(project, parent, new, at), origin.name


def without_thing(project: Project, path: str, measures_of: MeasuresOf) -> tuple[Project, str]:
    """The project without what is at a path and what only belongs to it, and its name.

    Raises ChangeError with a sentence when something needs it.
    """
    path = full_path(project, path)
    parent, _, identity = path.rpartition("/")
    if parent.split("/")[-1] not in _REMOVED_WITHIN and parent not in _REMOVED:
        raise ChangeError("That cannot be taken away.")
    try:
        thing = value_at(project, path)
    except ChangeError as error:
        raise ChangeError("That is not there any more.") from error
    if parent == "items":
        return _without_item(project, thing, measures_of), thing.name
    if parent == "shots" and identity == project.shot_id and len(project.shots) > 1:
        number = [s.id for s in project.shots].index(identity)
        beside = project.shots[number - 1 if number else 1]
        project = put(project, "shot_id", beside.id)
    if parent.endswith("/segments") and len(value_at(project, parent)) == 1:  # its row goes with it
        path = parent.rpartition("/")[0]
    return remove_item(project, path), getattr(
        thing, "name", "a segment" if parent.endswith("/segments") else "a point"
    )


def _without_item(project: Project, item: Item, measures_of: MeasuresOf) -> Project:
    """Its rows and colourways in shots go with it, and materials that nothing else wears; what rides on it comes down;
    lights that ride on it travel with the rig, cameras that focus on it focus on their aim."""
    down = {f"items/{x.id}/rides": item.rides for x in project.items if x.rides == item.id}
    after = standing_again(project, put_all(project, down), measures_of)
    values: dict[str, Any] = {"subject_id": None} if project.subject_id == item.id else {}
    for shot in project.shots:
        values[f"shots/{shot.id}/rows"] = tuple(r for r in shot.rows if r.id != item.id)
        values[f"shots/{shot.id}/wears"] = tuple(w for w in shot.wears if w.id != item.id)
    for look in project.looks:
        values |= {f"looks/{look.id}/lights/{x.id}/rides": WITH_RIG for x in look.lights if x.rides == item.id}
    for camera in project.cameras:
        if camera.focus_item == item.id:
            values |= {f"cameras/{camera.id}/focus_item": None, f"cameras/{camera.id}/focus_point_m": None}
    after = remove_item(put_all(after, values), f"items/{item.id}")
    gone = materials_of(item) - {m for x in after.items for m in materials_of(x)}
    return without_materials(after, gone)


def without_materials(project: Project, gone: set[str]) -> Project:
    """The project without some materials that nothing wears, and without what was keyed of them."""
    for identity in sorted(gone):
        project = remove_item(project, f"materials/{identity}")
    return project


def materials_of(item: Item) -> set[str]:
    """Ids of all materials that an item wears in any colourway."""
    return {w.material for variant in item.variants for w in variant.parts}


def with_free_part_ids(item: Item, project: Project) -> Item:
    """The item with ids of parts that no other item's parts have."""
    taken = {p.id for x in project.items if x.id != item.id for p in x.parts}
    ids = free_ids([p.id for p in item.parts], taken, "part")
    return with_new_ids(item, ids, {})


def with_new_ids(item: Item, parts: dict[str, str], materials: dict[str, str]) -> Item:
    """The item with other ids of parts and materials, where they are told."""
    variants = tuple(
        revise(
            v,
            parts=tuple(
                revise(w, id=parts.get(w.id, w.id), material=materials.get(w.material, w.material)) for w in v.parts
            ),
        )
        for v in item.variants
    )
    renumbered = tuple(revise(p, id=parts.get(p.id, p.id)) for p in item.parts)
    return revise(item, parts=renumbered, variants=variants)


def _of_shot(channel: Channel, shot: str, other: str) -> Channel:
    """A channel of a shot's own values as one of another shot's."""
    own = f"shots/{shot}/"
    if not channel.path.startswith(own):
        return channel
    return revise(channel, path=f"shots/{other}/{channel.path.removeprefix(own)}")


def _item_beside(project: Project, item: Item, measures_of: MeasuresOf) -> dict[str, Any]:
    """The changes that make a copy of an item: ids of its parts, and a place to the right of what stands there."""
    measures = measures_of(item)
    by = 0.0 if measures is None else _free_to_the_right(project, placed_hull(measures, item.placement), measures_of)
    placement = revise(item.placement, x_m=item.placement.x_m + by)
    free = with_free_part_ids(revise(item, id="another"), project)
    return {"parts": free.parts, "variants": free.variants, "placement": placement}


def _free_to_the_right(project: Project, hull: np.ndarray, measures_of: MeasuresOf) -> float:
    """Distance a hull (k, 3) moves to the right until nothing on the set is in its box, m."""
    hulls = [placed_hull(m, x.placement) for x in project.items if (m := measures_of(x)) is not None]
    boxes = [(h.min(axis=0), h.max(axis=0)) for h in hulls]
    low, high = hull.min(axis=0), hull.max(axis=0)
    wide = float(high[0] - low[0])
    gap, way = _BESIDE * wide, np.array([(1 + _BESIDE) * wide, 0.0, 0.0])
    low, high = low + STOOD * wide, high - STOOD * wide  # its ground is not in its way
    while blocking := [b for a, b in boxes if (a < high + way).all() and (b > low + way).all()]:
        way[0] = max(float(b[0]) for b in blocking) - low[0] + gap  # each is in the way once
    return float(way[0])


def with_lights_aimed(look: Look, aim: Aim) -> dict[str, Any]:
    """Values that aim all lights of a look at something."""
    return {f"looks/{look.id}/lights/{light.id}/aim": aim for light in look.lights}


class Copy(Doc):
    """Another one like an item, light, look, camera or shot, beside it."""

    kind: Literal["copy"] = "copy"
    path: ValuePath


@performs(Copy)
def _copy(project: Project, change: Copy, tools: Tools) -> tuple[Project, str]:
    after, name = with_copy(project, change.path, tools.measures_of)
    return after, f"Copy {name}"


def without_colourway(project: Project, path: str) -> Project:
    """The project in which no shot and no item wears the colourway at a path any more. Raises ChangeError when it is
    the only one."""
    _, item_id, _, identity = path.split("/")
    item: Item = value_at(project, f"items/{item_id}")
    beside = next((v.id for v in item.variants if v.id != identity), None)
    if beside is None:
        raise ChangeError(f"‘{item.name}’ must wear something: its only colourway stays.")
    values: dict[str, object] = {}
    if item.variant_id == identity:
        values[f"items/{item.id}/variant_id"] = beside
    for shot in project.shots:
        kept = tuple(w for w in shot.wears if (w.id, w.variant) != (item.id, identity))
        if kept != shot.wears:
            values[f"shots/{shot.id}/wears"] = kept
    return put_all(project, values) if values else project


class Remove(Doc):
    """Take away an item, light, look, camera, shot or material, with what only belongs to it."""

    kind: Literal["remove"] = "remove"
    path: ValuePath


@performs(Remove)
def _remove(project: Project, change: Remove, tools: Tools) -> tuple[Project, str]:
    if re.fullmatch(r"items/[^/]+/variants/[^/]+", change.path):
        project = without_colourway(project, change.path)
    after, name = without_thing(project, change.path, tools.measures_of)
    return after, f"Remove {name}"


class MoveTo(Doc):
    """Put something at another place of its list, 0 the first."""

    kind: Literal["move_to"] = "move_to"
    path: ValuePath
    to: Annotated[int, Field(ge=0, le=1000)]


@performs(MoveTo)
def _move_to(project: Project, change: MoveTo, _: Tools) -> tuple[Project, str]:
    thing = value_at(project, change.path)
    return move_item(project, change.path, change.to), f"Move {getattr(thing, 'name', 'it')}"
