"""Values that files give, as the document takes them."""

from collections.abc import Iterable
from typing import Any

from ...scene import Material

DEFAULT_EMISSION_NIT = 1000.0
"""Luminance of an emissive factor of 1 in files: such a surface shows white at the studio's usual exposure."""


def unit(value: Any) -> float:
    """A number held to 0…1."""
    return min(max(float(value), 0.0), 1.0)


def colour(values: Iterable[Any]) -> tuple[float, float, float]:
    """Three numbers held to 0…1."""
    r, g, b = (unit(x) for x in values)
    return r, g, b


def shininess_roughness(exponent: float) -> float:
    """Roughness of a surface with a Phong exponent, by the width of its highlight (Walter et al. 2007, section 5)."""
    return (2.0 / (max(exponent, 0.0) + 2.0)) ** 0.25


def glow_of(light: tuple[float, float, float]) -> tuple[float, tuple[float, float, float]]:
    """Luminance, nit, and colour of a surface from the emissive factors of a file."""
    peak = max(light)
    if peak <= 0:
        return 0.0, (1.0, 1.0, 1.0)
    return min(peak * DEFAULT_EMISSION_NIT, 1e7), colour(x / peak for x in light)


def plain_material(index: int, name: str = "Plain") -> Material:
    """Material of parts that have none, at a place of the model's list."""
    return Material(id=f"material-{index + 1}", name=name, base_color=(0.6, 0.6, 0.6))
