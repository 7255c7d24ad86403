"""A material varied along one or two of its numbers, to be chosen from by eye."""

from typing import Literal

import numpy as np

from ..colour_spaces import nearest_shown, oklch_of
from ..scene import Material
from ..scene.writing import revise

Vary = Literal[
    "hue",
    "lightness",
    "chroma",
    "specular_roughness",
    "base_metalness",
    "specular_ior",
    "coat_weight",
    "coat_roughness",
    "specular_roughness_anisotropy",
    "transmission_weight",
    "subsurface_weight",
    "fuzz_weight",
    "thin_film_weight",
    "thin_film_thickness_nm",
]
_STEPS: dict[str, float] = {
    "hue": 18.0,
    "lightness": 0.07,
    "chroma": 0.035,
    "specular_ior": 0.15,
    "thin_film_thickness_nm": 60.0,
}
"""How far one is from the next; shares by a fifth."""
_SHARE = 0.2
COLUMNS, ROWS = 5, 3


def steps(material: Material, what: Vary, count: int) -> list[dict[str, object]]:
    """Values of a material, `count` of them in order along one of its numbers: about the one it has, moved into its
    range where they would leave it."""
    now = oklch_of(np.array(material.base_color))
    if what in ("hue", "lightness", "chroma"):
        axis = ("lightness", "chroma", "hue").index(what)
        found: list[dict[str, object]] = []
        for value in _values(float(now[axis]), _STEPS[what], count, 0.0 if what != "hue" else None, 1.0):
            lch = now.copy()
            lch[axis] = value
            found.append({"base_color": tuple(round(float(c), 5) for c in nearest_shown(lch))})
        return found
    low, high = {"specular_ior": (1.0, 3.0), "thin_film_thickness_nm": (0.0, 2000.0)}.get(what, (0.0, 1.0))
    values = _values(float(getattr(material, what)), _STEPS.get(what, _SHARE), count, low, high)
    return [{what: round(value, 4)} for value in values]


def vary_material(material: Material, across: Vary, down: Vary | None) -> list[list[dict[str, object]]]:
    """Rows of values of a material: along `across`, and along `down` where there is one."""
    rows = [{}] if down is None else steps(material, down, ROWS)
    found = []
    for row in rows:
        changed = revise(material, **row)
        found.append([{**row, **column} for column in steps(changed, across, COLUMNS)])
    return found


def _values(now: float, step: float, count: int, low: float | None, high: float) -> list[float]:
    values = now + step * (np.arange(count) - count // 2)
    if low is not None:
        values = values + max(0.0, low - values[0])
        values = values - max(0.0, values[-1] - high)
        values = np.clip(values, low, high)
    return [float(v) for v in values]
