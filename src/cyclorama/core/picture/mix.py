"""Re-balancing lights after shooting: the picture as a sum of its lights, each with its own strength and colour."""

import re

import numpy as np
from numpy.typing import NDArray

from ..arrays import RGBImage
from ..errors import ShootError


def light_layers(channels: dict[str, NDArray[np.float32]]) -> dict[str, RGBImage]:
    """Layers (h, w, 3) by name from the channels of a `lights` file, in the file's order of names."""
    names = sorted({m[1] for c in channels if (m := re.fullmatch(r"(.+)\.[RGB]", c))})
    return {n: np.dstack([channels[f"{n}.{c}"] for c in "RGB"]) for n in names}


def mixed(layers: dict[str, RGBImage], stops: dict[str, float]) -> RGBImage:
    """The sum of all layers, those in `stops` made brighter or darker.

    Raises ShootError when a name in `stops` is none of the layers.
    """
    unknown = set(stops) - set(layers)
    if unknown:
        raise ShootError(f"This take keeps no light called ‘{sorted(unknown)[0][:60]}’ apart.")
    total: RGBImage = sum(layer * np.float32(2.0 ** stops.get(name, 0.0)) for name, layer in layers.items())  # type: ignore[assignment]
    return total
