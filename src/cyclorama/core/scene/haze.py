"""Haze: air that scatters light, so that beams of lights can be seen in it."""

import math
from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field

from .base import Choices, Colour, Doc, Unit01, quantity

Thickness = Literal["thin", "studio", "thick"]


@dataclass(frozen=True)
class ReadyHaze:
    """A ready thickness of haze."""

    path: float
    """mean free path, as a multiple of the camera's distance"""
    says: str
    """what it looks like"""


THICKNESSES: dict[Thickness, ReadyHaze] = {
    "thin": ReadyHaze(12.0, "Beams show softly; the subject stays crisp"),
    "studio": ReadyHaze(4.0, "Beams stand in the air"),
    "thick": ReadyHaze(1.5, "Distant things fade"),
}


class Haze(Doc):
    """Haze on the set; it scatters and absorbs, and does not glow."""

    AFFECTS = "light"

    on: bool = False
    """Fills the air, so that beams of light can be seen."""
    path_m: Annotated[float, quantity("Mean free path", "m", ge=1e-4, le=1e6)] = 12.0
    """Average distance that light goes before haze scatters it. A shorter path makes thicker haze."""
    colour: Annotated[Colour, Field(title="Colour")] = (0.96, 0.96, 0.96)
    """Colour of scattered light. The rest is absorbed."""
    forward: Annotated[float, quantity("Forward scattering", "", ge=-0.95, le=0.95)] = 0.4
    """Above 0, haze is brightest where the camera looks towards a light; below 0, where it looks away from one."""
    where: Annotated[
        Literal["everywhere", "floor", "box"],
        Field(title="Where"),
        Choices({"everywhere": "Everywhere", "floor": "On the floor", "box": "In a box"}),
    ] = "everywhere"
    """Fills the whole set, lies on the floor, or stays in a box."""
    reach_m: Annotated[float, quantity("Reach", "m", ge=1e-4, le=1e6)] = 8.0
    """Distance from the middle of the set to the end of the haze. Beyond it the air is clear."""
    height_m: Annotated[float, quantity("Height", "m", ge=0, le=1e5)] = 0.5
    """Up to here, haze on the floor is as thick as on the ground."""
    thinning_m: Annotated[float, quantity("Thins within", "m", ge=1e-5, le=1e5)] = 0.25
    """Above its height, haze on the floor thins to 37 % within each such distance."""
    box_x_m: Annotated[float, quantity("Box, to the right", "m", ge=-1e5, le=1e5)] = 0.0
    box_y_m: Annotated[float, quantity("Box, above the floor", "m", ge=-1e5, le=1e5)] = 0.0
    """Height of its lower side."""
    box_z_m: Annotated[float, quantity("Box, to the front", "m", ge=-1e5, le=1e5)] = 0.0
    box_width_m: Annotated[float, quantity("Box width", "m", ge=1e-4, le=1e5)] = 2.0
    box_height_m: Annotated[float, quantity("Box height", "m", ge=1e-4, le=1e5)] = 2.0
    box_depth_m: Annotated[float, quantity("Box depth", "m", ge=1e-4, le=1e5)] = 2.0
    grain: Annotated[Unit01, Field(title="Unevenness")] = 0.0
    """Contrast between thick and thin places. 0 is even haze, 1 leaves clear air between swathes."""
    grain_m: Annotated[float, quantity("Size of swathes", "m", ge=1e-4, le=1e5)] = 0.3
    """Size of thicker and thinner places."""
    drift_m: Annotated[float, quantity("Drift over the shot", "m", ge=0, le=1e5)] = 0.0
    """Distance that swathes move during the shot. The last frame still leads to the first."""
    drift_deg: Annotated[float, quantity("Drift direction", "°", ge=-360, le=360)] = 90.0
    """0 is to the front, 90 to the right."""

    def thickness(self, distance_m: float) -> Thickness | Literal["off"]:
        """The nearest ready thickness for a camera at this distance, m."""
        if not self.on:
            return "off"
        return min(THICKNESSES, key=lambda name: abs(math.log(self.path_m / (THICKNESSES[name].path * distance_m))))

    @property
    def uneven(self) -> bool:
        """True when it is thicker in some places than in others."""
        return self.grain > 0.0

    @property
    def drifts(self) -> bool:
        """True when it looks different from frame to frame."""
        return self.on and self.uneven and self.drift_m > 0.0
