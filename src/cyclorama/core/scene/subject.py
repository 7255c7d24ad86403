"""The subject: what is presented, where it came from and how it is placed."""

from typing import Annotated, Literal

from pydantic import Field

from .base import Doc, Id, Name, quantity

CentreMethod = Literal["file", "box", "area", "revolution"]


class Part(Doc):
    """A named piece of the subject."""

    id: Id
    name: Name
    material: Id
    triangles: Annotated[int, Field(ge=0)]
    visible: bool = True


class Placement(Doc):
    """How the file's own space is laid into the studio.

    First the file's up axis is turned to +Y and its unit scaled to metres, then the chosen centre is put on
    the axis of the turn, then the subject is turned by `turn_deg` and lifted.
    """

    unit_m: Annotated[float, quantity("Unit", "m", ge=1e-6, le=1e4)] = 1.0
    """Length of one file unit in metres."""
    up: Annotated[Literal["y", "z"], Field(title="Up axis")] = "y"
    centre_method: CentreMethod = "box"
    centre_x_m: Annotated[float, quantity("Centre x", "m", ge=-1e6, le=1e6)] = 0.0
    centre_z_m: Annotated[float, quantity("Centre z", "m", ge=-1e6, le=1e6)] = 0.0
    turn_deg: Annotated[float, quantity("Turn", "°", ge=-3600, le=3600)] = 0.0
    lift_m: Annotated[float, quantity("Lift", "m", ge=-1e6, le=1e6)] = 0.0


class Subject(Doc):
    """A model that came in through intake."""

    asset: str
    """Content hash of the compiled geometry."""
    source_name: str
    parts: tuple[Part, ...]
    placement: Placement = Placement()
