"""Scopes: what a picture is made of, measured on what is shown and on the light behind it.

Densities are pictures to be drawn under a graticule, of 8 bits, brighter where more pixels are.
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy
from numpy.typing import NDArray

from ..arrays import RGBImage
from ..colour import LUMA32
from .exposure import MIDDLE_GREY

Bytes = NDArray[np.uint8]
F32 = NDArray[np.float32]
LEVELS = 256
COLUMNS = 256
VECTOR_SIZE = 256
CB, CR = 1.8556, 1.5748
"""Divisors of blue and red minus luma (ITU-R BT.709-6, 3.3): both differences then lie within ±0.5."""
FALSE_STOPS = (-6.0, -4.0, -2.5, -1.0, -0.5, 0.5, 1.0, 2.0, 2.5)
"""Where one false colour ends and the next begins, in stops about middle grey."""
FALSE_COLOURS = (
    (40, 20, 70),
    (45, 60, 150),
    (40, 120, 180),
    (60, 130, 120),
    (90, 160, 70),
    (105, 105, 105),
    (170, 170, 170),
    (215, 190, 60),
    (225, 130, 40),
    (205, 45, 35),
)
"""Of what lies below the first stop, between each two, and above the last: middle grey is grey, half a stop to one
above it light grey, what is about to burn orange, what is burnt red."""
BURNT_FROM, BLACK_TO = 254.5 / 255.0, 0.5 / 255.0


@dataclass(frozen=True, slots=True)
class Histogram:
    """Histogram: counts of each of LEVELS values, and shares at both ends."""

    counts: NDArray[np.int64]
    """(4, LEVELS): red, green, blue, luma"""
    burnt: tuple[float, float, float]
    """share of pixels in which a channel has the brightest value"""
    crushed: tuple[float, float, float]
    """share of pixels in which a channel has the darkest"""
    middle: float
    """median of luma, 0…1"""


def histogram(shown: RGBImage) -> Histogram:
    """Of display values (h, w, 3), 0…1."""
    flat = shown.reshape(-1, 3)
    planes = np.column_stack([flat, flat @ LUMA32])
    levels = _levels(planes)
    counts = np.stack([np.bincount(levels[:, c], minlength=LEVELS) for c in range(4)])
    burnt, crushed = (flat >= BURNT_FROM).mean(axis=0), (flat <= BLACK_TO).mean(axis=0)
    return Histogram(counts, _three(burnt), _three(crushed), float(np.median(planes[:, 3])))


def waveform(shown: RGBImage) -> Bytes:
    """Density of luma by column (LEVELS, COLUMNS), bright above."""
    return _dense(_columns((shown @ LUMA32)[..., None])[..., 0])


def parade(shown: RGBImage) -> Bytes:
    """Densities of red, green and blue by column, side by side (LEVELS, 3 · COLUMNS, 3), each in its colour."""
    dense = _dense(_columns(shown))
    out = np.zeros((LEVELS, 3 * COLUMNS, 3), np.uint8)
    for c in range(3):
        out[:, c * COLUMNS : (c + 1) * COLUMNS] = dense[..., c, None] // 3
        out[:, c * COLUMNS : (c + 1) * COLUMNS, c] = dense[..., c]
    return out


def chroma(shown: F32) -> F32:
    """Blue and red difference (…, 2), each within ±0.5, of display values (…, 3) (ITU-R BT.709-6, 3.3)."""
    luma = shown @ LUMA32
    return np.stack([(shown[..., 2] - luma) / np.float32(CB), (shown[..., 0] - luma) / np.float32(CR)], -1)


def vectorscope(shown: RGBImage) -> Bytes:
    """Density of chroma (VECTOR_SIZE, VECTOR_SIZE, 3), blue difference to the right, red upwards, in their colours."""
    flat = shown.reshape(-1, 3)
    at = np.clip((chroma(flat) + 0.5) * VECTOR_SIZE, 0, VECTOR_SIZE - 1).astype(np.int64)
    cell = (VECTOR_SIZE - 1 - at[:, 1]) * VECTOR_SIZE + at[:, 0]
    count = np.bincount(cell, minlength=VECTOR_SIZE**2)
    colour = np.stack([np.bincount(cell, flat[:, c], VECTOR_SIZE**2) for c in range(3)], -1)
    colour = colour / np.maximum(colour.max(axis=1, keepdims=True), 1e-6)
    dense = _dense(count.reshape(VECTOR_SIZE, VECTOR_SIZE))
    return (colour.reshape(VECTOR_SIZE, VECTOR_SIZE, 3) * dense[..., None]).astype(np.uint8)


def false_colours(linear: RGBImage) -> Bytes:
    """False colours (h, w, 3) of light in stops about middle grey, by FALSE_COLOURS."""
    stops = np.log2(np.maximum(linear @ LUMA32, 1e-9) / np.float32(MIDDLE_GREY))
    return np.array(FALSE_COLOURS, np.uint8)[np.digitize(stops, FALSE_STOPS)]


def false_colour_legend() -> list[tuple[str, str]]:
    """False colours from dark to bright, as CSS, with what each stands for in stops about middle grey."""
    ends = [f"{stops:+g}".replace("-", "−") for stops in FALSE_STOPS]
    names = [f"below {ends[0]}", *(f"{low} to {high}" for low, high in pairwise(ends)), f"above {ends[-1]}"]
    return [(f"rgb({r} {g} {b})", name) for (r, g, b), name in zip(FALSE_COLOURS, names, strict=True)]


def peaking(shown: RGBImage, share: float = 0.02) -> NDArray[np.bool_]:
    """Where the picture is sharpest (h, w): the strongest edges of luma, as many as a share of all pixels.

    By the Laplacian, so that soft gradients do not count; none where the picture has no edges.
    """
    luma = shown @ LUMA32
    bend = np.array([[0, 1, 0], [1, -4, 1], [0, 1, 0]], np.float32)
    edges = np.abs(scipy.ndimage.convolve(luma, bend, mode="nearest"))
    return np.asarray(edges > max(float(np.quantile(edges, 1.0 - share)), 0.02))


def _columns(planes: F32) -> NDArray[np.int64]:
    """Counts (LEVELS, COLUMNS, c) of values (h, w, c) by the column in which they are."""
    w, channels = planes.shape[1], planes.shape[2]
    column = np.arange(w) * COLUMNS // w
    cell = (LEVELS - 1 - _levels(planes)) * COLUMNS + column[None, :, None]
    counts = [np.bincount(cell[..., c].ravel(), minlength=LEVELS * COLUMNS) for c in range(channels)]
    return np.stack(counts, -1).reshape(LEVELS, COLUMNS, channels)


def _levels(values: F32) -> NDArray[np.int64]:
    return np.clip(values * (LEVELS - 1) + 0.5, 0, LEVELS - 1).astype(np.int64)


def _dense(counts: NDArray[np.int64]) -> Bytes:
    """Counts as brightness: the logarithm, so that what is rare is seen beside what is everywhere."""
    most = max(int(counts.max(initial=0)), 1)
    return np.asarray(np.log1p(counts) * (255.0 / np.log1p(most)), np.uint8)


def _three(values: NDArray[np.floating]) -> tuple[float, float, float]:
    a, b, c = (float(x) for x in values)
    return a, b, c
