"""Typed changes: every edit of a project is one of these, so that it can be checked, named and undone."""

from typing import Annotated, Literal

from pydantic import Field, JsonValue

from ..errors import ChangeError
from .base import Doc, Id, Unit01
from .item import CentreMethod, Form, Resting
from .light import Shape
from .look_changes import (
    AddColourway,
    AddLook,
    ApplyPreset,
    ApplyRig,
    Dress,
    EvenLights,
    Frame,
    MatchColour,
    PlaceLight,
    RemoveUnworn,
    ShotEachColourway,
    UseRig,
    WearColourway,
)
from .palette import AddColours, AddReference
from .path import Bends, PathShape
from .place import full_path, place_of, put, value_at
from .project import Project
from .saved_move import SavedMove
from .shot import CAMERA, Fix, MoveKind, ReadyMove
from .stocked import SetUp, UseStocked
from .surface_layer import AddDecal, AddLayer, MoveDecal

ValuePath = Annotated[str, Field(min_length=1, max_length=200)]


class SetValue(Doc):
    """Put one value at one place, e.g. `look/lights/key/tint`. What is in a list is named by its id."""

    kind: Literal["set"] = "set"
    path: ValuePath
    value: JsonValue


class Centre(Doc):
    """Put an item's measured centre on the axis of its turn."""

    kind: Literal["centre"] = "centre"
    method: CentreMethod = "box"
    item: Id | None = None
    """None: the subject"""


class StandOnFloor(Doc):
    """Lift or lower an item until its lowest point touches what it stands on."""

    kind: Literal["stand"] = "stand"
    item: Id | None = None


class LayDown(Doc):
    """Lay an item on a side: tipped or rolled that way, then settled on the face it would rest on."""

    kind: Literal["lay"] = "lay"
    on: Resting
    item: Id | None = None


class FitSubject(Doc):
    """Move the camera to the distance at which the subject stays inside the margin, in every frame or in one."""

    kind: Literal["fit"] = "fit"
    keep: Literal["subject", "disc", "everything"] = "subject"
    """disc: that it stands on stays in the picture as well; everything: so does all else on the set"""
    part: Id | None = None
    """of the subject, instead of all of it"""
    frame: Frame | None = None
    """None: every frame"""


class WidenSweep(Doc):
    """Make the sweep large enough for the camera to stand inside it in every frame."""

    kind: Literal["widen_sweep"] = "widen_sweep"


class MeterSubject(Doc):
    """Expose for the subject as metered over the whole move."""

    kind: Literal["meter"] = "meter"


class FocusOn(Doc):
    """Keep in focus what is seen at a place of the picture in a frame; shares from the top left."""

    kind: Literal["focus_on"] = "focus_on"
    frame: Frame
    x: Unit01
    y: Unit01


class GreyAt(Doc):
    """Set the white balance so that what is seen at a place of the picture is grey."""

    kind: Literal["grey_at"] = "grey_at"
    frame: Frame
    x: Unit01
    y: Unit01


class AddLight(Doc):
    """Put another light of a shape on the set."""

    kind: Literal["add_light"] = "add_light"
    shape: Shape = "rectangle"


class AddItem(Doc):
    """Put a shape made by the program on the set, in a size that suits the subject."""

    kind: Literal["add_item"] = "add_item"
    form: Form = "plinth"


class Copy(Doc):
    """Another one like an item, light, look, camera or shot, beside it."""

    kind: Literal["copy"] = "copy"
    path: ValuePath


class Remove(Doc):
    """Take away an item, light, look, camera, shot or material, with what only belongs to it."""

    kind: Literal["remove"] = "remove"
    path: ValuePath


class MoveTo(Doc):
    """Put something at another place of its list, 0 the first."""

    kind: Literal["move_to"] = "move_to"
    path: ValuePath
    to: Annotated[int, Field(ge=0, le=1000)]


class Travel(Doc):
    """How the open shot travels: the camera orbits, the disc spins, or everything holds still."""

    kind: Literal["travel"] = "travel"
    move: MoveKind


class SetRate(Doc):
    """Another frame rate for the whole project; shots keep their seconds, or their frames."""

    kind: Literal["rate"] = "rate"
    num: Annotated[int, Field(ge=1, le=240_000)]
    den: Annotated[int, Field(ge=1, le=1001)] = 1
    keep: Literal["seconds", "frames"] = "seconds"


class SetLength(Doc):
    """A number of frames at a place, told as timecode."""

    kind: Literal["length"] = "length"
    path: ValuePath
    timecode: Annotated[str, Field(max_length=40)]


class Reframe(Doc):
    """Move a format of the open shot to where the subject has most room in all frames; what was keyed of it goes."""

    kind: Literal["reframe"] = "reframe"
    format: Id


class AddShot(Doc):
    """Another shot like the open one, which is opened."""

    kind: Literal["add_shot"] = "add_shot"


class AddCamera(Doc):
    """Another camera like the open shot's, through which the shot is shot then. Keyed values are as they are in a frame
    (None: in the first)."""

    kind: Literal["add_camera"] = "add_camera"
    frame: Frame | None = None


class SetKey(Doc):
    """Key a value in a frame of the open shot, as it is there unless another is told."""

    kind: Literal["key"] = "key"
    path: ValuePath
    frame: Frame
    value: JsonValue = None


class RemoveKey(Doc):
    """Take the key of a value in a frame away, or all of them."""

    kind: Literal["unkey"] = "unkey"
    path: ValuePath
    frame: Frame | None = None


