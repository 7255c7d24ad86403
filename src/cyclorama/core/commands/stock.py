"""Stock: things saved for all projects, brought into one, and things of a project saved as stock."""

from typing import Literal

import numpy as np

from ..errors import ChangeError
from ..framing import fit_subject
from ..geometry.measure import centre_placement, ground_placement, placed_hull
from ..light.kinds import kind_of
from ..light.rigs import resize_rig
from ..motion import stand_height_m
from ..scene import Aim, Doc, Light, Look, Project, put, put_all
from ..scene.base import Id, new_id
from ..scene.palette import MOST_COLOURS, PaletteColour
from ..scene.stocked import (
    Content,
    ReadySet,
    Stocked,
    StockedBackdrop,
    StockedEnvironment,
    StockedGobo,
    StockedKind,
    StockedLook,
    StockedModel,
    StockedPalette,
    StockedSet,
)
from ..scene.writing import revise
from ..stock.sets import ready_set, set_in_size
from .base import performs
from .lists import materials_of, with_lights_aimed
from .looks import subject_size, with_metered_exposure
from .made_items import rightmost
from .names import free_name
from .place_model import with_item
from .placing import standing_again
from .tools import Tools


class UseStocked(Doc):
    """Bring something that is kept into the project, in the size of its subject."""

    kind: Literal["use_stocked"] = "use_stocked"
    stocked: Stocked
    light: Id | None = None
    """for a mask: whose; None: the first one's"""


@performs(UseStocked)
def _use(project: Project, change: UseStocked, tools: Tools) -> tuple[Project, str]:
    kept, content = change.stocked, change.stocked.content
    name = kept.name
    match content:
        case StockedModel():
            return _with_model(project, content, name, tools), f"Bring in {name}"
        case StockedSet():
            size, _ = subject_size(project, tools)
            return _set_up(project, set_in_size(content, size / kept.size_m), name, tools), f"Set up {name}"
        case StockedLook():
            return _with_look(project, content.look, kept, tools), f"Look {name}"
        case StockedEnvironment():
            return put(project, "look/environment", content.environment), f"Environment {name}"
        case StockedBackdrop():
            return put(project, "look/background", content.background), f"Backdrop {name}"
        case StockedGobo():
            light = _light(project, change.light)
            if not kind_of(light).beam:
                raise ChangeError(
                    f"‘{light.name}’ shines to all sides, so there is no beam for a gobo. Choose a light with a face."
                )
            return put(project, f"look/lights/{light.id}/gobo", content.gobo), f"Gobo of {light.name}: {name}"
        case StockedPalette():
            return _with_palette(project, content), f"Palette {name}"


class SetUp(Doc):
    """Set it up in a ready way, in the size of the subject."""

    kind: Literal["set_up"] = "set_up"
    ready: ReadySet


@performs(SetUp)
def _ready(project: Project, change: SetUp, tools: Tools) -> tuple[Project, str]:
    size, _ = subject_size(project, tools)
    name = change.ready.capitalize()
    return _set_up(project, set_in_size(ready_set(change.ready), size), name, tools), f"Set up: {change.ready}"


def stock_from_project(
    project: Project, kind: StockedKind, name: str, tools: Tools, which: str | None = None
) -> Stocked:
    """Something of a project as it is kept: its subject (or another item), the set-up of the open shot, its look, and
    so on; `which`: the id of an item, a light. Raises ChangeError when there is nothing of the kind."""
    size, _ = subject_size(project, tools)
    return Stocked(id=new_id(kind), name=name, size_m=size, content=_content(project, kind, which))


def _content(project: Project, kind: StockedKind, which: str | None) -> Content:
    look = project.look
    match kind:
        case "model":
            item = project.item(which) if which else project.subject
            if item is None or item.made is not None:
                raise ChangeError("There is no model to keep. Bring one in first.")
            worn = materials_of(item)
            return StockedModel(item=item, materials=tuple(m for m in project.materials if m.id in worn))
        case "set":
            camera = project.camera
            return StockedSet(
                set=project.set,
                look=_alone(look),
                azimuth_deg=camera.azimuth_deg,
                elevation_deg=camera.elevation_deg,
                focal_mm=camera.focal_mm,
            )
        case "look":
            return StockedLook(look=_alone(look))
        case "environment":
            if look.environment.kind == "picture" and look.environment.asset is None:
                raise ChangeError("There is no environment to keep. Choose one first.")
            return StockedEnvironment(environment=look.environment)
        case "backdrop":
            return StockedBackdrop(background=look.background)
        case "gobo":
            light = _light(project, which)
            if light.gobo is None:
                raise ChangeError(f"‘{light.name}’ has no gobo to keep.")
            return StockedGobo(gobo=light.gobo)
        case "palette":
            if not project.palette:
                raise ChangeError("The palette is empty: keep colours first.")
            return StockedPalette(colours=tuple((c.name, c.colour) for c in project.palette))


