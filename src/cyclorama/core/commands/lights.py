"""Lights that are added to a look."""

from typing import Any, Literal

from ..light.kinds import KINDS, LightKind, kind_of
from ..light.rigs import rig_lights
from ..scene import Doc, Light, Project, insert_item
from ..scene.base import new_id
from ..scene.light import MOST_POWER, Shape
from .base import performs
from .looks import subject_size
from .names import free_light_name
from .tools import Tools

BESIDE_STOPS = -1.5
"""Strength of a new light beside one that gives as much."""


class AddLight(Doc):
    """Put another light of a shape on the set."""

    kind: Literal["add_light"] = "add_light"
    shape: Shape = "rectangle"


@performs(AddLight)
def with_light(project: Project, change: AddLight, tools: Tools) -> tuple[Project, str]:
    """One more light, as large, as far and as strong as suits the lights that are there. The first one stands and
    shines as the key of a ready rig does, in the size of the subject."""
    kind = KINDS[change.shape]
    near = next((light for light in project.look.lights if not kind_of(light).distant), None)
    first = near is None
    if near is None:
        near = rig_lights("three-point", *subject_size(project, tools))[0]
    across, up = kind.first_size
    place: dict[str, Any] = (
        {"azimuth_deg": near.azimuth_deg, "elevation_deg": near.elevation_deg, "role": "key"}
        if first
        else {"azimuth_deg": 20, "elevation_deg": 45, "strength_stops": BESIDE_STOPS}
    )
    new = Light(
        id=new_id("light"),
        name=free_light_name(project.look, kind.title),
        shape=change.shape,
        aim=near.aim,
        distance_m=near.distance_m,
        width_m=near.width_m * across,
        height_m=near.height_m if up == 1.0 else near.width_m * up,
        **_power(kind, near),
        **place,
    )
    return insert_item(project, "look/lights", new), "Add a light"


def _power(kind: LightKind, near: Light) -> dict[str, Any]:
    """As much intensity along the axis as a light gives at 0 stops, whatever its unit and shape: I = L A."""
    if kind.first_power:
        return dict(zip(("power", "power_unit"), kind.first_power, strict=True))
    of = kind_of(near)
    intensity = of.luminance_nit(near, near.power) * of.area_m2(near) * of.seen_share
    return {"power": float(f"{min(intensity, MOST_POWER):.4g}"), "power_unit": "cd"}