class ShiftKeys(Doc):
    """Let keys of a value be so many frames later, or earlier."""

    kind: Literal["shift_keys"] = "shift_keys"
    path: ValuePath
    frames: Annotated[tuple[Frame, ...], Field(min_length=1, max_length=2000)]
    by: Annotated[int, Field(ge=-200_000, le=200_000)]


class CopyKeys(Doc):
    """Keys of a value once more, so many frames later or earlier."""

    kind: Literal["copy_keys"] = "copy_keys"
    path: ValuePath
    frames: Annotated[tuple[Frame, ...], Field(min_length=1, max_length=2000)]
    by: Annotated[int, Field(ge=-200_000, le=200_000)]


class StretchKeys(Doc):
    """Let keys of a value be farther from a frame, or nearer to it, by a factor."""

    kind: Literal["stretch_keys"] = "stretch_keys"
    path: ValuePath
    frames: Annotated[tuple[Frame, ...], Field(min_length=1, max_length=2000)]
    about: Frame
    factor: Annotated[float, Field(ge=0.001, le=1000)]


class ScaleKeys(Doc):
    """Let the values of keys be so many times as far from a value."""

    kind: Literal["scale_keys"] = "scale_keys"
    path: ValuePath
    frames: Annotated[tuple[Frame, ...], Field(min_length=1, max_length=2000)]
    about: Annotated[float, Field(ge=-1e12, le=1e12)] = 0.0
    factor: Annotated[float, Field(ge=-1000, le=1000)]


class AddStretch(Doc):
    """One more stretch at the end of what the camera, the disc or an item does in the open shot."""

    kind: Literal["add_stretch"] = "add_stretch"
    move: MoveKind
    traveller: Id = CAMERA


_Reach = Annotated[float, Field(ge=-5000, le=5000)]
_Place = tuple[_Reach, _Reach, _Reach]


class HoldEnds(Doc):
    """Let everything that travels and is keyed in the open shot stand for some frames before it begins, or after."""

    kind: Literal["hold_ends"] = "hold_ends"
    before: Annotated[int, Field(ge=0, le=10_000)] = 0
    after: Annotated[int, Field(ge=0, le=10_000)] = 0


class DrawPath(Doc):
    """A path through points of the studio, m."""

    kind: Literal["draw_path"] = "draw_path"
    points: Annotated[tuple[_Place, ...], Field(min_length=2, max_length=200)]
    closed: bool = False


class AddPoint(Doc):
    """One more point of a path, at a place of the studio, m, between the two where it comes nearest."""

    kind: Literal["add_point"] = "add_point"
    path: Id
    at: _Place


class BendPoint(Doc):
    """Let a path go through a point by itself, or by handles."""

    kind: Literal["bend_point"] = "bend_point"
    path: Id
    point: Id
    bends: Bends


class SpeedCurve(Doc):
    """Key how far along its path a ride of the camera is, so that its speed is drawn as a curve."""

    kind: Literal["speed_curve"] = "speed_curve"
    segment: Id


class ThenPlay(Doc):
    """One more piece of an animation at the end of what the subject plays."""

    kind: Literal["then_play"] = "then_play"
    animation: Id


class AddPath(Doc):
    """A path of a ready shape around what the camera looks at."""

    kind: Literal["add_path"] = "add_path"
    shape: PathShape


class ApplyMove(Doc):
    """Let the camera of the open shot do a ready move."""

    kind: Literal["apply_move"] = "apply_move"
    move: ReadyMove


class UseMove(Doc):
    """Let camera and disc of the open shot do a move that was kept."""

    kind: Literal["use_move"] = "use_move"
    move: SavedMove


class CloseGap(Doc):
    """Mend what keeps the open shot from closing."""

    kind: Literal["close_gap"] = "close_gap"
    where: ValuePath
    fix: Fix


class TakeCamera(Doc):
    """Shoot from where a camera of the model's file stands, with its field of view."""

    kind: Literal["take_camera"] = "take_camera"
    id: Id


class TakeLight(Doc):
    """Put a light like one of the model's file on the set."""

    kind: Literal["take_light"] = "take_light"
    id: Id


Change = Annotated[
    SetValue
    | Centre
    | StandOnFloor
    | LayDown
    | FitSubject
    | WidenSweep
    | MeterSubject
    | FocusOn
    | GreyAt
    | PlaceLight
    | AddLight
    | AddItem
    | Copy
    | Remove
    | MoveTo
    | Travel
    | SetRate
    | Reframe
    | SetLength
    | AddShot
    | AddCamera
    | SetKey
    | RemoveKey
    | ShiftKeys
    | CopyKeys
    | StretchKeys
    | ScaleKeys
    | AddStretch
    | HoldEnds
    | DrawPath
    | AddPoint
    | BendPoint
    | SpeedCurve
    | ThenPlay
    | AddPath
    | ApplyMove
    | UseMove
    | CloseGap
    | TakeCamera
    | TakeLight
    | MatchColour
    | ApplyPreset
    | Dress
    | RemoveUnworn
    | AddColourway
    | WearColourway
    | ShotEachColourway
    | AddLook
    | EvenLights
    | ApplyRig
    | UseRig
    | AddColours
    | AddReference
    | UseStocked
    | SetUp
    | AddLayer
    | AddDecal
    | MoveDecal,
    Field(discriminator="kind"),
]


def apply_set(project: Project, change: SetValue) -> Project:
    """The project with one value replaced by an artist.

    Raises ChangeError when the place does not exist, may not be edited, or the value is not allowed.
    """
    value_at(project, change.path)
    path = full_path(project, change.path)
    lists = path.count("/") == 0 and place_of(path).kind == "list"  # things come and go by changes of their own
    if lists or place_of(path).fixed:
        raise ChangeError(f"‘{change.path}’ cannot be edited.")
    return put(project, path, change.value)
