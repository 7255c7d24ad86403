"""Perform a typed change: the one way a project is edited."""

from collections.abc import Callable, Sequence
from typing import Protocol

from ..arrays import Vec3
from ..errors import ChangeError
from ..framing import fit_subject
from ..geometry.measure import Measures, centred, grounded, placed_hull
from ..geometry.resting import laid
from ..light.temperature import white_of
from ..material.presets import with_preset
from ..motion import focus_distance_m, pose_project
from ..scene import (
    Change,
    Light,
    Placement,
    Project,
    SetValue,
    apply_set,
    inserted,
    place_of,
    put,
    put_all,
    removed,
    value_at,
)
from ..scene.base import new_id
from ..scene.camera import FARTHEST_M, NEAREST_M
from ..scene.changes import (
    AddLight,
    ApplyPreset,
    Centre,
    CorrectUnit,
    FitSubject,
    FocusOn,
    GreyAt,
    LayDown,
    MeterSubject,
    RemoveLight,
    StandOnFloor,
    TakeCamera,
    TakeLight,
)
from .light_names import free_name
from .taken import with_file_camera, with_file_light

SHAPE_NAMES = {
    "rectangle": "Panel", "disc": "Disc", "sphere": "Globe", "tube": "Tube", "spot": "Spot", "sun": "Sun",
}  # fmt: skip

_PLACEMENT = "subject/placement"
_TIPS = ("subject/placement/tip_deg", "subject/placement/roll_deg")
_LAID = {
    "as it came": "Stand as it came", "face": "Lay on its face", "back": "Lay on its back",
    "left": "Lay on its left side", "right": "Lay on its right side", "head": "Stand on its head",
}  # fmt: skip


class Eye(Protocol):
    """Looks through the camera, for changes that need the picture."""

    def meter(self, project: Project) -> float | None:
        """EV100 over the move; None when the subject is black or absent."""

    def point(self, project: Project, frame: int, x: float, y: float) -> tuple[Vec3, bool] | None:
        """The surface point seen at a place, and whether it turns with the subject; None where nothing is."""

    def colour(self, project: Project, frame: int, x: float, y: float) -> Vec3 | None:
        """Radiance (3,) at a place; None where nothing is."""


def perform_all(
    project: Project, changes: Sequence[Change], measures_of: Callable[[Project], Measures | None], eye: Eye
) -> tuple[Project, list[str]]:
    """The project after changes one after the other, measured anew for each, and their labels; see `perform`."""
    labels = []
    for change in changes:
        project, label = perform(project, change, measures_of(project), eye)
        labels.append(label)
    return project, labels


def perform(project: Project, change: Change, measures: Measures | None, eye: Eye) -> tuple[Project, str]:
    """The changed project and the label under which it can be undone.

    Raises ChangeError with a sentence when the change is not allowed.
    """
    if isinstance(change, SetValue):
        changed = apply_set(project, change)
        if change.path in _TIPS and changed.subject is not None and measures is not None:
            return _settled(changed, changed.subject.placement, measures), _set_label(change)
        return _keep_on_disc(project, changed, measures), _set_label(change)
    if isinstance(change, MeterSubject):
        return _metered(project, eye), "Meter the subject"
    if isinstance(change, FocusOn):
        return _focused(project, change, eye), "Focus on a point"
    if isinstance(change, GreyAt):
        return _balanced(project, change, eye), "White balance by a grey"
    if isinstance(change, AddLight):
        return _with_light(project, change), "Add a light"
    if isinstance(change, RemoveLight):
        return _without_light(project, change.id), "Remove a light"
    if isinstance(change, TakeCamera):
        return with_file_camera(project, change.id), "Take the file's camera"
    if isinstance(change, TakeLight):
        return with_file_light(project, change.id), "Take a light of the file"
    if isinstance(change, ApplyPreset):
        return _with_preset(project, change), f"Start from {change.preset.lower()}"
    if project.subject is None or measures is None:
        raise ChangeError("There is no subject yet. Bring a model in first.")
    placement = project.subject.placement
    if isinstance(change, FitSubject):
        return fit_subject(project, placed_hull(measures, placement)).project, "Fit subject"
    if isinstance(change, Centre):
        return _place(project, centred(measures, placement, change.method)), "Centre the subject"
    if isinstance(change, StandOnFloor):
        return _place(project, grounded(measures, placement, project.set.stand_height_m)), "Stand on floor"
    if isinstance(change, LayDown):
        return _settled(project, laid(measures, placement, change.on), measures), _LAID[change.on]
    assert isinstance(change, CorrectUnit)
    values = {"unit_m": change.unit_m or placement.unit_m, "up": change.up or placement.up}
    project = put_all(project, {f"{_PLACEMENT}/{name}": value for name, value in values.items()})
    placement = value_at(project, _PLACEMENT)
    return _settled(project, placement, measures), "Correct unit and axis"


