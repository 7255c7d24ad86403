"""Rigs and what parts wear: lights in the size of the subject, materials that are made to start from."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..colour_difference import parse_colour, rgb_of
from ..errors import ChangeError
from ..geometry.measure import placed_hull
from ..light.rigs import resize_rig, rig_lights
from ..material.presets import with_preset
from ..motion import aim_point, moments_over, value_of
from ..scene import Aim, Background, Doc, Light, Material, Project, place_of, put, put_all
from ..scene.base import Id, new_id
from ..scene.saved_material import SavedMaterial
from ..scene.saved_rig import ReadyRig, SavedRig
from ..scene.writing import channels_without, revise
from .base import performs
from .lists import materials_of, with_copy, without_materials
from .made_items import USUAL_SIZE_M
from .names import free_name
from .tools import Tools

METERED = 4
"""Moments of a move over which the subject is metered."""
_FROM_BLACK = ("dark field", "rims only", "night", "lights out")
"""Rigs beside which no other light belongs: the environment is turned off."""
_BEHIND = {"dark field": (0.004, 0.004, 0.004), "bright field": (0.9, 0.9, 0.9), "night": (0.006, 0.008, 0.014)}


class ApplyRig(Doc):
    """Light the open shot's look with a ready set of lights in the size of the subject, and expose for it."""

    kind: Literal["rig"] = "rig"
    rig: ReadyRig


@performs(ApplyRig)
def with_rig(project: Project, change: ApplyRig, tools: Tools) -> tuple[Project, str]:
    """The open shot's look lit by a ready rig, exposed for the subject."""
    size, aim = subject_size(project, tools)
    after = _lit(project, rig_lights(change.rig, size, aim))
    if (colour := _BEHIND.get(change.rig)) is not None:
        after = put(after, "look/background", Background(kind="colour", colour=colour))
    if change.rig in _FROM_BLACK:
        after = put(after, "look/environment/on", False)
    return with_metered_exposure(after, tools), f"Rig: {change.rig}"


class UseRig(Doc):
    """Light the open shot's look with a kept set of lights in the size of the subject, and expose for it."""

    kind: Literal["use_rig"] = "use_rig"
    rig: SavedRig


@performs(UseRig)
def with_kept_rig(project: Project, change: UseRig, tools: Tools) -> tuple[Project, str]:
    """The open shot's look lit by a kept rig, in the size of the subject, exposed for it."""
    size, aim = subject_size(project, tools)
    lights = resize_rig(change.rig.lights, size / change.rig.size_m)
    lights = tuple(revise(light, aim=aim, excluded_parts=()) for light in lights)
    return with_metered_exposure(_lit(project, lights), tools), f"Rig: {change.rig.name}"


class AddLook(Doc):
    """Another look like that of the open shot, which has it from then on: trying there leaves the first as it is."""

    kind: Literal["add_look"] = "add_look"


@performs(AddLook)
def with_look(project: Project, _: AddLook, tools: Tools) -> tuple[Project, str]:
    """One more look like that of the open shot, which has it from then on; what was keyed of the one is keyed of the
    other."""
    old = project.look
    after, name = with_copy(project, "look", tools.measures_of)
    new = after.looks[[x.id for x in project.looks].index(old.id) + 1]
    at = f"looks/{old.id}/"
    channels = tuple(
        revise(c, path=f"looks/{new.id}/{c.path.removeprefix(at)}") if c.path.startswith(at) else c
        for c in after.shot.channels
    )
    return put_all(after, {"shot/look_id": new.id, "shot/channels": channels}), f"New look like {name}"


def rig_from_look(project: Project, name: str, tools: Tools) -> SavedRig:
    """The lights of the open shot's look, to be used elsewhere. Raises ChangeError when there are none."""
    lights = tuple(
        revise(x, rides=x.rides if x.rides in ("rig", "set", "camera", "disc") else "rig", aim=Aim())
        for x in project.look.lights
    )
    if not lights:
        raise ChangeError("There are no lights in this look to keep.")
    size, _ = subject_size(project, tools)
    return SavedRig(id=new_id("rig"), name=name, size_m=size, lights=lights)


def subject_size(project: Project, tools: Tools) -> tuple[float, Aim]:
    """The size of the subject, m, and an aim at its middle; what the camera looks at where there is no subject."""
    subject = project.subject
    measures = None if subject is None else tools.measures_of(subject)
    if subject is None or measures is None:
        x, y, z = (float(c) for c in aim_point(project.camera.aim, project))
        return USUAL_SIZE_M, Aim(x_m=x, y_m=y, z_m=z)
    hull = placed_hull(measures, subject.placement)
    low, high = hull.min(axis=0), hull.max(axis=0)
    x, y, z = (round(float(c), 5) for c in (low + high) / 2)
    return float(np.max(high - low)), Aim(x_m=x, y_m=y, z_m=z)


