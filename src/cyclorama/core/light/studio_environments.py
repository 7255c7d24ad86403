"""Surroundings made by the program: unrolled linear pictures (h, 2·h, 3); azimuth 0 in the middle, 1 a white pixel."""

from collections.abc import Callable
from typing import Annotated, Literal, get_args

import numpy as np
from numpy.typing import NDArray

from ..arrays import RGBImage
from ..colour_temperature import temperature_to_rgb
from ..scene.base import Doc, quantity

StudioKind = Literal["strip boxes", "ring", "window wall", "overcast", "dusk", "tent", "one softbox", "warm and cool"]
STUDIOS: tuple[StudioKind, ...] = get_args(StudioKind)
HEIGHT = 512
F64 = NDArray[np.float64]


class StudioNumbers(Doc):
    """Numbers of a studio environment, as changes of its usual form."""

    size: Annotated[float, quantity("Size of what shines", "×", ge=0.1, le=3)] = 1.0
    softness: Annotated[float, quantity("Softness of edges", "×", ge=0.1, le=10)] = 1.0
    fill_stops: Annotated[float, quantity("Light of the room", "stops", ge=-8, le=6)] = 0.0
    """walls, floor and sky beside what shines"""
    temperature_k: Annotated[float, quantity("Temperature", "K", ge=1700, le=20000)] = 5600.0
    """of all of it, on top of its own colours"""


USUAL = StudioNumbers()


def studio_picture(kind: StudioKind, height: int = HEIGHT, numbers: StudioNumbers = USUAL) -> RGBImage:
    """One of the surroundings, `height` pixels high and twice as wide."""
    shining, room = _MAKERS[kind](*directions(height), numbers)
    picture = shining + room * 2.0**numbers.fill_stops
    if numbers.temperature_k != USUAL.temperature_k:
        picture = picture * temperature_to_rgb(numbers.temperature_k)
    return picture.astype(np.float32)


def directions(height: int) -> tuple[F64, F64]:
    """Azimuth and elevation (h, 2·h) in degrees of every pixel; azimuth 0 lies in the middle."""
    azimuth = ((np.arange(2 * height) + 0.5) / (2 * height) - 0.5) * 360
    elevation = 90 - (np.arange(height) + 0.5) / height * 180
    return np.broadcast_to(azimuth, (height, 2 * height)), np.broadcast_to(elevation[:, None], (height, 2 * height))


def panel(azimuth: F64, elevation: F64, at: tuple[float, float], size: tuple[float, float], soft: float) -> F64:
    """A bright panel (h, w) centred at (azimuth, elevation), its size and the softness of its edges in degrees."""
    off = (azimuth - at[0] + 180) % 360 - 180
    x = np.clip((size[0] / 2 - np.abs(off * np.cos(np.radians(elevation)))) / soft + 0.5, 0, 1)
    y = np.clip((size[1] / 2 - np.abs(elevation - at[1])) / soft + 0.5, 0, 1)
    fall = 1 - 0.35 * (elevation - at[1] + size[1] / 2).clip(0, size[1]) / size[1]
    return np.asarray((x * x * (3 - 2 * x)) * (y * y * (3 - 2 * y)) * fall)


def _room(elevation: F64, wall: float, floor: float) -> F64:
    """Dim grey walls (h, w, 3), a little brighter above, and a floor."""
    up = np.clip(elevation / 90, 0, 1)
    return np.repeat((wall * (0.7 + 0.6 * up) + (floor - wall) * (elevation < -20))[..., None], 3, axis=2)


def _lit(picture: F64, light: F64, colour: tuple[float, float, float]) -> F64:
    return picture + light[..., None] * np.array(colour)


def _panel(
    azimuth: F64, elevation: F64, n: StudioNumbers, at: tuple[float, float], size: tuple[float, float], soft: float
) -> F64:
    return panel(azimuth, elevation, at, (size[0] * n.size, size[1] * n.size), soft * n.softness)


def _strip_boxes(azimuth: F64, elevation: F64, n: StudioNumbers) -> tuple[F64, F64]:
    shining = np.zeros((*azimuth.shape, 3))
    for at, strength in (((-75, 10), 4.2), ((78, 10), 2.8)):
        shining = _lit(shining, _panel(azimuth, elevation, n, at, (14, 95), 2.5), (strength, strength, strength))
    shining = _lit(shining, _panel(azimuth, elevation, n, (180, 62), (70, 22), 5.0), (2.2, 2.2, 2.3))
    return shining, _room(elevation, 0.03, 0.02)


