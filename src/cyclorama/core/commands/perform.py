"""Perform a typed change: the one way a project is edited."""

import re
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from ..errors import ChangeError
from ..framing import fit_subject
from ..geometry.measure import centred, grounded, placed_hull
from ..geometry.resting import laid
from ..light.temperature import white_of
from ..motion import box_corners, focus_distance_m, moment, stand_height_m
from ..scene import (
    Change,
    Item,
    Project,
    SetValue,
    apply_set,
    full_path,
    moved,
    place_of,
    put_all,
    value_at,
)
from ..scene.camera import FARTHEST_M, NEAREST_M
from ..scene.changes import (
    AddItem,
    AddLight,
    Centre,
    Copy,
    FitSubject,
    FocusOn,
    GreyAt,
    LayDown,
    MeterSubject,
    MoveTo,
    Remove,
    StandOnFloor,
    TakeCamera,
    TakeLight,
    WidenSweep,
)
from ..scene.look_changes import (
    AddLook,
    ApplyPreset,
    ApplyRig,
    Dress,
    EvenLights,
    MatchColour,
    PlaceLight,
    RemoveUnworn,
    UseRig,
)
from .animation import TIMED
from .colourways import COLOURWAYS, without_colourway
from .file_lights import with_file_camera, with_file_light
from .layers import LAYERS
from .light_places import with_even_lights, with_light_placed
from .lists import copied, taken_away, with_light, with_made
from .looks import dressed, exposed, matched, started_from, with_kept_rig, with_look, with_rig, without_unworn
from .palette import PALETTE
from .placing import MeasuresOf, followed, placed, settled
from .stock import STOCK
from .sweeps import camera_is_outside, with_wide_sweep
from .tools import Eye, Tools

_LAID = {
    "as it came": "Stand as it came", "face": "Lay on its face", "back": "Lay on its back",
    "left": "Lay on its left side", "right": "Lay on its right side", "head": "Stand on its head",
}  # fmt: skip


def perform_all(
    project: Project, changes: Sequence[Change], measures_of: MeasuresOf, eye: Eye
) -> tuple[Project, list[str]]:
    """The project after changes one after the other, and their labels; see `perform`."""
    labels = []
    for change in changes:
        project, label = perform(project, change, measures_of, eye)
        labels.append(label)
    return project, labels


def perform(project: Project, change: Change, measures_of: MeasuresOf, eye: Eye) -> tuple[Project, str]:
    """The changed project and the label under which it can be undone.

    measures_of: gives the measures of an item, None where there are none. Raises ChangeError with a sentence when the
    change is not allowed.
    """
    return _PERFORMERS[type(change)](project, change, Tools(measures_of, eye))


def _set(project: Project, change: SetValue, tools: Tools) -> tuple[Project, str]:
    after = apply_set(project, change)  # raises when there is no such place
    place, path = place_of(change.path), full_path(project, change.path)
    return followed(
        project, after, path, place.then, tools.measures_of
    ), f"Set {place.title[0].lower()}{place.title[1:]}"


def _centre(project: Project, change: Centre, tools: Tools) -> tuple[Project, str]:
    item, measures = tools.item(project, change.item)
    placement = centred(measures, item.placement, change.method)
    return placed(project, item, placement, tools.measures_of), f"Centre {_called(project, item)}"


def _stand(project: Project, change: StandOnFloor, tools: Tools) -> tuple[Project, str]:
    item, measures = tools.item(project, change.item)
    placement = grounded(measures, item.placement, stand_height_m(project, item))
    return placed(project, item, placement, tools.measures_of), "Stand on floor"


def _lay(project: Project, change: LayDown, tools: Tools) -> tuple[Project, str]:
    item, measures = tools.item(project, change.item)
    placement = settled(project, item, laid(measures, item.placement, change.on), measures)
    return placed(project, item, placement, tools.measures_of), _LAID[change.on]


def _fit(project: Project, change: FitSubject, tools: Tools) -> tuple[Project, str]:
    item, measures = tools.item(project, None)
    points, what = placed_hull(measures, item.placement), "subject"
    if change.part is not None:
        part = next((p for p in item.parts if p.id == change.part), None)
        corners = None if part is None else box_corners(item, part.id)
        if part is None or corners is None:
            raise ChangeError("That part is not there, or its size is not known. Bring the model in again.")
        points, what = corners, part.name
    disc = project.set.disc
    if change.keep == "everything":
        others = [(x, tools.measures_of(x)) for x in project.items if x.on and x.id != item.id]
        points = np.concatenate([points, *(placed_hull(m, x.placement) for x, m in others if m is not None)])
        what = "everything"
    elif change.keep == "disc" and disc.on:
        around = np.radians(np.arange(0, 360, 5))
        rim = np.stack([disc.radius_m * np.sin(around), np.zeros(72), disc.radius_m * np.cos(around)], axis=1)
        points, what = np.concatenate([points, rim, rim + np.array([0.0, disc.height_m, 0.0])]), f"{what} and disc"
    after = fit_subject(project, points, change.frame)
    if camera_is_outside(after) and not camera_is_outside(project):
        return with_wide_sweep(after), f"Fit {what}, widen sweep"
    return after, f"Fit {what}"


