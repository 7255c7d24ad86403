"""Ready sets of lights, in the size of what they light.

Strength is told as luminance, so that a rig twice as large around a subject twice as large gives the same picture.
"""

import math
from collections.abc import Callable
from typing import Any

from ..scene import Aim, Light
from ..scene.light import MOST_POWER, Shape
from ..scene.saved_rig import ReadyRig
from ..scene.writing import revise
from .kinds import kind_of
from .placement import HIGHEST_DEG

NIT = 2000.0
"""Luminance of a face at 0 stops."""
LENGTHS = ("distance_m", "width_m", "height_m", "aim_above_m")


def rig_lights(rig: ReadyRig, size_m: float, aim: Aim) -> tuple[Light, ...]:
    """The lights of a ready rig around a subject of a size, aiming at it; none of them reaches into the floor."""
    return tuple(above_floor(revise(light, aim=aim)) for light in resize_rig(_RIGS[rig](), size_m))


def above_floor(light: Light) -> Light:
    """Raised until its face ends at the floor. Its lowest point is at aim + d sin e − h/2 cos e, which is
    aim + √(d² + h²/4) sin(e − atan(h/2d))."""
    half = (light.height_m if kind_of(light).tall else light.width_m) / 2  # a tube of a rig lies level
    low = min(max(-light.aim.y_m / math.hypot(light.distance_m, half), -1.0), 1.0)
    least = math.degrees(math.asin(low) + math.atan2(half, light.distance_m))
    return revise(light, elevation_deg=min(max(light.elevation_deg, least), HIGHEST_DEG))


def resize_rig(lights: tuple[Light, ...], by: float) -> tuple[Light, ...]:
    """Lights as much larger and farther, that light what is as much larger as they did."""
    return tuple(
        revise(light, **({name: getattr(light, name) * by for name in LENGTHS} | _power(light, by))) for light in lights
    )


def _power(light: Light, by: float) -> dict[str, float]:
    """Flux and intensity grow with the area that is lit; luminance and illuminance stay."""
    return {"power": min(light.power * by * by, MOST_POWER)} if light.power_unit in ("lm", "cd") else {}


def _light(
    name: str,
    azimuth: float,
    elevation: float,
    size: tuple[float, float],
    stops: float = 0.0,
    distance: float = 3.0,
    shape: Shape = "rectangle",
    **more: Any,
) -> Light:
    """Lengths are shares of the subject's size."""
    return Light(
        id=name.lower().replace(" ", "-"),
        name=name,
        shape=shape,
        azimuth_deg=azimuth,
        elevation_deg=elevation,
        width_m=size[0],
        height_m=size[1],
        distance_m=distance,
        strength_stops=stops,
        power=NIT,
        power_unit="nit",
        **more,
    )


_RIGS: dict[ReadyRig, Callable[[], tuple[Light, ...]]] = {
    "three-point": lambda: (
        _light("Key", -45, 40, (1.4, 1.4), 0.8, role="key"),
        _light("Fill", 60, 20, (2.2, 2.2), -1.8, role="fill"),
        _light("Rim", 160, 45, (0.6, 1.6), 1.0, role="rim"),
    ),
    "tent": lambda: (
        _light("Left wall", -90, 12, (4.0, 4.0), -0.6, 2.2, role="key"),
        _light("Right wall", 90, 12, (4.0, 4.0), -0.9, 2.2, role="fill"),
        _light("Roof", 0, 88, (4.4, 4.4), -0.2, 2.6),
        _light("Front", 0, 35, (3.2, 2.0), -1.8, 4.0, role="fill"),
        _light("Back", 180, 30, (4.0, 2.2), -0.8, 2.6, role="rim"),
    ),
    "two strips": lambda: (
        _light("Left strip", -78, 8, (0.35, 2.6), 1.4, 1.8, role="key"),
        _light("Right strip", 82, 8, (0.25, 2.6), 0.9, 1.8, role="fill"),
        _light("Top", 180, 70, (1.6, 0.8), 0.0, 2.4, role="rim"),
    ),
    "dark field": lambda: (
        _light("Left edge", -140, 6, (0.5, 3.0), 1.6, 2.0, role="key"),
        _light("Right edge", 140, 6, (0.5, 3.0), 1.6, 2.0, role="rim"),
        _light("Top", 180, 62, (1.4, 0.4), 0.6, 2.2, role="rim"),
    ),
    "bright field": lambda: (
        _light("Field", 180, 6, (4.6, 3.4), 0.4, 2.6, role="key", seen_by_camera=True),
        _light("Top", 0, 75, (1.2, 1.2), -1.6, 2.6, role="fill"),
    ),
    "rims only": lambda: (
        _light("Left rim", -150, 28, (0.4, 2.4), 1.8, 2.4, role="rim"),
        _light("Right rim", 152, 22, (0.3, 2.4), 1.4, 2.4, role="rim"),
        _light("Crown", 178, 75, (1.0, 0.6), 0.6, 2.4, role="rim"),
    ),
    "dish and cards": lambda: (
        _light("Dish", -18, 42, (0.9, 0.9), 1.6, 2.4, "disc", role="key"),
        _light("Card right", 75, 0, (1.6, 1.8), -3.0, 1.4, role="fill"),
        _light("Card below", 10, -20, (1.8, 0.9), -3.2, 1.4, role="fill"),
        _light("Rim", 165, 40, (0.5, 1.6), 0.4, 3.0, role="rim"),
    ),
    "low raking": lambda: (
        _light("Raking", -80, 9, (0.5, 0.9), 2.2, 3.4, role="key"),
        _light("Fill", 60, 30, (2.4, 2.4), -3.2, 3.6, role="fill"),
    ),
    "night": lambda: (
        _light("Moon", 150, 48, (1.2, 1.2), 0.6, 4.0, role="rim", temperature_k=9000.0),
        _light("Lamp", -55, 24, (0.3, 0.3), 2.4, 1.8, "sphere", role="key", temperature_k=2600.0),
        _light("Window", 70, 14, (0.8, 1.0), -1.6, 3.0, role="fill", temperature_k=3600.0),
    ),
    "lights out": tuple,
}
LIT_RIGS = tuple(name for name, lights in _RIGS.items() if lights())
"""Rigs that have lights, and so a picture."""
