"""Answers to the studio floor: the shapes of its JSON."""

from typing import Literal

from pydantic import BaseModel, SkipValidation

from ...core.geometry.report import IntakeReport
from ...core.review.fixes import Fix
from ...core.review.next_step import NextStep
from ...core.review.stations import Station
from ...core.scene import Project
from ...core.scene.haze import Thickness

Matrix = list[list[float]]
"""4×4, column vectors."""
Vector = list[float]
Packed = str
"""Base64 of float32, little endian: numbers for every frame that is looked at."""


NEVER_CHANGES = {"Cache-Control": "private, max-age=31536000, immutable"}
"""Headers of what is named after its content."""


class LightState(BaseModel):
    """Light in stand-in and plan."""

    id: str
    name: str
    distant: bool
    """it stands at no distance in particular"""
    signs: tuple[tuple[float, float], ...]
    """where it shines across its width −1…1"""
    lit: bool
    centre: Vector
    aim: Vector
    half_u: Vector
    """from its centre to the middle of an edge, m"""
    half_v: Vector
    colour: Vector
    """linear, the brightest component 1"""
    gives: Vector
    """what a white surface that faces it at its aim gets, as the picture shows it (1 is white), times π"""
    shadows: float
    """density of its shadows, 0 none"""
    cone: float
    """tangent of half a spot's cone, 0 for what shines to all sides"""
    edge: float
    """share of the cone over which it fades"""
    gobo: str | None
    """where its mask is, as it lies in the beam"""
    carriage: str
    """what it goes along with: `rig`, what carries items, or nothing"""


class SurroundingsState(BaseModel):
    """Environment reflected in the stand-in."""

    url: str
    """of the picture, unrolled: 256 by 128 pixels of four half floats"""
    gain: Vector
    """from its pixels to what the picture shows"""
    turn: Vector
    """(9) three rows that lead from its own axes into the studio"""


class OtherCamera(BaseModel):
    """A camera that the open shot is not shot through, where it stands at rest."""

    id: str
    name: str
    rows: Vector
    """three rows of its matrix"""
    aim: Vector


class HazeState(BaseModel):
    """Haze as the stand-in draws it: like fog, and beams in it."""

    per_m: float
    """extinction, 1/m"""
    colour: Vector
    """colour of distant things in it, as the picture shows them"""
    forward: float
    """mean cosine of scattering"""


class LensState(BaseModel):
    """Exposure, frame, lens, aim and lights: what stand-in and plan draw besides the poses."""

    ev100: float
    focal_mm: float
    half_width: float
    """of the picture at a distance of 1, at this focal length"""
    half_height: float
    field: Vector
    """tangents of what is seen through the middle of the left, right, lower and upper edge"""
    shift: Vector
    """shares of width and height by which the lens is moved to the right and up"""
    figures: str
    """field of view, and what is in focus, in words"""
    sharp: tuple[float, float | None] | None
    """from where to where it is in focus, m along its axis; None: all of it, or without end"""
    bend: float
    widest: float
    aim: Vector
    lights: list[LightState]
    gain: float
    """from nit to what the picture shows"""
    surroundings: SurroundingsState | None
    """none: they do not shine"""
    haze: HazeState | None
    """none: the air is clear"""
    liquids: dict[str, str]
    """addresses of the meshes of liquids, by the item that holds them"""
    copies: dict[str, str]
    """addresses of the poses of copies, by the item that is copied"""


class KeyedState(BaseModel):
    """A value that is keyed in the open shot."""

    id: str
    """of its channel"""
    keys: list[list[float]]
    """values of its keys"""
    handles: list[list[list[float]]]
    """between each two keys: frame and value of the handle after the first and of that before the second"""
    title: str
    unit: str
    owner: str
    """its owner"""
    kind: str
    numbers: int
    frames: list[int]
    """in which it has keys, by their numbers"""
    ids: list[str]
    goes: list[str]
    """how it goes on from each"""
    outside: str
    in_use: bool
    """true when the shot goes by it: not those of a camera or look that it does not have"""
    values: Packed
    """(n, numbers) in the frames that are looked at"""


class GapState(BaseModel):
    """Something that does not close."""

    what: str
    where: str
    jump: str
    """in words"""
    fixes: list[str]


class DrawnPath(BaseModel):
    """A path as the plan draws it."""

    id: str
    name: str
    closed: bool
    length: str
    line: Packed
    """(n, 3) m"""


