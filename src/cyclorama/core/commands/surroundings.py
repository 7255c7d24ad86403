"""Surroundings that are edited: the picture, and the light that was picked out of it."""

import math
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ..arrays import RGBImage
from ..colour_temperature import temperature_to_rgb
from ..errors import ChangeError
from ..light.environment import environment_turn
from ..light.environment_edit import (
    BrightRegion,
    blur_environment,
    clamp_luminance,
    lost_illuminance,
    region_at,
    resize_environment,
    without_region,
)
from ..light.studio_environments import StudioKind, StudioNumbers, studio_picture
from ..scene import Light, Project, insert_item, put_all
from ..scene.base import Doc, Unit01, new_id
from ..scene.light import BASE_ENVIRONMENT_NIT
from .names import free_light_name

LARGEST_SUN_DEG, LONG = 30.0, 1.5
"""What is larger than a sun may be, or so much longer than wide, becomes a panel."""
_RIDES = {"set": "set", "camera": "camera", "subject": "disc"}
NO_REGION = "Nothing stands out there: point at something bright."


class Blur(Doc):
    """Blur it evenly on the sphere."""

    kind: Literal["blur"] = "blur"
    degrees: Annotated[float, Field(gt=0, le=90)]


class Hold(Doc):
    """Let nothing be brighter, in whites (1000 nit)."""

    kind: Literal["hold"] = "hold"
    most: Annotated[float, Field(gt=0, le=65_000)]


class Resize(Doc):
    """Another number of rows."""

    kind: Literal["resize"] = "resize"
    height: Literal[64, 128, 256, 512, 1024, 2048, 4096]


class Paint(Doc):
    """Fill the bright region at a place with what lies about it, or with a colour."""

    kind: Literal["paint"] = "paint"
    x: Unit01
    y: Unit01
    colour: tuple[Annotated[float, Field(ge=0, le=1000)], ...] | None = Field(default=None, min_length=3, max_length=3)


class Pick(Doc):
    """Make the bright region at a place a light of its own, and take it out of the picture."""

    kind: Literal["pick"] = "pick"
    x: Unit01
    y: Unit01


class MakeStudio(Doc):
    """Surroundings that the program makes, with other numbers."""

    kind: Literal["make"] = "make"
    studio: StudioKind
    numbers: StudioNumbers = StudioNumbers()


SurroundingsEdit = Annotated[Blur | Hold | Resize | Paint | Pick | MakeStudio, Field(discriminator="kind")]


def edit_environment(
    picture: RGBImage, edit: Blur | Hold | Resize | Paint | Pick | MakeStudio
) -> tuple[RGBImage, str, BrightRegion | None]:
    """The edited picture, what was done to it in a few words, and the region that was picked out of it.

    Raises ChangeError when there is no region at the place."""
    match edit:
        case Blur():
            return blur_environment(picture, edit.degrees), f"blurred by {edit.degrees:g}°", None
        case Hold():
            after, cost = clamp_luminance(picture, edit.most)
            return after, f"held at {edit.most:g} whites, {100 * cost:.1f} % of its light less", None
        case Resize():
            return resize_environment(picture, edit.height), f"{2 * edit.height}×{edit.height}", None
        case MakeStudio():
            return studio_picture(edit.studio, numbers=edit.numbers), edit.studio, None
        case _:
            region = region_at(picture, edit.x, edit.y)
            if region is None:
                raise ChangeError(NO_REGION)
            colour = edit.colour if isinstance(edit, Paint) else None
            after = without_region(picture, region, (colour[0], colour[1], colour[2]) if colour else None)
            return after, "painted over" if isinstance(edit, Paint) else "a light picked out", region


def with_surroundings(project: Project, asset: str, name: str, broken: int = 0) -> Project:
    """The open shot's look in other surroundings, of whose picture some pixels are broken."""
    values = {"asset": asset, "source_name": name[:80], "on": True, "kind": "picture", "broken_pixels": broken}
    return put_all(project, {f"look/environment/{field}": value for field, value in values.items()})


def with_picked_light(project: Project, before: RGBImage, after: RGBImage, region: BrightRegion) -> Project:
    """The open shot's look with a light that gives what its surroundings' picture has lost in a region: the same
    illuminance on what faces it."""
    environment = project.look.environment
    turn = environment_turn(math.radians(environment.rotation_deg), math.radians(environment.tilt_deg))
    x, y, z = (float(c) for c in turn @ region.towards)
    lux, colour = _as_light(
        lost_illuminance(before, after, region) * BASE_ENVIRONMENT_NIT * 2.0**environment.strength_stops
    )
    near = project.look.lights[0] if project.look.lights else Light(id="x", name="x")
    across, down = region.across_deg, region.down_deg
    shape: dict[str, Any] = {
        "shape": "sun",
        "power": lux,
        "power_unit": "lx",
        "sun_deg": max(0.05, math.sqrt(across * down) * 2 / math.sqrt(math.pi)),
    }
    if max(across, down) > LARGEST_SUN_DEG * math.sqrt(math.pi) / 2 or not 1 / LONG < across / down < LONG:
        width, height = (2.0 * near.distance_m * math.tan(math.radians(deg) / 2.0) for deg in (across, down))
        shape = {
            "shape": "rectangle",
            "width_m": width,
            "height_m": height,
            "power_unit": "nit",
            "power": lux / _per_nit(width / near.distance_m, height / near.distance_m),
        }
    name = free_light_name(project.look, "Sun" if shape["shape"] == "sun" else "Panel")
    light = Light(
        id=new_id("light"),
        name=name,
        azimuth_deg=round(math.degrees(math.atan2(x, z)), 2),
        elevation_deg=round(max(-89.0, min(89.0, math.degrees(math.asin(max(-1.0, min(1.0, y)))))), 2),
        distance_m=near.distance_m,
        aim=near.aim,
        colour=colour,
        rides=_RIDES[environment.travels_with],
        **shape,
    )
    return insert_item(project, "look/lights", light)


def _per_nit(width: float, height: float) -> float:
    """Illuminance in lux that a rectangle of one nit gives to a surface that faces its middle, sizes in distances: four
    times that of a corner (Howell, "A Catalog of Radiation Heat Transfer Configuration Factors", B-4)."""
    x, y = width / 2.0, height / 2.0
    one = x / math.hypot(1.0, x) * math.atan(y / math.hypot(1.0, x))
    other = y / math.hypot(1.0, y) * math.atan(x / math.hypot(1.0, y))
    return 2.0 * (one + other)


def _as_light(illuminance: NDArray[np.float64]) -> tuple[float, tuple[float, float, float]]:
    """Power in lux and filter of a light of the usual temperature that gives an illuminance (3,)."""
    through = np.maximum(illuminance, 0.0) / temperature_to_rgb(5600.0)
    most = float(through.max())
    if most <= 0.0:
        raise ChangeError(NO_REGION)
    red, green, blue = (float(c) for c in through / most)
    return most, (red, green, blue)
