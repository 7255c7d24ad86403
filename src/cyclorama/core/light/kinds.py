"""Kinds of lights: all that is known of each, but how rays meet it (`shapes`).

Read by rows and rigs, commands, the Light card, plan and elevation; see `docs/howto-extend.md`.
"""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arrays import Points
from ..kind_fields import KindField
from ..scene import Gobo, Light
from ..scene.light import Shape
from .shapes import (
    COS_INNER,
    COS_OUTER,
    DISC,
    HALF_LENGTH,
    HALF_U,
    HALF_V,
    HOLE,
    RADIUS,
    RECT,
    RING,
    SPHERE,
    SPOT,
    SUN,
    TUBE,
)

ROUND = 16
"""Points of a round outline."""
SQUARE = 9
"""Points along each side of a rectangle."""
Row = NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class LightKind:
    """A kind of light."""

    shape: Shape
    kernel: int
    """which of the branches of `shapes` is its own"""
    title: str
    """what it is called in lists; new ones are named after it"""
    sizes: tuple[KindField, ...]
    area_m2: Callable[[Light], float]
    """what shines: one side of a panel, all of a sphere or tube"""
    seen_share: float
    """of that area, along the axis"""
    luminance_nit: Callable[[Light, float], float]
    """of its face along the axis, at a power in its unit"""
    columns: Callable[[Light], Mapping[int, float]]
    """of its row that others have not"""
    outline: Callable[[Row], Points]
    """points (n, 3), m, from its centre: its lowest, highest and farthest are among them"""
    first_size: tuple[float, float] = (1.0, 1.0)
    """width of a new one and its height, in widths of the light beside it; height 1: as that one's own"""
    first_power: tuple[float, str] | None = None
    beam: bool = True
    """It shines to one side: it can carry a gobo, and is aimed."""
    grid: bool = True
    """A honeycomb grid fits on it."""
    tall: bool = False
    """Its height counts, not only its width."""
    distant: bool = False
    """It stands at no distance in particular."""
    signs: Callable[[Light], tuple[tuple[float, float], ...]] = lambda light: ((-1.0, 1.0),)
    """where it shines across its width −1…1, as plan and elevation draw it"""


def _radius(light: Light) -> float:
    return light.width_m / 2


def _round_m2(light: Light) -> float:
    return math.pi * _radius(light) ** 2


def _ring_m2(light: Light) -> float:
    return _round_m2(light) * (1 - light.opening**2)


def _face_nit(light: Light, power: float) -> float:
    """Luminance of an evenly diffusing face: Φ / (π A) from flux, I / A (projected area) from intensity."""
    kind = KINDS[light.shape]
    seen = kind.area_m2(light) * kind.seen_share
    if light.power_unit == "nit":
        return power
    if light.power_unit == "cd":
        return power / seen
    if light.power_unit == "lx":
        return power * light.distance_m**2 / seen
    return power / (math.pi * kind.area_m2(light))


def _spot_nit(light: Light, power: float) -> float:
    """As of a face, but its flux is its intensity times the solid angle of its beam."""
    return power / _beam_sr(light) / _round_m2(light) if light.power_unit == "lm" else _face_nit(light, power)


def _beam_sr(light: Light) -> float:
    """Solid angle that a spot's beam would fill at full strength: ∫ s(cos θ) dΩ with the smooth edge s.

    s rises from cos(outer) to cos(inner) as 3x² − 2x³, whose mean is one half.
    """
    outer, inner = _cone_cosines(light)
    return 2 * math.pi * ((1 - inner) + 0.5 * (inner - outer))


def _cone_cosines(light: Light) -> tuple[float, float]:
    half = math.radians(light.cone_deg / 2)
    return math.cos(half), math.cos(half * (1 - light.edge))


def _sun_nit(light: Light, power: float) -> float:
    """Luminance of a disc of angular radius a: E / (π sin² a), with E = I / d² or Φ taken as filling its cone."""
    if light.power_unit == "nit":
        return power
    lux = power if light.power_unit == "lx" else power / light.distance_m**2
    return lux / (math.pi * math.sin(math.radians(light.sun_deg / 2)) ** 2)


def _halves(row: Row) -> tuple[Points, Points]:
    u, v = (row[at : at + 3].astype(np.float64) for at in (HALF_U, HALF_V))
    return u, v