class ShotState(BaseModel):
    """Length and move of the open shot, and the poses in the frames that are looked at."""

    sentence: str
    first: int
    frames: int
    rate: tuple[int, int]
    seconds: float
    timecode: str
    """of its length"""
    kind: str
    turns: float
    plain: bool
    """true when it is one turn of the camera or the disc, or a hold"""
    gaps: list[GapState]
    keyed: dict[str, KeyedState]
    """by path"""
    focal_mm: Packed
    lengths: dict[str, list[float]]
    """frames of each segment, by row"""
    step: int
    """from one frame that is looked at to the next"""
    count: int
    """of frames that are looked at"""
    cameras: Packed
    """three rows of each matrix"""
    disc_deg: Packed
    lights_deg: Packed
    acting: dict[str, list[str]]
    """what items that play do, by id, as /api/assets/…/pose is asked for it"""
    carried: dict[str, Packed]
    """three rows of each matrix of what carries items, by its id"""


class LaneState(BaseModel):
    """Something that is measured in every frame that is looked at."""

    key: str
    title: str
    unit: str
    digits: int
    values: Packed
    limit: float | None
    """beyond which it wants a look"""
    below: bool
    """true when the limit is the least that is right"""
    worst: float
    worst_frame: int


class MarginsState(BaseModel):
    """Margins between the subject and the nearest edge of the frame, in shares of its height."""

    per_frame: list[float]
    worst: float
    worst_frame: int


class SubjectState(BaseModel):
    """Measurements of the subject."""

    animation_sentence: str
    size_m: tuple[float, float, float]
    size: str
    gap: str
    """between its lowest point and what it stands on, in words"""
    wobble: dict[str, str]
    """about each axis it may turn about, in words"""
    stands_on: str
    gap_mm: float
    wobble_mm: dict[str, float]
    detail: str
    axis_lean_deg: float
    axis_residual: float


class ItemState(BaseModel):
    """Item in stand-in and plan."""

    id: str
    name: str
    on: bool
    asset: str
    standin: str
    """address of its reduced mesh"""
    matrix: Matrix
    carriage: str
    hull: list[Vector]
    variant: str | None
    stands_on: str


class ProofState(BaseModel):
    """The proof of the open shot as it stands."""

    key: str
    whole: bool
    numbers: list[int]
    """the frames that are there"""


class HintState(BaseModel):
    """Something odd, and what mends it."""

    text: str
    fix: Fix | None


class ProjectState(BaseModel):
    """Document, stations, poses, margins and plan of a project as it stands."""

    version: int
    trouble: str | None
    """fault of it as a whole"""
    undo: str | None
    """label of the change that undo would take back"""
    redo: str | None
    project: SkipValidation[Project]
    crops: dict[str, tuple[float, float]]
    """width and height of formats as shares of the picture, by name"""
    open: dict[str, str]
    """what stands for the open shot's own things at the beginning of a path, and the path of each"""
    stations: list[Station]
    haze: Thickness | Literal["off"]
    """the thickness that its haze comes nearest to"""
    next: NextStep | None
    """what the call sheet says to do next; None once something was delivered"""
    shot: ShotState
    margins: MarginsState | None
    lanes: list[LaneState]
    background_hints: list[HintState]
    proof: ProofState
    subject: SubjectState | None
    items: list[ItemState]
    paths: list[DrawnPath]
    report: IntakeReport | None
    lens: LensState
    file_names: str
    """of the open shot's first and last frame"""
    shot_pictures: dict[str, str]
    """addresses of a frame of shots that are proofed as they stand, by their ids"""
    other_cameras: list[OtherCamera]


class PoseState(BaseModel):
    """One frame's pose, for drawing while something is dragged."""

    camera: Vector
    """three rows of its matrix"""
    disc_deg: float
    lights_deg: float
    acting: dict[str, str]
    carried: dict[str, Vector]
    placements: dict[str, Matrix]
    lens: LensState
    focal_mm: float
    start_azimuth_deg: float


class RendererAnswer(BaseModel):
    """Readiness of the renderer, and a sentence until then."""

    ready: bool
    sentence: str


class ForecastAnswer(BaseModel):
    """Forecast of a shot."""

    seconds: float
    plus_minus: float
    sentence: str


class CreatedProject(BaseModel):
    """A project that was made."""

    id: str


class Recovered(BaseModel):
    """The version a damaged project went back to."""

    version: int


class KeptPicture(BaseModel):
    """A picture that is kept; changes refer to it by its asset."""

    asset: str
    name: str


class Uses(BaseModel):
    """Uses of a thing that is about to be removed."""

    sentences: list[str]


class Removed(BaseModel):
    """It is gone."""

    removed: bool = True
