"""A camera: its lens and where it stands relative to what it looks at."""

from typing import Annotated, Literal

from pydantic import Field

from .aim import Aim
from .base import Choices, Doc, Id, Name, Unit01, affecting, quantity

SENSOR_MM = 36.0
"""Of a new camera."""


NEAREST_M, FARTHEST_M = 1e-5, 20_000.0
"""How near and far a camera stands and focuses: for subjects from 0.1 mm to 1 km."""


class Camera(Doc):
    """A camera that looks at its aim from a direction and a distance; when it orbits, it goes round that."""

    AFFECTS = "camera"

    id: Id
    name: Name
    focal_mm: Annotated[float, quantity("Focal length", "mm", ge=8, le=400)] = 70.0
    azimuth_deg: Annotated[float, quantity("Start azimuth", "°", ge=-3600, le=3600, moves=True)] = 0.0
    """Where it stands in the first frame; 0° is in front, it grows counter-clockwise seen from above."""
    distance_m: Annotated[float, quantity("Distance", "m", ge=NEAREST_M, le=FARTHEST_M, moves=True)] = 2.0
    elevation_deg: Annotated[float, quantity("Elevation", "°", ge=-89, le=89, moves=True)] = 12.0
    rise_m: Annotated[float, quantity("Raised by", "m", ge=-20_000, le=20_000, moves=True)] = 0.0
    """It stands so much higher than its elevation says, and looks at its aim from there."""
    pan_deg: Annotated[float, quantity("Pan", "°", ge=-3600, le=3600, moves=True)] = 0.0
    """It looks to the left of its aim, about the vertical."""
    tilt_deg: Annotated[float, quantity("Tilt", "°", ge=-180, le=180, moves=True)] = 0.0
    """It looks above its aim."""
    roll_deg: Annotated[float, quantity("Roll", "°", ge=-36_000, le=36_000, moves=True)] = 0.0
    """It is turned about its own axis, against the clock: what it sees leans to the right."""
    sensor_mm: Annotated[float, quantity("Sensor", "mm", ge=1, le=100)] = SENSOR_MM
    """Its longer side, which the longer side of the delivered frame spans: a lens keeps its field of view when the
    frame is turned from landscape to portrait."""
    shift_x: Annotated[float, quantity("Shift across", "", ge=-1, le=1)] = 0.0
    """Share of the frame's width by which the lens is moved to the right: what lies there is seen, and lines stay
    parallel."""
    shift_y: Annotated[float, quantity("Shift up", "", ge=-1, le=1)] = 0.0
    aim: Annotated[Aim, affecting("camera")] = Aim()
    follows: Annotated[
        Literal["along", "turns"],
        Field(title="When its aim moves"),
        Choices({"along": "goes along", "turns": "turns after it"}),
    ] = "along"
    """along: it goes along with a thing that it aims at; turns: it stays where it is and turns after it."""
    f_number: Annotated[float | None, quantity("Aperture", "f/", ge=0.7, le=128)] = None
    """None is a pinhole: everything is sharp."""
    blurs: Annotated[bool, Field(title="Blur out of focus")] = True
    """off: everything is sharp, whatever the aperture exposes with"""
    focus_m: Annotated[float | None, quantity("Focus distance", "m", ge=NEAREST_M, le=FARTHEST_M)] = None
    """None focuses on the picked point, or without one on the aim point."""
    focus_point_m: tuple[float, float, float] | None = None
    """A point of an item (studio space at rest) that stays in focus wherever camera and item go."""
    focus_item: Id | None = None
    """The item whose point that is."""
    blades: Annotated[int, quantity("Blades", "", ge=0, le=16)] = 0
    """Sides of the aperture; fewer than 3 is round."""
    blade_rotation_deg: Annotated[float, quantity("Blade rotation", "°", ge=-360, le=360)] = 0.0
    squeeze: Annotated[float, quantity("Squeeze", "×", ge=0.25, le=4)] = 1.0
    """Of an anamorphic lens: blur becomes this many times taller than wide."""
    shutter_deg: Annotated[float, quantity("Shutter", "°", ge=0, le=360)] = 0.0
    """Angle of the shutter, 180° is open for half a frame; 0 freezes everything."""
    iso: Annotated[float, quantity("Sensitivity", "ISO", ge=6, le=102400, affects="picture")] = 100.0
    exposure_by: Annotated[
        Literal["meter", "camera"],
        affecting("picture", title="Exposure by"),
        Choices({"meter": "Meter", "camera": "Camera settings"}),
    ] = "meter"
    """meter: the look's EV100; camera: f-number, shutter and sensitivity."""
    vignette: Annotated[Unit01, Field(title="Vignette")] = 0.0
    """1 is the natural falloff by the fourth power of the cosine."""
    distortion: Annotated[float, quantity("Distortion", "", ge=-0.5, le=0.5)] = 0.0
    """Radial, at the corner of the frame: negative is barrel, positive pincushion."""
