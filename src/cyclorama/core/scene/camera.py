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
    """Longer flattens and comes closer (85 mm for products), shorter widens and exaggerates."""
    azimuth_deg: Annotated[float, quantity("Start azimuth", "°", ge=-3600, le=3600, moves=True)] = 0.0
    """Where the camera stands in the first frame: 0° is in front, and it grows counter-clockwise seen from above."""
    distance_m: Annotated[float, quantity("Distance", "m", ge=NEAREST_M, le=FARTHEST_M, moves=True)] = 2.0
    """How far the camera stands from what it aims at. Fit finds it."""
    elevation_deg: Annotated[float, quantity("Elevation", "°", ge=-89, le=89, moves=True)] = 12.0
    """How high the camera stands: 0° is level with its aim, 90° straight above."""
    rise_m: Annotated[float, quantity("Raised by", "m", ge=-20_000, le=20_000, moves=True)] = 0.0
    """Raises the camera above where its elevation puts it; it keeps looking at its aim."""
    pan_deg: Annotated[float, quantity("Pan", "°", ge=-3600, le=3600, moves=True)] = 0.0
    """Turns the camera to the left of its aim, about the vertical."""
    tilt_deg: Annotated[float, quantity("Tilt", "°", ge=-180, le=180, moves=True)] = 0.0
    """Turns the camera above its aim."""
    roll_deg: Annotated[float, quantity("Roll", "°", ge=-36_000, le=36_000, moves=True)] = 0.0
    """Turns the camera about its own axis (Dutch angle): the picture leans."""
    sensor_mm: Annotated[float, quantity("Sensor", "mm", ge=1, le=100)] = SENSOR_MM
    """Longer side of the sensor, which the longer side of the picture spans."""
    shift_x: Annotated[float, quantity("Shift across", "", ge=-1, le=1)] = 0.0
    """Moves the lens to the right: what lies there is seen, and lines stay parallel."""
    shift_y: Annotated[float, quantity("Shift up", "", ge=-1, le=1)] = 0.0
    """Moves the lens up: what lies above is seen, and lines stay parallel."""
    aim: Annotated[Aim, affecting("camera")] = Aim()
    follows: Annotated[
        Literal["along", "turns"],
        Field(title="When its aim moves"),
        Choices({"along": "move with it", "turns": "turn to it"}),
    ] = "along"
    """What the camera does when its aim moves: it goes along, or stays and turns after it."""
    f_number: Annotated[float | None, quantity("Aperture", "f/", ge=0.7, le=128)] = None
    """Small numbers blur what is out of focus, large ones keep it sharp. Empty: a pinhole, everything is sharp."""
    blurs: Annotated[bool, Field(title="Blur out of focus")] = True
    """Off: everything stays sharp, whatever the aperture exposes with."""
    focus_m: Annotated[float | None, quantity("Focus distance", "m", ge=NEAREST_M, le=FARTHEST_M)] = None
    """Distance that is sharp. Empty: the picked point, or without one the aim."""
    focus_point_m: tuple[float, float, float] | None = None
    """A point of an item (studio space at rest) that stays in focus wherever camera and item go."""
    focus_item: Id | None = None
    """The item whose point that is."""
    blades: Annotated[int, quantity("Blades", "", ge=0, le=16)] = 0
    """Sides of the aperture, seen in blurred highlights; fewer than 3 is round."""
    blade_rotation_deg: Annotated[float, quantity("Blade rotation", "°", ge=-360, le=360)] = 0.0
    """Turns the shape of blurred highlights."""
    squeeze: Annotated[float, quantity("Squeeze", "×", ge=0.25, le=4)] = 1.0
    """Anamorphic lens: blur this many times taller than wide."""
    shutter_deg: Annotated[float, quantity("Shutter", "°", ge=0, le=360)] = 0.0
    """Motion blur: 180° is open for half a frame, 0 freezes everything."""
    iso: Annotated[float, quantity("Sensitivity", "ISO", ge=6, le=102400, affects="picture")] = 100.0
    """Sensitivity of the sensor, where the camera's settings expose the picture."""
    exposure_by: Annotated[
        Literal["meter", "camera"],
        affecting("picture", title="Exposure by"),
        Choices({"meter": "Meter", "camera": "Camera settings"}),
    ] = "meter"
    """Meter: the look's exposure counts. Camera settings: f-number, shutter and sensitivity do."""
    vignette: Annotated[Unit01, Field(title="Vignette")] = 0.0
    """Darker corners: 1 is the natural falloff of a lens."""
    distortion: Annotated[float, quantity("Distortion", "", ge=-0.5, le=0.5)] = 0.0
    """Bends straight lines: negative is barrel, positive is pincushion."""
