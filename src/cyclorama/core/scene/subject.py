"""The subject: what is presented, where it came from and how it is placed."""

from typing import Annotated, Literal

from pydantic import Field

from .base import Doc, Id, Name, affecting, fixed, quantity
from .came_with import FileCamera, FileLight

CentreMethod = Literal["file", "box", "area", "revolution"]

Resting = Literal["as it came", "face", "back", "left", "right", "head"]
"""What side a subject lies on."""


class Part(Doc):
    """A named piece of the subject."""

    AFFECTS = "geometry"

    id: Id
    name: Name
    material: Id
    triangles: Annotated[int, fixed("nothing", ge=0)]
    visible: bool = True
    number: Annotated[int, fixed("nothing", ge=0)] = 0
    """which part of the file it is, counted from 1; 0: not known"""
    group: Annotated[tuple[Name, ...], fixed("nothing", max_length=12)] = ()
    """what it stands in, from the outside in"""


class Placement(Doc):
    """How the file's own space is laid into the studio.

    First the file's up axis is turned to +Y and its unit scaled to metres; then it is tipped forward about the axis
    to its side and over to its side about the axis to its front; the chosen centre is put on the axis of the turn,
    and the subject is turned by `turn_deg` and lifted.
    """

    AFFECTS = "transform"

    unit_m: Annotated[float, quantity("Unit", "m", ge=1e-15, le=1e9)] = 1.0
    """Length of one file unit in metres."""
    up: Annotated[Literal["y", "z"], Field(title="Up axis")] = "y"
    centre_method: CentreMethod = "box"
    centre_x_m: Annotated[float, quantity("Centre x", "m", ge=-1e9, le=1e9)] = 0.0
    centre_z_m: Annotated[float, quantity("Centre z", "m", ge=-1e9, le=1e9)] = 0.0
    tip_deg: Annotated[float, quantity("Tip", "°", ge=-3600, le=3600)] = 0.0
    """Forward: its top comes to the front."""
    roll_deg: Annotated[float, quantity("Roll over", "°", ge=-3600, le=3600)] = 0.0
    """To the side: its top goes to the right, as seen from the front."""
    turn_deg: Annotated[float, quantity("Turn", "°", ge=-3600, le=3600)] = 0.0
    lift_m: Annotated[float, quantity("Lift", "m", ge=-1e9, le=1e9)] = 0.0


class Animation(Doc):
    """A movement that came with the model."""

    id: Id
    name: Name
    seconds: Annotated[float, Field(ge=0)]


class Variant(Doc):
    """A choice of materials that came with the model."""

    name: Name
    materials: tuple[tuple[Id, Id], ...]
    """part and its material, for the parts that it gives another one"""


class Play(Doc):
    """How an animation of the subject runs during the shot.

    `whole`: a whole number of times, at a speed as near as possible to the one asked for, so that the loop closes;
    `loop`: again and again at exactly this speed; `once`: then it stands in its last pose.
    """

    AFFECTS = "motion"

    animation: Annotated[Id | None, affecting("geometry", title="Animation")] = None
    """none: the subject stands as it was bound"""
    repeat: Annotated[Literal["whole", "loop", "once"], Field(title="Repeat")] = "whole"
    speed: Annotated[float, quantity("Speed", "×", ge=0.01, le=100)] = 1.0
    start_s: Annotated[float, quantity("Begins at", "s", ge=0, le=3600)] = 0.0


class Detail(Doc):
    """How finely a model is made from its source: by what may show of the difference, in pixels."""

    error_px: Annotated[float, quantity("What may show", "px", ge=0.05, le=10)] = 0.25
    lighten: Annotated[bool, Field(title="Lighten")] = False
    """Leave out triangles whose absence does not show."""
    smooth: Annotated[Literal["marked", "all", "none"], Field(title="Smooth")] = "marked"
    """Which parts are cages to be refined: those that the file marks, all, or none."""
    tolerance_mm: Annotated[float | None, quantity("Tolerance", "mm", ge=1e-6, le=1e5)] = None
    """How far exact surfaces may be missed; None: by what may show."""
    left_out: Annotated[tuple[Annotated[int, Field(ge=1)], ...], Field(max_length=2000)] = ()
    """Numbers of parts of the file that are not taken."""


class Subject(Doc):
    """A model that came in through intake."""

    AFFECTS = "geometry"

    asset: Annotated[str, fixed()]
    """Content hash of the compiled geometry."""
    source_name: Annotated[str, fixed("nothing")]
    parts: tuple[Part, ...]
    placement: Placement = Placement()
    animations: Annotated[tuple[Animation, ...], fixed()] = ()
    play: Play = Play()
    variants: Annotated[tuple[Variant, ...], fixed("nothing")] = ()
    cameras: Annotated[tuple[FileCamera, ...], fixed("nothing", max_length=200)] = ()
    lights: Annotated[tuple[FileLight, ...], fixed("nothing", max_length=200)] = ()
    source: Annotated[str, fixed("nothing")] = ""
    """Content hash of an archive of what was brought in; empty for models that came in before these were kept."""
    detail: Annotated[Detail, fixed("nothing")] = Detail()
    off: Annotated[float, fixed("nothing", ge=0)] = 0.0
    """How far it is off its source at most, in units of the file; 0: it is the source."""

    @property
    def playing(self) -> tuple[int, Animation] | None:
        """Number and animation of what is played."""
        return next(((i, a) for i, a in enumerate(self.animations) if a.id == self.play.animation), None)
