"""Lights around the subject and the environment they stand in."""

from typing import Annotated, Literal

from pydantic import Field

from .base import Colour, Doc, Id, Name, quantity

Travel = Literal["set", "camera", "subject"]
BASE_FLUX_LM = 4000.0
"""What a light gives at 0 stops: about a 400 W continuous studio head."""
BASE_ENVIRONMENT_NIT = 1000.0
"""The luminance of a white pixel (1, 1, 1) of an environment at 0 stops."""


class RectLight(Doc):
    """A soft rectangular light that faces the middle of the subject."""

    id: Id
    name: Name
    role: Literal["key", "fill", "rim"]
    on: bool = True
    solo: bool = False
    azimuth_deg: Annotated[float, quantity("Azimuth", "°", ge=-3600, le=3600)] = 0.0
    elevation_deg: Annotated[float, quantity("Elevation", "°", ge=-89, le=89)] = 35.0
    distance_m: Annotated[float, quantity("Distance", "m", ge=0.05, le=100)] = 2.0
    width_m: Annotated[float, quantity("Width", "m", ge=0.01, le=20)] = 0.8
    height_m: Annotated[float, quantity("Height", "m", ge=0.01, le=20)] = 0.8
    strength_stops: Annotated[float, quantity("Strength", "stops", ge=-12, le=12)] = 0.0
    temperature_k: Annotated[float, quantity("Colour temperature", "K", ge=1500, le=20000)] = 5600.0


class Environment(Doc):
    """An equirectangular picture of the surroundings that lights the set, and what is seen behind it."""

    asset: Annotated[str | None, Field(title="Environment picture")] = None
    source_name: str = ""
    on: bool = True
    strength_stops: Annotated[float, quantity("Strength", "stops", ge=-12, le=12)] = 0.0
    rotation_deg: Annotated[float, quantity("Rotation", "°", ge=-3600, le=3600)] = 0.0
    seen_by_camera: bool = False
    background: Colour = (0.42, 0.42, 0.42)
    travels_with: Travel = "set"