def _square_outline(row: Row) -> Points:
    u, v = _halves(row)
    side = np.linspace(-1.0, 1.0, SQUARE)
    across, up = np.meshgrid(side, side)
    edge = np.maximum(abs(across), abs(up)) == 1.0
    return across[edge][:, None] * u + up[edge][:, None] * v


def _round_outline(row: Row) -> Points:
    u, v = _halves(row)
    turn = np.arange(ROUND) * (2 * np.pi / ROUND)
    return np.cos(turn)[:, None] * u + np.sin(turn)[:, None] * v


def _ball_outline(row: Row) -> Points:
    return np.concatenate([np.eye(3), -np.eye(3)]) * float(row[RADIUS])


def _tube_outline(row: Row) -> Points:
    u, v = _halves(row)
    across = np.cross(u, v) / max(float(np.linalg.norm(u)), 1e-20)
    turn = np.arange(ROUND) * (2 * np.pi / ROUND)
    rim = np.cos(turn)[:, None] * v + np.sin(turn)[:, None] * across
    return (np.stack([u, -u])[:, None] + rim).reshape(-1, 3)


_DIAMETER = KindField("width_m", "Diameter", "m", 0.05, 3)
_ALL = (
    LightKind(
        "rectangle",
        RECT,
        "Panel",
        (KindField("width_m", "Width", "m", 0.1, 2), KindField("height_m", "Height", "m", 0.1, 2)),
        lambda light: light.width_m * light.height_m,
        1.0,
        _face_nit,
        lambda light: {},
        _square_outline,
        tall=True,
    ),
    LightKind("disc", DISC, "Disc", (_DIAMETER,), _round_m2, 1.0, _face_nit, lambda light: {}, _round_outline),
    LightKind(
        "ring",
        RING,
        "Ring",
        (_DIAMETER, KindField("opening", "Opening", "", 0.05, 2)),
        _ring_m2,
        1.0,
        _face_nit,
        lambda light: {HOLE: light.opening**2},
        _round_outline,
        signs=lambda light: ((-1.0, -light.opening), (light.opening, 1.0)),
    ),
    LightKind(
        "sphere",
        SPHERE,
        "Globe",
        (_DIAMETER,),
        lambda light: 4 * _round_m2(light),
        0.25,
        _face_nit,
        lambda light: {},
        _ball_outline,
        first_size=(0.25, 0.25),
        beam=False,
        grid=False,
    ),
    LightKind(
        "tube",
        TUBE,
        "Tube",
        (KindField("width_m", "Length", "m", 0.1, 2), KindField("height_m", "Thickness", "m", 0.01, 3)),
        lambda light: math.pi * light.height_m * light.width_m,
        1 / math.pi,
        _face_nit,
        lambda light: {RADIUS: light.height_m / 2, HALF_LENGTH: _radius(light)},
        _tube_outline,
        first_size=(1.0, 0.06),
        beam=False,
        grid=False,
        tall=True,
    ),
    LightKind(
        "spot",
        SPOT,
        "Spot",
        (_DIAMETER, KindField("cone_deg", "Cone", "°", 5, 1), KindField("edge", "Soft edge", "", 0.05, 2)),
        _round_m2,
        1.0,
        _spot_nit,
        lambda light: dict(zip((COS_OUTER, COS_INNER), _cone_cosines(light), strict=True)),
        _round_outline,
        first_size=(0.25, 0.25),
    ),
    LightKind(
        "sun",
        SUN,
        "Sun",
        (KindField("sun_deg", "Size of the sun", "°", 0.1, 2),),
        _round_m2,
        1.0,
        _sun_nit,
        lambda light: {COS_OUTER: math.cos(math.radians(light.sun_deg / 2))},
        _round_outline,
        first_power=(20_000.0, "lx"),
        grid=False,
        distant=True,
    ),
)
KINDS: dict[Shape, LightKind] = {kind.shape: kind for kind in _ALL}
BY_KERNEL = {kind.kernel: kind for kind in _ALL}


def kind_of(light: Light) -> LightKind:
    """Kind of a light."""
    return KINDS[light.shape]


def mask_of(light: Light) -> Gobo | None:
    """The gobo that stands in its beam; one that it was given as another shape waits until it is that again."""
    return light.gobo if kind_of(light).beam else None


def fields_of(kind: LightKind) -> set[str]:
    """Fields of `scene.Light` that a kind has and some others have not."""
    more = {"distance_m": not kind.distant, "grid_deg": kind.grid, "gobo": kind.beam}
    return {size.name for size in kind.sizes} | {name for name, has in more.items() if has}