def _lit(project: Project, lights: tuple[Light, ...]) -> Project:
    """With other lights; what was keyed of those before goes with them."""
    left = channels_without(project, f"looks/{project.look.id}/lights/")
    return put_all(project, {**left, "look/lights": lights})


def with_metered_exposure(project: Project, tools: Tools) -> Project:
    """With the exposure that suits the subject over the move; as it was where nothing of it is lit."""
    ev100 = tools.eye.meter(moments_over(project, METERED))
    if ev100 is None:
        return project
    path = "look/tone/ev100"
    return put(project, path, value_of(place_of(path), np.array([round(ev100, 2)])))


class ApplyPreset(Doc):
    """Start a material again from a preset."""

    kind: Literal["preset"] = "preset"
    material: Id
    preset: Annotated[str, Field(max_length=80)]


@performs(ApplyPreset)
def with_preset_again(project: Project, change: ApplyPreset, _: Tools) -> tuple[Project, str]:
    """The project with a material started again from a preset."""
    material = next((m for m in project.materials if m.id == change.material), None)
    if material is None:
        raise ChangeError("That material is not in this project any more.")
    after = put(project, f"materials/{material.id}", with_preset(material, change.preset))
    return after, f"Start from {change.preset.lower()}"


class MatchColour(Doc):
    """Give a material a colour as somebody tells it, as `#1f6f8b` or in CIELAB."""

    kind: Literal["match_colour"] = "match_colour"
    material: Id
    colour: Annotated[str, Field(max_length=60)]


@performs(MatchColour)
def match_colour(project: Project, change: MatchColour, _: Tools) -> tuple[Project, str]:
    """The project with a material of a colour as it is told; what no display can show comes as near as it can."""
    if all(m.id != change.material for m in project.materials):
        raise ChangeError("That material is not in this project any more.")
    rgb = np.clip(rgb_of(parse_colour(change.colour)), 0.0, 1.0)
    at = f"materials/{change.material}/base_color"
    return put(project, at, tuple(round(float(c), 5) for c in rgb)), f"Match {change.colour.strip()}"


class Dressed(Doc):
    """A part of an item."""

    item: Id
    part: Id


class Dress(Doc):
    """Let parts wear a material that is made to start from, or one that is kept, in the colourways that their items
    wear."""

    kind: Literal["dress"] = "dress"
    preset: Annotated[str, Field(max_length=80)] = ""
    kept: SavedMaterial | None = None
    """instead of a preset"""
    parts: Annotated[tuple[Dressed, ...], Field(min_length=1, max_length=2000)]


@performs(Dress)
def dress_parts(project: Project, change: Dress, _: Tools) -> tuple[Project, str]:
    """Parts that wear a material made from a preset, or taken from those that are kept: the one that is there already
    and is still as it was made, or one more."""
    fresh, name = new_id("material"), change.kept.name if change.kept else change.preset
    if change.kept is not None:
        new = revise(change.kept.material, id=fresh, name=name)
    else:
        new = with_preset(Material(id=fresh, name=name), change.preset)
    alike = next(
        (m for m in project.materials if revise(new, id=m.id, name=m.name) == m and m.name.startswith(name)), None
    )
    values: dict[str, object] = {}
    if alike is None:
        new = revise(new, name=free_name((m.name for m in project.materials), name))
        values["materials"] = (*project.materials, new)
    worn_in = {w.id: w.variant for w in project.shot.wears}
    for one in change.parts:
        item = project.item(one.item)
        if item is None or all(part.id != one.part for part in item.parts):
            raise ChangeError("That part is not there any more.")
        variant = worn_in.get(item.id, item.variant_id)
        values[f"items/{item.id}/variants/{variant}/parts/{one.part}/material"] = (alike or new).id
    return put_all(project, values), f"Wear {name.lower() if change.kept is None else name}"


class RemoveUnworn(Doc):
    """Take away the materials that no part wears in any colourway."""

    kind: Literal["remove_unworn"] = "remove_unworn"


@performs(RemoveUnworn)
def without_unworn(project: Project, _: RemoveUnworn, __: Tools) -> tuple[Project, str]:
    """The project without materials that no part wears. Raises ChangeError when all are worn."""
    worn = {material for item in project.items for material in materials_of(item)}
    gone = {m.id for m in project.materials} - worn
    if not gone:
        raise ChangeError("Every material is worn by some part.")
    return without_materials(project, gone), "Remove materials that are not worn"
