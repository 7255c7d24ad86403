"""A set of lights that is kept, to be used in other projects."""

from typing import Annotated, Literal

from pydantic import Field

from .base import Doc, Id, Name
from .light import Light
from .look import MOST_LIGHTS


class SavedRig(Doc):
    """Lights around a subject `size_m` large, aiming at it."""

    id: Id
    name: Name
    size_m: Annotated[float, Field(gt=0, le=20_000)]
    lights: Annotated[tuple[Light, ...], Field(min_length=1, max_length=MOST_LIGHTS)]


ReadyRig = Literal[
    "three-point",
    "tent",
    "two strips",
    "dark field",
    "bright field",
    "rims only",
    "dish and cards",
    "low raking",
    "night",
    "lights out",
]
"""Sets of lights that the program brings; the last one is black, to add light by light."""