def _ring(azimuth: F64, elevation: F64, n: StudioNumbers) -> tuple[F64, F64]:
    """A ring of light overhead, as wide as 50° from straight up."""
    away = 90.0 - elevation
    ring = np.exp(-(((away - 42.0 * n.size) / (6.0 * n.softness)) ** 2))
    return _lit(np.zeros((*azimuth.shape, 3)), ring, (3.6, 3.6, 3.6)), _room(elevation, 0.06, 0.05)


def _window_wall(azimuth: F64, elevation: F64, n: StudioNumbers) -> tuple[F64, F64]:
    shining = np.zeros((*azimuth.shape, 3))
    for centre in (-110, -85, -60, -35):
        pane = _panel(azimuth, elevation, n, (centre, 18), (19, 64), 2.0)
        bars = 1 - 0.9 * ((np.abs((elevation - 18) % 21 - 10.5) < 0.8) & (pane > 0.02))
        shining = _lit(shining, pane * bars, (2.6, 2.9, 3.3))
    floor = panel(azimuth, elevation, (-72, -38), (70, 24), 16.0)
    return shining, _lit(_room(elevation, 0.09, 0.12), floor, (0.5, 0.52, 0.55))


def _overcast(azimuth: F64, elevation: F64, n: StudioNumbers) -> tuple[F64, F64]:
    """The standard overcast sky: three times as bright straight above as at the horizon (ISO 15469, type 1)."""
    up = np.sin(np.radians(np.clip(elevation, 0, 90)))
    tint = np.array([0.97, 1.0, 1.05])
    sky = np.where(elevation > 0, 1.1 * (1 + 2 * up) / 3, 0.0)[..., None] * tint
    return sky, np.where(elevation > 0, 0.0, 0.22)[..., None] * tint


def _dusk(azimuth: F64, elevation: F64, n: StudioNumbers) -> tuple[F64, F64]:
    up = np.clip(elevation / 90, 0, 1)
    towards = (np.cos(np.radians(azimuth - 100)) * 0.5 + 0.5) ** 3
    sky = np.array([0.16, 0.26, 0.5]) * (0.3 + 0.9 * np.exp(-up[..., None] * 2.4))
    band = np.exp(-(((elevation - 4) / (12 * n.size)) ** 2)) * towards
    above = elevation[..., None] > 0
    band = _lit(np.zeros((*azimuth.shape, 3)), band, (4.2, 1.7, 0.55))
    return np.where(above, band, 0.0), np.where(above, sky, np.array([0.06, 0.06, 0.07]))


def _tent(azimuth: F64, elevation: F64, n: StudioNumbers) -> tuple[F64, F64]:
    """White cloth all round, brighter from both sides, with a slit to the front for the lens."""
    sides = 0.75 + 0.5 * np.abs(np.sin(np.radians(azimuth))) ** 2
    cloth = sides * (0.85 + 0.15 * np.clip(elevation / 90, -1, 1))
    slit = _panel(azimuth, elevation, n, (0, 5), (10, 60), 3.0)
    shining = (cloth * (1 - 0.97 * slit))[..., None] * np.array([1.0, 1.0, 1.0])
    return shining, np.zeros_like(shining)


def _one_softbox(azimuth: F64, elevation: F64, n: StudioNumbers) -> tuple[F64, F64]:
    softbox = _panel(azimuth, elevation, n, (-48, 42), (52, 52), 3.0)
    return _lit(np.zeros((*azimuth.shape, 3)), softbox, (5.0, 5.0, 5.0)), _room(elevation, 0.015, 0.01)


def _warm_and_cool(azimuth: F64, elevation: F64, n: StudioNumbers) -> tuple[F64, F64]:
    warm = _panel(azimuth, elevation, n, (-82, 20), (34, 70), 8.0)
    cool = _panel(azimuth, elevation, n, (95, 25), (30, 80), 8.0)
    shining = _lit(_lit(np.zeros((*azimuth.shape, 3)), warm, (4.4, 2.3, 0.9)), cool, (0.7, 1.6, 4.0))
    return shining, _room(elevation, 0.03, 0.02)


_MAKERS: dict[StudioKind, Callable[[F64, F64, StudioNumbers], tuple[F64, F64]]] = {
    "strip boxes": _strip_boxes,
    "ring": _ring,
    "window wall": _window_wall,
    "overcast": _overcast,
    "dusk": _dusk,
    "tent": _tent,
    "one softbox": _one_softbox,
    "warm and cool": _warm_and_cool,
}
"""What shines and the room around it, each (h, w, 3), by what they are."""
