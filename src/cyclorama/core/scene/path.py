"""Paths that cameras ride along."""

from typing import Annotated, Literal

from pydantic import Field

from .base import Doc, Id, Name, quantity

PathShape = Literal["circle", "figure eight", "rising spiral", "straight track"]
_REACH = {"ge": -5000.0, "le": 5000.0}


class PathPoint(Doc):
    """A point of the studio that a path leads through."""

    AFFECTS = "motion"

    id: Id
    x_m: Annotated[float, quantity("To the right", "m", **_REACH)] = 0.0
    y_m: Annotated[float, quantity("Height", "m", **_REACH)] = 0.0
    z_m: Annotated[float, quantity("To the front", "m", **_REACH)] = 0.0


class Path(Doc):
    """A smooth curve through points, open or closed."""

    AFFECTS = "motion"

    id: Id
    name: Name
    closed: Annotated[bool, Field(title="Closed")] = False
    points: Annotated[tuple[PathPoint, ...], Field(min_length=2, max_length=200)]