def _widen(project: Project, _: WidenSweep, tools: Tools) -> tuple[Project, str]:
    return with_wide_sweep(project), "Widen sweep"


def _meter(project: Project, _: MeterSubject, tools: Tools) -> tuple[Project, str]:
    after = exposed(project, tools)
    if after is project:
        raise ChangeError("There is no light on the subject to meter. Turn a light on first.")
    return after, "Meter the subject"


def _focus(project: Project, change: FocusOn, tools: Tools) -> tuple[Project, str]:
    here = moment(project, change.frame)
    seen = tools.eye.point(here, change.x, change.y)
    if seen is None:
        raise ChangeError("There is nothing to focus on at that place. Click on the subject or the set.")
    values: dict[str, object] = {"focus_m": None, "focus_item": seen.item,
                                 "focus_point_m": tuple(significant(float(c)) for c in seen.point)}  # fmt: skip
    if seen.item is None:
        distance = focus_distance_m(seen.point, here.around.cameras[0])
        values = {"focus_m": significant(min(max(distance, NEAREST_M), FARTHEST_M)), "focus_point_m": None,
                  "focus_item": None}  # fmt: skip
    return put_all(project, {f"camera/{name}": value for name, value in values.items()}), "Focus on a point"


def significant(metres: float) -> float:
    """A length to six digits, whatever its size."""
    return float(f"{metres:.6g}")


def _grey(project: Project, change: GreyAt, tools: Tools) -> tuple[Project, str]:
    colour = tools.eye.colour(moment(project, change.frame), change.x, change.y)
    if colour is None:
        raise ChangeError("There is nothing at that place. Click on something that should be grey.")
    white = white_of(colour)
    if white is None:
        raise ChangeError("What is seen there is black or too colourful to be a grey. Click on something neutral.")
    values = {"look/tone/white_k": round(white[0]), "look/tone/white_tint": round(white[1], 3)}
    return put_all(project, values), "White balance by a grey"


def _add_light(project: Project, change: AddLight, _: Tools) -> tuple[Project, str]:
    return with_light(project, change.shape), "Add a light"


def _add_item(project: Project, change: AddItem, tools: Tools) -> tuple[Project, str]:
    return with_made(project, change.form, tools.measures_of), f"Add a {change.form}"


def _copy(project: Project, change: Copy, tools: Tools) -> tuple[Project, str]:
    after, name = copied(project, change.path, tools.measures_of)
    return after, f"Copy {name}"


def _remove(project: Project, change: Remove, tools: Tools) -> tuple[Project, str]:
    if re.fullmatch(r"items/[^/]+/variants/[^/]+", change.path):
        project = without_colourway(project, change.path)
    after, name = taken_away(project, change.path, tools.measures_of)
    return after, f"Remove {name}"


def _move_to(project: Project, change: MoveTo, _: Tools) -> tuple[Project, str]:
    thing = value_at(project, change.path)
    return moved(project, change.path, change.to), f"Move {getattr(thing, 'name', 'it')}"


def _file_camera(project: Project, change: TakeCamera, _: Tools) -> tuple[Project, str]:
    return with_file_camera(project, change.id), "Take the file's camera"


def _file_light(project: Project, change: TakeLight, _: Tools) -> tuple[Project, str]:
    return with_file_light(project, change.id), "Take a light of the file"


def _called(project: Project, item: Item) -> str:
    return "the subject" if item.id == project.subject_id else item.name


_PERFORMERS: dict[type, Callable[[Project, Any, Tools], tuple[Project, str]]] = {
    SetValue: _set, Centre: _centre, StandOnFloor: _stand, LayDown: _lay,
    FitSubject: _fit, WidenSweep: _widen, MeterSubject: _meter, FocusOn: _focus, GreyAt: _grey,
    PlaceLight: with_light_placed, EvenLights: with_even_lights,
    AddLight: _add_light, AddItem: _add_item, Copy: _copy, Remove: _remove,
    MoveTo: _move_to, TakeCamera: _file_camera, TakeLight: _file_light, ApplyPreset: started_from,
    AddLook: with_look, ApplyRig: with_rig, UseRig: with_kept_rig,
    Dress: dressed, MatchColour: matched, RemoveUnworn: without_unworn, **COLOURWAYS,
    **LAYERS, **PALETTE, **STOCK, **TIMED,
}  # fmt: skip
