"""Surface layers as kernels read them, and the patterns of their placement (grey, 1: most likely)."""

import numpy as np
from numpy.typing import NDArray

from ..kernel import device, routine
from ..scene.surface_layer import Decal, LayerKind, SurfaceLayer
from ..textures import in_frame, map_value
from .patterns import SIZE, filtered_noise
from .row import BASE, BASE_WEIGHT, COAT, COAT_ROUGHNESS, METALNESS, ROUGHNESS, SUBSURFACE, TRANSMISSION

(MASK, PICTURE, ALPHA, AMOUNT, WHERE, REACH, STRENGTH, RED, GREEN, BLUE, COLOUR_SHARE, LAYER_ROUGHNESS,
 LAYER_METALNESS, METAL_SHARE, STRIPS, DEPTH, HALF_ACROSS, HALF_UP) = range(18)  # fmt: skip
LAYER_COLUMNS = 18
EVERYWHERE, EDGES, HOLLOWS, ABOVE, DECAL = range(5)
WHERE_OF = {"everywhere": EVERYWHERE, "edges": EDGES, "hollows": HOLLOWS, "above": ABOVE}
SOFT = 0.1
"""Over so much of its pattern's values a layer begins."""


def layer_row(layer: SurfaceLayer, mask: int) -> NDArray[np.float32]:
    """The row (LAYER_COLUMNS,) of a layer whose pattern is a row of Textures."""
    row = np.zeros(LAYER_COLUMNS, np.float32)
    row[[MASK, PICTURE, ALPHA]] = mask, -1, -1
    row[[AMOUNT, WHERE, REACH, STRENGTH]] = layer.amount, WHERE_OF[layer.where], layer.reach_m, layer.strength
    row[RED : BLUE + 1], row[COLOUR_SHARE] = layer.colour, layer.colour_share
    row[LAYER_ROUGHNESS], row[STRIPS] = layer.roughness, layer.strips_coat
    row[LAYER_METALNESS], row[METAL_SHARE] = layer.metalness or 0.0, layer.metalness is not None
    return row


def decal_row(decal: Decal, picture: int, alpha: int, aspect: float) -> NDArray[np.float32]:
    """The row of a decal whose colours and alpha are rows of Textures; aspect: height by width."""
    row = np.zeros(LAYER_COLUMNS, np.float32)
    row[[MASK, PICTURE, ALPHA]] = -1, picture, alpha
    row[[AMOUNT, WHERE, STRENGTH]] = 1.0, DECAL, decal.strength
    row[COLOUR_SHARE], row[LAYER_ROUGHNESS] = 1.0, decal.roughness
    row[LAYER_METALNESS], row[METAL_SHARE], row[STRIPS] = decal.metalness, 1.0, not decal.under_coat
    row[DEPTH], row[HALF_ACROSS], row[HALF_UP] = decal.depth_m, decal.width_m / 2, decal.width_m * aspect / 2
    return row


@device
def _ramp(x, low, high):
    t = min(max((x - low) / (high - low), 0.0), 1.0)
    return t * t * (3.0 - 2.0 * t)


@device
def _place_share(layer, at, n):
    """Share of a layer by its place: near edges, in hollows, on upward faces."""
    where = int(layer[WHERE])
    if where == EDGES:
        return _ramp(at[10] * layer[REACH], 0.25, 1.5)
    if where == HOLLOWS:
        return _ramp(-at[10] * layer[REACH], 0.25, 1.5)
    if where == ABOVE:
        return _ramp(abs(n[1]), 0.35, 0.9)
    return 1.0


@routine
def _covers(layer, textures, at, p, n, width):
    """Coverage of a layer at a point, 0…1, before its strength."""
    if layer[WHERE] == DECAL:
        x, y, z, facing = in_frame(textures, int(layer[ALPHA]), p, n)
        if abs(z) > layer[DEPTH] or abs(x) > layer[HALF_ACROSS] or abs(y) > layer[HALF_UP] or facing < 0.05:
            return 0.0
        alpha, _, _ = map_value(textures, int(layer[ALPHA]), at, p, n, width)
        return alpha * _ramp(facing, 0.05, 0.3)
    share = _place_share(layer, at, n)
    if share <= 0.0:
        return 0.0
    value, _, _ = map_value(textures, int(layer[MASK]), at, p, n, width)
    if layer[WHERE] != EVERYWHERE:
        value = share * (0.45 + 0.55 * value)
    low = 1.0 - layer[AMOUNT] * (1.0 + SOFT)
    return _ramp(value, low, low + SOFT)


