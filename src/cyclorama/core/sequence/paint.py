"""True when paint is shown in the colour of its swatch: products are bought by it."""

import math
from collections import defaultdict

import numpy as np
from numpy.typing import NDArray

from ..arrays import Mask
from ..colour_spaces import oklab_of
from ..scene import Material
from ..scene.grade import HUES
from ..textures import srgb_to_linear
from .checks import FrameFinding

F32 = NDArray[np.float32]
LEAST_PX = 150
COVERED = 0.95
MIDDLE = 30.0, 80.0
"""Percentiles of lightness between which a surface shows its paint: darker places are lit by its neighbours, brighter
ones mirror a light."""
SEEN = 0.025
"""Distance in OKLab, at the lightness of the swatch, from which on a product looks otherwise than it is."""
GREY = 0.02
"""Chroma below which there is no hue to speak of."""


def is_paint(material: Material) -> bool:
    """True when a material has one colour of its own that does not come of what is behind or around it."""
    m = material
    mirrors = m.base_metalness > 0.5 or m.transmission_weight > 0.1 or m.opacity < 0.9 or m.thin_film_weight > 0.1
    return not (mirrors or m.glows or m.subsurface_weight > 0.5 or m.vertex_colours or m.maps.base_color or m.layers)


class Paints:
    """Gathers in which colours paints are shown."""

    def __init__(self) -> None:
        self._seen: dict[str, list[tuple[int, float, float, float]]] = defaultdict(list)
        self._swatches: dict[str, tuple[float, float, float]] = {}

    def add(self, material: Material, shown: F32, mask: Mask) -> None:
        """Look at a frame: display values (h, w, 3), and how much of its pixels a paint covers (h, w)."""
        rgb = shown[(mask > COVERED) & (shown.max(axis=2) < 0.985)]
        if len(rgb) < LEAST_PX:
            return
        lab = oklab_of(srgb_to_linear(rgb).astype(np.float64))
        low, high = np.percentile(lab[:, 0], MIDDLE)
        lab = lab[(lab[:, 0] >= low) & (lab[:, 0] <= high) & (lab[:, 0] > 0.05)]
        if not len(lab):
            return
        lightness, a, b = (float(x) for x in lab.mean(axis=0))
        self._seen[material.name].append((len(lab), lightness, a, b))
        self._swatches[material.name] = material.base_color

    def findings(self, frames: list[int]) -> list[FrameFinding]:
        """Findings about paints that are not displayed as their swatch, by name."""
        found = []
        for name, each in sorted(self._seen.items()):
            lightness, a, b = np.average([x[1:] for x in each], axis=0, weights=[x[0] for x in each])
            if (said := displayed_paint(self._swatches[name], lightness, a, b)) is not None:
                found.append(FrameFinding(kind="paint", grave=False, sentence=f"‘{name}’ {said}", frames=frames))
        return found


def displayed_paint(swatch: tuple[float, float, float], lightness: float, a: float, b: float) -> str | None:
    """Displayed colour of a paint in OKLab, where it differs from its linear colour; None where it does not.

    Light that is only stronger or weaker multiplies all of OKLab by one number, so both are compared at the lightness
    of the swatch.
    """
    wanted = oklab_of(np.array(swatch))
    if wanted[0] < 0.05:
        return None  # black has no colour to compare
    a, b = a * wanted[0] / lightness, b * wanted[0] / lightness
    if math.hypot(a - wanted[1], b - wanted[2]) < SEEN:
        return None
    chroma, full = math.hypot(a, b), math.hypot(wanted[1], wanted[2])
    look = "Look at the white balance, at tinted lights and at the grade."
    if full < GREY:
        return f"is grey and is shown tinted. {look}"
    hue = math.degrees(math.atan2(wanted[2], wanted[1])) % 360.0
    turn = (math.degrees(math.atan2(b, a)) - hue + 180.0) % 360.0 - 180.0
    parts = []
    if chroma >= GREY and abs(turn) >= 3:
        parts.append(f"{abs(turn):.0f}° nearer to {_next_hue(hue, turn)}")
    if abs(chroma / full - 1) >= 0.08:
        parts.append(f"{100 * abs(chroma / full - 1):.0f} % {'stronger' if chroma > full else 'paler'}")
    return f"is shown {' and '.join(parts)} beside its swatch. {look}" if parts else None


def _next_hue(hue: float, turn: float) -> str:
    """The hue that a colour comes nearer to when it is turned."""
    ahead = {name: ((centre - hue) * math.copysign(1.0, turn)) % 360.0 for name, centre in HUES.items()}
    return min(ahead, key=lambda name: ahead[name] if ahead[name] > 2 else 360.0).removesuffix("s")
