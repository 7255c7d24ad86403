"""Perform a typed change: the one way a project is edited."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from ..arrays import Vec3
from ..errors import ChangeError
from ..framing import Seen, fit_subject
from ..geometry.measure import Measures, centred, grounded, placed_hull
from ..geometry.resting import laid
from ..light.temperature import white_of
from ..material.presets import with_preset
from ..motion import Moment, focus_distance_m, moment, moments_over, stand_height_m
from ..scene import (
    Change,
    Item,
    Project,
    Row,
    Segment,
    SetValue,
    apply_set,
    full_path,
    moved,
    place_of,
    put,
    put_all,
    value_at,
)
from ..scene.camera import FARTHEST_M, NEAREST_M
from ..scene.changes import (
    AddCamera,
    AddItem,
    AddLight,
    AddPath,
    AddShot,
    AddStretch,
    ApplyMove,
    ApplyPreset,
    Centre,
    CloseGap,
    Copy,
    FitSubject,
    FocusOn,
    GreyAt,
    LayDown,
    MeterSubject,
    MoveTo,
    Remove,
    RemoveKey,
    SetKey,
    SetRate,
    ShiftKeys,
    StandOnFloor,
    TakeCamera,
    TakeLight,
    Travel,
)
from ..scene.shot import CAMERA, DISC
from .keys import keyed, shifted, unkeyed
from .lists import copied, taken_away, with_light, with_made
from .moves import fixed, is_named_by_move, with_path, with_ready_move, with_stretch
from .placing import MeasuresOf, followed, placed, settled
from .rates import with_rate
from .taken import with_file_camera, with_file_light

METERED = 4
"""So many moments of a shot say how it is to be exposed."""
_LAID = {
    "as it came": "Stand as it came", "face": "Lay on its face", "back": "Lay on its back",
    "left": "Lay on its left side", "right": "Lay on its right side", "head": "Stand on its head",
}  # fmt: skip


class Eye(Protocol):
    """Looks through the camera, for changes that need the picture."""

    def meter(self, moments: list[Moment]) -> float | None:
        """EV100 over some moments; None when the subject is black or absent."""

    def point(self, moment: Moment, x: float, y: float) -> Seen | None:
        """The surface point seen at a place; None where nothing is."""

    def colour(self, moment: Moment, x: float, y: float) -> Vec3 | None:
        """Radiance (3,) at a place; None where nothing is."""


@dataclass(frozen=True, slots=True)
class _Tools:
    measures_of: MeasuresOf
    eye: Eye

    def item(self, project: Project, identity: str | None) -> tuple[Item, Measures]:
        """An item, the subject unless another is told, with its measures."""
        item = project.item(identity or project.subject_id)
        measures = None if item is None else self.measures_of(item)
        if item is None or measures is None:
            raise ChangeError("There is no subject yet. Bring a model in first.")
        return item, measures


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
    return _PERFORMERS[type(change)](project, change, _Tools(measures_of, eye))


def _set(project: Project, change: SetValue, tools: _Tools) -> tuple[Project, str]:
    after = apply_set(project, change)  # raises when there is no such place
    place, path = place_of(change.path), full_path(project, change.path)
    return followed(
        project, after, path, place.then, tools.measures_of
    ), f"Set {place.title[0].lower()}{place.title[1:]}"


def _centre(project: Project, change: Centre, tools: _Tools) -> tuple[Project, str]:
    item, measures = tools.item(project, change.item)
    placement = centred(measures, item.placement, change.method)
    return placed(project, item, placement, tools.measures_of), f"Centre {_called(project, item)}"


def _stand(project: Project, change: StandOnFloor, tools: _Tools) -> tuple[Project, str]:
    item, measures = tools.item(project, change.item)
    placement = grounded(measures, item.placement, stand_height_m(project, item))
    return placed(project, item, placement, tools.measures_of), "Stand on floor"


def _lay(project: Project, change: LayDown, tools: _Tools) -> tuple[Project, str]:
    item, measures = tools.item(project, change.item)
    placement = settled(project, item, laid(measures, item.placement, change.on), measures)
    return placed(project, item, placement, tools.measures_of), _LAID[change.on]


def _fit(project: Project, _: FitSubject, tools: _Tools) -> tuple[Project, str]:
    item, measures = tools.item(project, None)
    return fit_subject(project, placed_hull(measures, item.placement)), "Fit subject"


def _meter(project: Project, _: MeterSubject, tools: _Tools) -> tuple[Project, str]:
    ev100 = tools.eye.meter(moments_over(project, METERED))
    if ev100 is None:
        raise ChangeError("There is no light on the subject to meter. Turn a light on first.")
    place = place_of("look/tone/ev100")
    ev100 = min(max(round(ev100, 2), place.least or 0.0), place.most or 0.0)
    return put(project, "look/tone/ev100", ev100), "Meter the subject"


def _focus(project: Project, change: FocusOn, tools: _Tools) -> tuple[Project, str]:
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


def _grey(project: Project, change: GreyAt, tools: _Tools) -> tuple[Project, str]:
    colour = tools.eye.colour(moment(project, change.frame), change.x, change.y)
    if colour is None:
        raise ChangeError("There is nothing at that place. Click on something that should be grey.")
    white = white_of(colour)
    if white is None:
        raise ChangeError("What is seen there is black or too colourful to be a grey. Click on something neutral.")
    values = {"look/tone/white_k": round(white[0]), "look/tone/white_tint": round(white[1], 3)}
    return put_all(project, values), "White balance by a grey"


def _add_light(project: Project, change: AddLight, _: _Tools) -> tuple[Project, str]:
    return with_light(project, change.shape), "Add a light"


def _add_item(project: Project, change: AddItem, tools: _Tools) -> tuple[Project, str]:
    return with_made(project, change.form, tools.measures_of), f"Add a {change.form}"


def _copy(project: Project, change: Copy, tools: _Tools) -> tuple[Project, str]:
    after, name = copied(project, change.path, tools.measures_of)
    return after, f"Copy {name}"


def _remove(project: Project, change: Remove, tools: _Tools) -> tuple[Project, str]:
    after, name = taken_away(project, change.path, tools.measures_of)
    return after, f"Remove {name}"


def _move_to(project: Project, change: MoveTo, _: _Tools) -> tuple[Project, str]:
    thing = value_at(project, change.path)
    return moved(project, change.path, change.to), f"Move {getattr(thing, 'name', 'it')}"


def _travel(project: Project, change: Travel, _: _Tools) -> tuple[Project, str]:
    """The open shot's row is one segment; others in it are left out."""
    shot = project.shot
    was = shot.travelling.segments[0] if shot.travelling else Segment(id="segment-1")
    kind = change.move
    segment = Segment(id=was.id, kind=kind, turns=was.turns)
    others = tuple(row for row in shot.rows if row.id not in (CAMERA, DISC))
    rows = (Row(id=DISC if kind == "spin" else CAMERA, segments=(segment,)), *others)
    values: dict[str, object] = {"shot/rows": rows}
    if is_named_by_move(shot.name):
        values["shot/name"] = kind.capitalize()
    return put_all(project, values), "Set move"


