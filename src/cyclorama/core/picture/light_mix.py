"""Re-balancing lights after shooting: the picture as a sum of its lights, each with its own strength and colour."""

import re
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from ..arrays import RGBImage
from ..errors import ShootError
from ..light.sky import shining
from ..scene import Look, Project, put_all
from ..scene.base import Colour, Doc, quantity
from ..scene.light import MOST_POWER, MOST_STOPS


def light_layers(channels: dict[str, NDArray[np.float32]]) -> dict[str, RGBImage]:
    """Layers (h, w, 3) by name from the channels of a `lights` file, in the file's order of names."""
    names = sorted({m[1] for c in channels if (m := re.fullmatch(r"(.+)\.[RGB]", c))})
    return {n: np.dstack([channels[f"{n}.{c}"] for c in "RGB"]) for n in names}


def light_layer_names(look: Look) -> list[str]:
    """Names of the layers of all that shines, in the film's order: each lamp, glowing things, the environment."""
    names: list[str] = []
    for light in shining(look):
        stem = f"light {light.name}"
        names.append(next(n for n in (stem, *(f"{stem} {i}" for i in range(2, 99))) if n not in names))
    return [*names, "light glow", "light environment"]


class LightChange(Doc):
    """Change of one light after shooting."""

    stops: Annotated[float, quantity("Change", "stops", ge=-20, le=20)] = 0.0
    colour: Colour = (1.0, 1.0, 1.0)
    """Its light is multiplied by this, as by a filter."""

    @property
    def factor(self) -> NDArray[np.float32]:
        """(3,)"""
        return np.asarray(2.0**self.stops * np.array(self.colour), np.float32)


def mix_lights(layers: dict[str, RGBImage], changes: dict[str, LightChange]) -> RGBImage:
    """The sum of all layers, those in `changes` with another strength or colour.

    Raises ShootError when a name in `changes` is none of the layers.
    """
    unknown = set(changes) - set(layers)
    if unknown:
        raise ShootError(f"This take keeps no light called ‘{sorted(unknown)[0][:60]}’ apart.")
    as_shot = LightChange()
    total: RGBImage = sum(layer * changes.get(name, as_shot).factor for name, layer in layers.items())  # type: ignore[assignment]
    return total


def with_balance(project: Project, changes: dict[str, LightChange]) -> Project:
    """The project whose rendering gives the mixed picture, as far as the lights of its look can say it."""
    look, values = project.look, dict[str, object]()
    for light, name in zip(look.lit_lights, light_layer_names(look), strict=False):
        change = changes.get(name)
        if change is None:
            continue
        stops = light.strength_stops + change.stops
        # strength beyond its range goes into the power
        held, here = _held(stops), f"look/lights/{light.id}"
        values[f"{here}/strength_stops"] = held
        values[f"{here}/power"] = min(light.power * 2.0 ** (stops - held), MOST_POWER)
        values[f"{here}/colour"] = tuple(a * b for a, b in zip(light.colour, change.colour, strict=True))
    around = changes.get("light environment", LightChange())
    values["look/environment/strength_stops"] = _held(look.environment.strength_stops + around.stops)
    return put_all(project, values)


def _held(stops: float) -> float:
    return min(max(stops, -MOST_STOPS), MOST_STOPS)
