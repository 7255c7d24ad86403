"""Paths that cameras ride along."""

from typing import Annotated, Literal

from pydantic import Field

from .base import Doc, Id, Name, quantity

PathShape = Literal["circle", "ellipse", "figure eight", "rising spiral", "straight track", "boom", "camera to camera"]
Bends = Literal["smooth", "even", "free"]
"""How a path goes through a point: by itself, or by handles, of which the two are opposite or each for itself."""
_REACH = {"ge": -5000.0, "le": 5000.0}


class PathPoint(Doc):
    """A point of the studio that a path leads through."""

    AFFECTS = "motion"

    id: Id
    x_m: Annotated[float, quantity("To the right", "m", **_REACH)] = 0.0
    y_m: Annotated[float, quantity("Height", "m", **_REACH)] = 0.0
    z_m: Annotated[float, quantity("To the front", "m", **_REACH)] = 0.0
    bends: Annotated[Bends, Field(title="Bends")] = "smooth"
    in_x_m: Annotated[float, quantity("Handle to the right", "m", **_REACH)] = 0.0
    in_y_m: Annotated[float, quantity("Height of the handle", "m", **_REACH)] = 0.0
    in_z_m: Annotated[float, quantity("Handle to the front", "m", **_REACH)] = 0.0
    """from the point to the handle of the curve that arrives; it counts where each is for itself"""
    out_x_m: Annotated[float, quantity("Handle to the right", "m", **_REACH)] = 0.0
    out_y_m: Annotated[float, quantity("Height of the handle", "m", **_REACH)] = 0.0
    out_z_m: Annotated[float, quantity("Handle to the front", "m", **_REACH)] = 0.0
    """from the point to the handle of the curve that leaves"""


HANDLES = ("in_x_m", "in_y_m", "in_z_m", "out_x_m", "out_y_m", "out_z_m")


class Path(Doc):
    """A smooth curve through points, open or closed."""

    AFFECTS = "motion"

    id: Id
    name: Name
    closed: Annotated[bool, Field(title="Closed")] = False
    points: Annotated[tuple[PathPoint, ...], Field(min_length=2, max_length=200)]