def _settled(project: Project, placement: Placement, measures: Measures) -> Project:
    """The project with a placement that is centred anew, by the method in use, and stands."""
    placement = centred(measures, placement, placement.centre_method)
    return _place(project, grounded(measures, placement, project.set.stand_height_m))


def _with_light(project: Project, change: AddLight) -> Project:
    origin = next((x for x in project.lights if x.id == change.copy_of), None)
    stem = origin.name if origin else SHAPE_NAMES[change.shape]
    name = free_name(project, stem)
    if origin:
        beside = (origin.azimuth_deg + 30 + 180) % 360 - 180
        new = Light(**(origin.model_dump() | {"id": new_id("light"), "name": name, "azimuth_deg": beside}))
    else:
        near = project.lights[0] if project.lights else Light(id="x", name="x")
        size = {"width_m": near.width_m, "height_m": near.height_m}
        if change.shape == "tube":
            size = {"width_m": near.width_m, "height_m": near.width_m * 0.06}
        elif change.shape in ("sphere", "spot"):
            size = {"width_m": near.width_m * 0.25, "height_m": near.width_m * 0.25}
        sun = {"power": 20_000.0, "power_unit": "lx"} if change.shape == "sun" else {}
        new = Light(id=new_id("light"), name=name, shape=change.shape, azimuth_deg=20, elevation_deg=45,
                    distance_m=near.distance_m, strength_stops=-1.5, **size, **sun)  # type: ignore[arg-type]  # fmt: skip
    return inserted(project, "lights", new)


def _without_light(project: Project, identity: str) -> Project:
    if all(x.id != identity for x in project.lights):
        raise ChangeError("That light is not on the set any more.")
    return removed(project, f"lights/{identity}")


def _with_preset(project: Project, change: ApplyPreset) -> Project:
    material = next((m for m in project.materials if m.id == change.material), None)
    if material is None:
        raise ChangeError("That material is not in this project any more.")
    return put(project, f"materials/{material.id}", with_preset(material, change.preset))


def _keep_on_disc(before: Project, after: Project, measures: Measures | None) -> Project:
    """A subject that stood on the disc still stands when the disc's height changes or it is taken away."""
    rise = after.set.stand_height_m - before.set.stand_height_m
    if after.subject is None or measures is None or rise == 0 or after.subject != before.subject:
        return after
    stood = placed_hull(measures, before.subject.placement)[:, 1].min() - before.set.stand_height_m
    if abs(stood) > 1e-6:
        return after
    return _place(after, grounded(measures, after.subject.placement, after.set.stand_height_m))


def _place(project: Project, placement: Placement) -> Project:
    return put(project, _PLACEMENT, placement)


def _metered(project: Project, eye: Eye) -> Project:
    ev100 = eye.meter(project)
    if ev100 is None:
        raise ChangeError("There is no light on the subject to meter. Turn a light on first.")
    place = place_of("look/ev100")
    ev100 = min(max(round(ev100, 2), place.least or 0.0), place.most or 0.0)
    return put(project, "look/ev100", ev100)


def _focused(project: Project, change: FocusOn, eye: Eye) -> Project:
    found = eye.point(project, change.frame, change.x, change.y)
    if found is None:
        raise ChangeError("There is nothing to focus on at that place. Click on the subject or the set.")
    point, turns = found
    update: dict[str, object] = {"focus_m": None, "focus_point_m": tuple(significant(float(c)) for c in point)}
    if not turns:
        distance = focus_distance_m(point, pose_project(project).at(change.frame).camera)
        update = {"focus_m": significant(min(max(distance, NEAREST_M), FARTHEST_M)), "focus_point_m": None}
    return put_all(project, {f"cameras/{project.camera_id}/{name}": value for name, value in update.items()})


def significant(metres: float) -> float:
    """A length to six digits, whatever its size."""
    return float(f"{metres:.6g}")


def _balanced(project: Project, change: GreyAt, eye: Eye) -> Project:
    colour = eye.colour(project, change.frame, change.x, change.y)
    if colour is None:
        raise ChangeError("There is nothing at that place. Click on something that should be grey.")
    white = white_of(colour)
    if white is None:
        raise ChangeError("What is seen there is black or too colourful to be a grey. Click on something neutral.")
    return put_all(project, {"look/white_k": round(white[0]), "look/white_tint": round(white[1], 3)})


def _set_label(change: SetValue) -> str:
    title = place_of(change.path).title
    return f"Set {title[0].lower()}{title[1:]}"