@routine
def lay_over(layer, textures, at, p, n, width, out):
    """Work a layer into a resolved row (arguments as in `textures.map_value`)."""
    m = _covers(layer, textures, at, p, n, width) * layer[STRENGTH]
    if m <= 0.0:
        return
    red, green, blue = layer[RED] * 1.0, layer[GREEN] * 1.0, layer[BLUE] * 1.0
    if layer[PICTURE] >= 0.0:
        red, green, blue = map_value(textures, int(layer[PICTURE]), at, p, n, width)
    k = m * layer[COLOUR_SHARE]
    out[BASE] += k * (red - out[BASE])
    out[BASE + 1] += k * (green - out[BASE + 1])
    out[BASE + 2] += k * (blue - out[BASE + 2])
    # what hides the colour hides what lies under it too: a label on glass is no glass
    out[TRANSMISSION] *= 1.0 - k
    out[SUBSURFACE] *= 1.0 - k
    out[BASE_WEIGHT] += k * (1.0 - out[BASE_WEIGHT])
    out[ROUGHNESS] += m * (layer[LAYER_ROUGHNESS] - out[ROUGHNESS])
    out[METALNESS] += m * layer[METAL_SHARE] * (layer[LAYER_METALNESS] - out[METALNESS])
    if layer[STRIPS] > 0.0:
        out[COAT] *= 1.0 - m
    elif layer[WHERE] != DECAL:  # a decal under the coat leaves it as it is
        out[COAT_ROUGHNESS] += m * (layer[LAYER_ROUGHNESS] - out[COAT_ROUGHNESS])


def layer_pattern(kind: LayerKind) -> NDArray[np.uint8]:
    """Where a layer lies first: a picture (SIZE, SIZE, 4), every value as frequent as any other."""
    values = {
        "scratches": _scratches,
        "fingerprints": _fingerprints,
        "dust": _dust,
        "edge wear": _wear,
        "smudges": _smudges,
    }[kind]()
    grey = (np.clip(values, 0, 1) * 255 + 0.5).astype(np.uint8)
    return np.dstack([grey, grey, grey, np.full((SIZE, SIZE), 255, np.uint8)])


def _ranked(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Values by their rank, 0…1: an amount covers as large a share of the surface."""
    rank = np.empty(values.size)
    rank[np.argsort(values, axis=None, kind="stable")] = np.linspace(0, 1, values.size)
    return rank.reshape(values.shape)


def _grid() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    x = (np.arange(SIZE) + 0.5) / SIZE
    u, v = np.meshgrid(x, x)
    return u, v


def _scratches() -> NDArray[np.float64]:
    """Fine lines in all directions, the deeper the rarer; they go on over the edges."""
    rng = np.random.default_rng(11)
    depth = np.zeros((SIZE, SIZE))
    for _ in range(420):
        x, y, angle = rng.random() * SIZE, rng.random() * SIZE, rng.normal(0.4, 0.9)
        long, bend, strength = rng.exponential(70) + 12, rng.normal(0, 0.002), rng.random() ** 2
        t = np.arange(0, long, 0.4)
        a = angle + bend * t
        i, j = (y + np.cumsum(np.sin(a)) * 0.4).astype(int) % SIZE, (x + np.cumsum(np.cos(a)) * 0.4).astype(int) % SIZE
        fade = strength * np.sin(np.pi * t / long) ** 0.4
        np.maximum.at(depth, (i, j), fade)
    return _ranked(depth + 1e-3 * filtered_noise(6, 6, 12))


def _fingerprints() -> NDArray[np.float64]:
    """Ovals of fine ridges, whole and smeared."""
    rng = np.random.default_rng(5)
    u, v = _grid()
    value = np.zeros((SIZE, SIZE))
    for _ in range(5):
        cx, cy, turn, size = rng.random(), rng.random(), rng.random() * np.pi, 0.085 + 0.03 * rng.random()
        x, y = (u - cx + 0.5) % 1 - 0.5, (v - cy + 0.5) % 1 - 0.5
        x, y = (np.cos(turn) * x + np.sin(turn) * y) / size, (np.cos(turn) * y - np.sin(turn) * x) / (1.45 * size)
        away = np.hypot(x, y)
        whorl = np.hypot(x, y - 0.25) + 0.12 * np.sin(3 * np.arctan2(y - 0.25, x) + 1.5)
        ridges = 0.5 + 0.5 * np.sin(2 * np.pi * 9 * whorl + 0.6 * filtered_noise(30, 30, 6))
        mark = (
            np.clip((1 - away) * 3, 0, 1)
            * (0.35 + 0.65 * ridges)
            * np.clip(0.75 + 0.3 * filtered_noise(40, 40, 7), 0, 1)
        )
        value = np.maximum(value, mark * (0.7 + 0.3 * rng.random()))
    return _ranked(value + 1e-3 * filtered_noise(10, 10, 8))


def _dust() -> NDArray[np.float64]:
    """A soft film with specks and a few fibres."""
    rng = np.random.default_rng(17)
    specks = np.zeros((SIZE, SIZE))
    for _ in range(2600):
        specks[rng.integers(SIZE), rng.integers(SIZE)] = 0.4 + 0.6 * rng.random()
    film = _ranked(filtered_noise(60, 60, 18) + 0.6 * filtered_noise(8, 8, 19) + 0.4 * filtered_noise(2, 2, 20))
    return _ranked(0.75 * film + specks)


def _wear() -> NDArray[np.float64]:
    """Ragged blotches."""
    return _ranked(filtered_noise(40, 40, 21) + 0.7 * filtered_noise(14, 14, 22) + 0.5 * filtered_noise(4, 4, 23))


def _smudges() -> NDArray[np.float64]:
    """Wide wipes, drawn out to one side."""
    return _ranked(filtered_noise(120, 30, 24) + 0.5 * filtered_noise(60, 12, 25) + 0.2 * filtered_noise(3, 3, 26))