def _alone(look: Look) -> Look:
    """A look whose lights refer to nothing of its project."""
    rides = ("rig", "set", "camera", "disc")
    lights = tuple(
        revise(x, rides=x.rides if x.rides in rides else "rig", aim=Aim(), excluded_parts=()) for x in look.lights
    )
    return revise(look, lights=lights)


def _light(project: Project, which: str | None) -> Light:
    lights = project.look.lights
    light = next((x for x in lights if x.id == which), lights[0] if lights and which is None else None)
    if light is None:
        raise ChangeError("There is no light for a gobo. Add one first.")
    return light


def _aimed(project: Project, look: Look, tools: Tools) -> Look:
    _, aim = subject_size(project, tools)
    return revise(look, lights=tuple(revise(x, aim=aim) for x in look.lights))


def _with_look(project: Project, look: Look, kept: Stocked, tools: Tools) -> Project:
    """One more look, worn by the open shot; those that were there stay."""
    size, _ = subject_size(project, tools)
    name = free_name((x.name for x in project.looks), kept.name)
    new = revise(look, id=new_id("look"), name=name, lights=resize_rig(look.lights, size / kept.size_m))
    after = put(project, "looks", (*project.looks, _aimed(project, new, tools)))
    return with_metered_exposure(put(after, "shot/look_id", new.id), tools)


def _set_up(project: Project, wanted: StockedSet, name: str, tools: Tools) -> Project:
    """Set and camera as wanted and a look of that kind beside those that are there; what stands is fitted in."""
    look = revise(wanted.look, id=new_id("look"), name=free_name((x.name for x in project.looks), name))
    after = put_all(
        project,
        {
            "set": wanted.set,
            "looks": (*project.looks, look),
            "camera/azimuth_deg": wanted.azimuth_deg,
            "camera/elevation_deg": wanted.elevation_deg,
            "camera/focal_mm": wanted.focal_mm,
        },
    )
    after = put(after, "shot/look_id", look.id)
    after = standing_again(project, after, tools.measures_of)
    subject = after.subject
    measures = None if subject is None else tools.measures_of(subject)
    if subject is None or measures is None:
        return after
    after = fit_subject(after, placed_hull(measures, subject.placement))
    _, aim = subject_size(after, tools)
    after = put_all(after, with_lights_aimed(after.look, aim))
    wide = max(after.set.sweep.width_m, after.camera.distance_m * 2.8)
    grown = wide / after.set.sweep.width_m
    names = ("width_m", "depth_m", "height_m", "fillet_m")
    after = put_all(after, {f"set/sweep/{n}": getattr(after.set.sweep, n) * grown for n in names})
    return with_metered_exposure(after, tools)


def _with_palette(project: Project, palette: StockedPalette) -> Project:
    there = {c.colour for c in project.palette}
    new = tuple(
        PaletteColour(id=new_id("colour"), name=name, colour=colour)
        for name, colour in palette.colours
        if colour not in there
    )
    if len(project.palette) + len(new) > MOST_COLOURS:
        raise ChangeError(f"A palette holds {MOST_COLOURS} colours. Take some out first.")
    return put(project, "palette", (*project.palette, *new))


def _with_model(project: Project, kept: StockedModel, name: str, tools: Tools) -> Project:
    """The model as it was dressed, beside what stands there; the first one becomes the subject."""
    measures = tools.measures_of(kept.item)
    if measures is None:
        raise ChangeError(f"What was measured of ‘{name}’ is gone. Bring the model in again.")
    first = project.subject is None
    placement = centre_placement(measures, kept.item.placement, kept.item.placement.centre_method)
    placement = revise(placement, x_m=0.0, z_m=0.0)
    rides = kept.item.rides if first and kept.item.rides in ("disc", "set") else "set"
    if not first:
        hull = placed_hull(measures, placement)
        size = float(np.ptp(hull, axis=0).max())
        right = rightmost(project, tools.measures_of)
        placement = revise(placement, x_m=right + size * 0.1 - float(hull[:, 0].min()))
    item = revise(kept.item, id=new_id("item"), name=free_name((x.name for x in project.items), name), rides=rides)
    placement = ground_placement(measures, placement, stand_height_m(project, item))
    after = with_item(project, revise(item, placement=placement), kept.materials, presented=first)
    if not first:
        return after
    hull = placed_hull(measures, placement)
    return with_metered_exposure(fit_subject(after, hull), tools)