def _rate(project: Project, change: SetRate, _: _Tools) -> tuple[Project, str]:
    return with_rate(project, change.num, change.den, change.keep == "seconds"), f"Rate, {change.keep} kept"


def _add_shot(project: Project, _: AddShot, tools: _Tools) -> tuple[Project, str]:
    after, name = copied(project, "shot", tools.measures_of)
    number = [s.id for s in project.shots].index(project.shot_id)
    return put(after, "shot_id", after.shots[number + 1].id), f"Add a shot like {name}"


def _add_camera(project: Project, _: AddCamera, tools: _Tools) -> tuple[Project, str]:
    after, name = copied(project, "camera", tools.measures_of)
    number = [c.id for c in project.cameras].index(project.shot.camera_id)
    return put(after, "shot/camera_id", after.cameras[number + 1].id), f"Add a camera like {name}"


def _key(project: Project, change: SetKey, _: _Tools) -> tuple[Project, str]:
    return keyed(project, change.path, change.frame, change.value), f"Key {_named(change.path)} in frame {change.frame}"


def _unkey(project: Project, change: RemoveKey, _: _Tools) -> tuple[Project, str]:
    which = "all keys" if change.frame is None else f"the key in frame {change.frame}"
    return unkeyed(project, change.path, change.frame), f"Take away {which} of {_named(change.path)}"


def _shift_keys(project: Project, change: ShiftKeys, _: _Tools) -> tuple[Project, str]:
    return shifted(project, change.path, change.frames, change.by), f"Move keys of {_named(change.path)}"


def _add_stretch(project: Project, change: AddStretch, _: _Tools) -> tuple[Project, str]:
    return with_stretch(project, change.move, change.traveller), f"Add a {change.move.replace('_', ' ')}"


def _add_path(project: Project, change: AddPath, _: _Tools) -> tuple[Project, str]:
    return with_path(project, change.shape), f"Add a {change.shape}"


def _apply_move(project: Project, change: ApplyMove, tools: _Tools) -> tuple[Project, str]:
    """Fitted to the subject where there is one and its distance counts."""
    after, label = with_ready_move(project, change.move), f"Move: {change.move}"
    subject = after.subject
    measures = None if subject is None else tools.measures_of(subject)
    if subject is None or measures is None or any(s.kind == "ride" for r in after.shot.rows for s in r.segments):
        return after, label
    return fit_subject(after, placed_hull(measures, subject.placement)), label


def _close_gap(project: Project, change: CloseGap, _: _Tools) -> tuple[Project, str]:
    return fixed(project, change.where, change.fix), f"Close: {change.fix}"


def _named(path: str) -> str:
    title = place_of(path).title
    return title[0].lower() + title[1:]


def _file_camera(project: Project, change: TakeCamera, _: _Tools) -> tuple[Project, str]:
    return with_file_camera(project, change.id), "Take the file's camera"


def _file_light(project: Project, change: TakeLight, _: _Tools) -> tuple[Project, str]:
    return with_file_light(project, change.id), "Take a light of the file"


def _preset(project: Project, change: ApplyPreset, _: _Tools) -> tuple[Project, str]:
    material = next((m for m in project.materials if m.id == change.material), None)
    if material is None:
        raise ChangeError("That material is not in this project any more.")
    after = put(project, f"materials/{material.id}", with_preset(material, change.preset))
    return after, f"Start from {change.preset.lower()}"


def _called(project: Project, item: Item) -> str:
    return "the subject" if item.id == project.subject_id else item.name


_PERFORMERS: dict[type, Callable[[Project, Any, _Tools], tuple[Project, str]]] = {
    SetRate: _rate,
    AddShot: _add_shot, AddCamera: _add_camera,
    SetValue: _set, Centre: _centre, StandOnFloor: _stand, LayDown: _lay,
    FitSubject: _fit, MeterSubject: _meter, FocusOn: _focus, GreyAt: _grey,
    AddLight: _add_light, AddItem: _add_item, Copy: _copy, Remove: _remove,
    MoveTo: _move_to, Travel: _travel, SetKey: _key, RemoveKey: _unkey,
    ShiftKeys: _shift_keys, AddStretch: _add_stretch, AddPath: _add_path, ApplyMove: _apply_move,
    CloseGap: _close_gap, TakeCamera: _file_camera, TakeLight: _file_light, ApplyPreset: _preset,
}  # fmt: skip
