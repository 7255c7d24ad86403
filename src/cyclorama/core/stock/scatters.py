"""Ready scatters: natural forms with what they are made of and how they lie."""

from dataclasses import dataclass, field
from typing import Any

from ..material.presets import LIQUIDS
from ..scene.copies import Copies
from ..scene.made import Form
from ..scene.stocked import ReadyScatter

LIES = Copies(arrangement="scatter", turn_spread=1.0)
Colour = tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class Scatter:
    """A ready scatter."""

    form: Form
    title: str
    colour: Colour
    spacing: float
    """least distance, as a multiple of the width; 0: they may lie on each other"""
    cover: float
    """share of the ground that they would cover if none lay on another"""
    most: int
    """number of them at most"""
    lies: dict[str, Any] = field(default_factory=dict)
    """values of their copies"""
    made_of: dict[str, Any] = field(default_factory=dict)
    """values of their material"""
    reach: float = 1.0
    """how far they lie round the subject, as a multiple of its size"""
    on_subject: bool = False
    """they lie on the subject, not around it"""


_SHEET = {"thin_walled": True, "subsurface_weight": 0.6}


def _sheet(colour: Colour, rough: float) -> dict[str, Any]:
    """A thin sheet through which light shines."""
    return {**_SHEET, "subsurface_color": colour, "specular_roughness": rough}


SCATTERS: dict[ReadyScatter, Scatter] = {
    "pebbles": Scatter("pebble", "Pebble", (0.36, 0.34, 0.31), 0.85, 0.5, 3000,
                       {"size_spread": 0.6, "tint_spread": 0.9, "hue_spread": 0.04}, {"specular_roughness": 0.45}),
    "gravel": Scatter("gravel", "Gravel", (0.33, 0.31, 0.29), 0.7, 0.8, 12_000,
                      {"size_spread": 0.7, "tint_spread": 0.8, "lie": "settled"}, {"specular_roughness": 0.75}),
    "sand": Scatter("grain", "Sand", (0.60, 0.47, 0.32), 0.0, 1.6, 400_000,
                    {"size_spread": 0.7, "tint_spread": 0.7, "hue_spread": 0.05, "lie": "tumbled", "denser": "middle"},
                    {"specular_roughness": 0.5}, 0.7),
    "petals": Scatter("petal", "Petal", (0.78, 0.19, 0.27), 0.7, 0.28, 2000,
                      {"size_spread": 0.4, "tint_spread": 0.4, "hue_spread": 0.05},
                      _sheet((0.85, 0.22, 0.30), 0.5)),
    "leaves": Scatter("leaf", "Leaf", (0.55, 0.25, 0.05), 0.7, 0.35, 2000,
                      {"size_spread": 0.5, "tint_spread": 0.7, "hue_spread": 0.16, "lie": "settled"},
                      _sheet((0.6, 0.28, 0.04), 0.45), 1.2),
    "needles": Scatter("needle", "Needle", (0.22, 0.17, 0.06), 0.0, 0.45, 20_000,
                       {"size_spread": 0.4, "tint_spread": 0.6, "hue_spread": 0.1}, {"specular_roughness": 0.5}),
    "confetti": Scatter("confetti", "Confetti", (0.8, 0.12, 0.1), 0.5, 0.25, 8000,
                        {"size_spread": 0.2, "hue_spread": 1.0, "lie": "settled"}, {"specular_roughness": 0.35}),
    "snow": Scatter("snow", "Snow", (0.9, 0.92, 0.95), 0.0, 1.4, 120_000,
                    {"size_spread": 0.8, "lie": "tumbled", "denser": "middle"}, {"specular_roughness": 0.6}),
    "crumbs": Scatter("crumb", "Crumb", (0.46, 0.27, 0.11), 0.5, 0.12, 4000,
                      {"size_spread": 1.0, "tint_spread": 0.6, "lie": "tumbled", "denser": "middle"},
                      {"specular_roughness": 0.8}, 0.8),
    "beans": Scatter("bean", "Bean", (0.075, 0.034, 0.016), 0.75, 0.5, 6000,
                     {"size_spread": 0.3, "tint_spread": 0.6, "lie": "settled"}, {"specular_roughness": 0.3}),
    "shells": Scatter("shell", "Shell", (0.72, 0.56, 0.45), 0.9, 0.18, 1500,
                      {"size_spread": 0.7, "tint_spread": 0.5, "hue_spread": 0.08}, {"specular_roughness": 0.35}),
    "drops": Scatter("drop", "Drop", (0.8, 0.8, 0.8), 0.0, 7.0, 20_000,
                     {"arrangement": "drops"}, LIQUIDS["Water"], on_subject=True),
}  # fmt: skip
"""By name."""
