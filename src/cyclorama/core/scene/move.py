"""The move: how camera and subject travel during a shot."""

from typing import Annotated, Literal

from pydantic import Field

from .base import Doc, Id, Name, quantity
from .light import Travel


class Move(Doc):
    """One full turn in N frames, or a hold.

    Frame i of N stands at exactly i·360/N degrees, so the N pictures are distinct and the loop closes.
    """

    AFFECTS = "motion"

    id: Id
    name: Name
    kind: Literal["orbit", "spin", "hold"] = "orbit"
    frames: Annotated[int, quantity("Frames", "frames", ge=1, le=100_000)] = 240
    first_frame: Annotated[int, quantity("First frame", "", ge=0, le=1_000_000)] = 1
    rate_num: Annotated[int, Field(title="Frame rate", ge=1, le=240_000)] = 24
    rate_den: Annotated[int, Field(title="Frame rate divisor", ge=1, le=1001)] = 1
    direction: Annotated[Literal["counter-clockwise", "clockwise"], Field(title="Direction")] = "counter-clockwise"
    start_azimuth_deg: Annotated[float, quantity("Start azimuth", "°", ge=-3600, le=3600)] = 0.0
    lights_travel_with: Annotated[Travel, Field(title="Lights travel with")] = "set"
