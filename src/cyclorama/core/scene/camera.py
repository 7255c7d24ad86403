"""The camera: its lens and where it stands relative to what it looks at."""

from typing import Annotated

from .base import Doc, Id, Name, quantity

SENSOR_LONG_SIDE_MM = 36.0
"""The longer side of the delivered frame always spans this width, so that a lens keeps its field of view
when the frame is turned from landscape to portrait."""


class Camera(Doc):
    """A camera that looks at the axis of the turn from a distance."""

    id: Id
    name: Name
    focal_mm: Annotated[float, quantity("Focal length", "mm", ge=8, le=400)] = 70.0
    distance_m: Annotated[float, quantity("Distance", "m", ge=0.01, le=200)] = 2.0
    elevation_deg: Annotated[float, quantity("Elevation", "°", ge=-89, le=89)] = 12.0
    target_height_m: Annotated[float, quantity("Aim height", "m", ge=-10, le=100)] = 0.5
    f_number: Annotated[float | None, quantity("Aperture", "f/", ge=0.7, le=128)] = None
    """None is a pinhole: everything is sharp."""
    focus_m: Annotated[float | None, quantity("Focus distance", "m", ge=0.01, le=200)] = None
    """None focuses on the aim point."""
