"""Typed changes: every edit of a project is one of these, so that it can be checked, named and undone."""

from typing import Annotated, Literal

from pydantic import Field, JsonValue

from ..errors import ChangeError
from .base import Doc, Id, Unit01, quantity
from .light import Shape
from .place import place_of, put, value_at
from .project import Project
from .subject import CentreMethod, Resting


class SetValue(Doc):
    """Put one value at one place, e.g. `lights/key/strength_stops`. Items of a list are named by their id."""

    kind: Literal["set"] = "set"
    path: Annotated[str, Field(min_length=1, max_length=200)]
    value: JsonValue


class Centre(Doc):
    """Put the subject's measured centre on the axis of the turn."""

    kind: Literal["centre"] = "centre"
    method: CentreMethod = "box"


class StandOnFloor(Doc):
    """Lift or lower the subject until its lowest point touches what it stands on."""

    kind: Literal["stand"] = "stand"


class LayDown(Doc):
    """Lay the subject on a side: tipped or rolled that way, then settled on the face it would rest on."""

    kind: Literal["lay"] = "lay"
    on: Resting


class CorrectUnit(Doc):
    """The file's numbers are in another unit or axis than guessed; placement is measured again."""

    kind: Literal["unit"] = "unit"
    unit_m: Annotated[float | None, quantity("Unit", "m", ge=1e-15, le=1e9)] = None
    up: Literal["y", "z"] | None = None


class FitSubject(Doc):
    """Move the camera to the distance at which the subject stays inside the margin in every frame."""

    kind: Literal["fit"] = "fit"


class MeterSubject(Doc):
    """Expose for the subject as metered over the whole move."""

    kind: Literal["meter"] = "meter"


class FocusOn(Doc):
    """Keep in focus what is seen at a place of the picture in a frame; shares from the top left."""

    kind: Literal["focus_on"] = "focus_on"
    frame: Annotated[int, Field(ge=0, le=2_000_000)]
    x: Unit01
    y: Unit01


class GreyAt(Doc):
    """Set the white balance so that what is seen at a place of the picture is grey."""

    kind: Literal["grey_at"] = "grey_at"
    frame: Annotated[int, Field(ge=0, le=2_000_000)]
    x: Unit01
    y: Unit01


class AddLight(Doc):
    """Put another light on the set: a new one of a shape, or a copy of one that is there."""

    kind: Literal["add_light"] = "add_light"
    shape: Shape = "rectangle"
    copy_of: Id | None = None


class RemoveLight(Doc):
    """Take a light off the set."""

    kind: Literal["remove_light"] = "remove_light"
    id: Id


class TakeCamera(Doc):
    """Shoot from where a camera of the model's file stands, with its field of view."""

    kind: Literal["take_camera"] = "take_camera"
    id: Id


class TakeLight(Doc):
    """Put a light like one of the model's file on the set."""

    kind: Literal["take_light"] = "take_light"
    id: Id


class ApplyPreset(Doc):
    """Start a material again from a preset."""

    kind: Literal["preset"] = "preset"
    material: Id
    preset: Annotated[str, Field(max_length=80)]


Change = Annotated[
    SetValue
    | Centre
    | StandOnFloor
    | CorrectUnit
    | LayDown
    | FitSubject
    | MeterSubject
    | FocusOn
    | GreyAt
    | AddLight
    | RemoveLight
    | TakeCamera
    | TakeLight
    | ApplyPreset,
    Field(discriminator="kind"),
]


def apply_set(project: Project, change: SetValue) -> Project:
    """The project with one value replaced by an artist.

    Raises ChangeError when the place does not exist, may not be edited, or the value is not allowed.
    """
    value_at(project, change.path)
    whole_subject = change.path == "subject" and change.value is not None  # it comes in through intake only
    if whole_subject or place_of(change.path).fixed:
        raise ChangeError(f"‘{change.path}’ cannot be edited.")
    return put(project, change.path, change.value)
