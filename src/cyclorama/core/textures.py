"""Maps and masks as kernels read them: pictures in smaller and smaller versions end to end, and their lookup."""

import math
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from .kernel import device, routine

LEVELS = 16
START, WIDTH, HEIGHT, WRAP, COUNT, CHANNEL, IS_COLOUR, PROJECTION, WRAP_DOWN, UV_SET, TILES = range(11)
"""Integer columns of the layout; START is the first of LEVELS columns at the end."""
FIRST_LEVEL = 11
FIRST_TILE, TILES_ACROSS, MOST_TILES = 1001, 10, 100
"""Numbers of map tiles (UDIM): from 1001 on, ten across, then the next ten above."""
PROJECTIONS = ("uv", "triplanar", "planar", "box", "cylinder", "sphere")
"""Kinds of PROJECTION, in the order of their numbers; all but the first are laid into a frame of their own."""
UV, TRIPLANAR, PLANAR, BOX, CYLINDER, SPHERE = range(6)
FRAME = 8
"""First of the twelve columns of a transform that lead from the space of a part into that of the projection."""
TRANSFORM_COLUMNS = 20
NO_FRAME = (1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0)
REPEAT, MIRROR, CLAMP, BLACK = 0, 1, 2, 3
"""Wrap modes; BLACK lets nothing pass outside the picture."""
FARTHEST_UV = 1e6
POLE_FROM, POLE_TO = 0.86, 0.95
"""Between these heights of a unit ball, the picture round it gives way to one seen from above."""
"""Coordinates beyond this, or none at all, count as 0."""


class Textures(NamedTuple):
    """All pictures end to end as bytes; the layout says where and how."""

    texels: NDArray[np.uint8]
    """(n, 4)"""
    layout: NDArray[np.int64]
    """(textures, FIRST_LEVEL + LEVELS)"""
    transform: NDArray[np.float32]
    """(textures, 20) affine map of coordinates (6), size of a repeat in m, −, three rows of a frame (4)"""
    decode: NDArray[np.float32]
    """(256,) sRGB byte → linear"""
    tiles: NDArray[np.int32]
    """(maps of tiles, MOST_TILES + 1) row of each tile, or of what stands for a missing one; TILES of a layout says
    which (−1: no tiles)"""


Versions = list[NDArray[np.uint8]]
"""A picture (h, w, 4) and its halvings."""
KeepVersions = Callable[[object, Callable[[], Versions]], Versions]
"""Gives the versions of a key, building them if they are not there yet."""


def srgb_to_linear(x: NDArray[np.floating]) -> NDArray[np.float32]:
    """IEC 61966-2-1 decoding of display values 0…1."""
    return np.where(x <= 0.04045, x / 12.92, ((np.maximum(x, 0) + 0.055) / 1.055) ** 2.4).astype(np.float32)


def srgb_to_linear_table() -> NDArray[np.float32]:
    """The same for each byte, float32 (256,)."""
    return srgb_to_linear(np.arange(256) / 255.0)


def to_srgb_bytes(x: NDArray[np.float32]) -> NDArray[np.uint8]:
    """IEC 61966-2-1 encoding of linear values 0…1."""
    y = np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.maximum(x, 0) ** (1 / 2.4) - 0.055)
    return (np.clip(y, 0, 1) * 255 + 0.5).astype(np.uint8)


def smaller_versions(pixels: NDArray[np.uint8], is_colour: bool) -> Versions:
    """The picture (h, w, 4) and its halvings down to one pixel; colours are averaged in linear light."""
    versions = [pixels]
    decode = srgb_to_linear_table()
    while max(versions[-1].shape[:2]) > 1 and len(versions) < LEVELS:
        p = versions[-1]
        h, w = p.shape[:2]
        p = np.pad(p, ((0, h % 2 if h > 1 else 0), (0, w % 2 if w > 1 else 0), (0, 0)), mode="edge")
        values = p.astype(np.float32)
        if is_colour:
            values[..., :3] = decode[p[..., :3]]
        values = values.reshape(
            max(p.shape[0] // 2, 1), min(p.shape[0], 2), max(p.shape[1] // 2, 1), min(p.shape[1], 2), 4
        ).mean(axis=(1, 3))
        half = (values + 0.5).astype(np.uint8)
        if is_colour:
            half[..., :3] = to_srgb_bytes(values[..., :3])
        versions.append(half)
    return versions


class TextureShelf:
    """Collects pictures and hands out their rows; `keep` may have their versions from another shelf."""

    def __init__(self, keep: KeepVersions = lambda key, build: build()) -> None:
        self._keep = keep
        self._rows: dict[object, int] = {}
        self._starts: dict[object, tuple[list[int], tuple[int, int]]] = {}
        self._texels: list[NDArray[np.uint8]] = []
        self._layout: list[list[int]] = []
        self._transform: list[list[float]] = []
        self._tiles: list[list[int]] = []
        self._next = 0
        self._arrays: Textures | None = None

    def row(
        self,
        picture: object,
        pixels: Callable[[], NDArray[np.uint8]],
        is_colour: bool,
        wrap: int,
        channel: int = -1,
        projection: int = UV,
        transform: tuple[float, ...] = (1, 0, 0, 0, 1, 0, 1, 0, *NO_FRAME),
        wrap_down: int | None = None,
        uv_set: int = 0,
        tiles: tuple[str, ...] = (),
    ) -> int:
        """Row of a picture used in one way. `picture` names it; `pixels()` gives (h, w, 4) uint8 when it is new. tiles:
        names of those that it is the first of (see `tiled`)."""
        down = wrap if wrap_down is None else wrap_down
        key = (picture, is_colour, wrap, channel, projection, transform, down, uv_set, tiles)
        if key not in self._rows:
            if (picture, is_colour) not in self._starts:
                starts = []
                versions = self._keep((picture, is_colour), lambda: smaller_versions(pixels(), is_colour))
                for version in versions:
                    starts.append(self._next)
                    self._texels.append(version.reshape(-1, 4))
                    self._next += version.shape[0] * version.shape[1]
                self._starts[picture, is_colour] = starts, (versions[0].shape[1], versions[0].shape[0])
            starts, (w, h) = self._starts[picture, is_colour]
            self._rows[key] = len(self._layout)
            levels = starts + [starts[-1]] * (LEVELS - len(starts))
            self._layout.append([0, w, h, wrap, len(starts), channel, is_colour, projection, down, uv_set, -1, *levels])
            self._transform.append(list(transform))
            self._arrays = None
        return self._rows[key]

    def tiled(self, row: int, tiles: list[int]) -> None:
        """Let a row look into one of other rows (MOST_TILES + 1), by the tile that coordinates lie in; the last is for
        coordinates in none."""
        if self._layout[row][TILES] >= 0:
            return
        self._layout[row][TILES] = len(self._tiles)
        self._tiles.append(tiles)
        self._arrays = None

    def size(self, row: int) -> tuple[int, int]:
        """Width and height of the picture of a row."""
        return self._layout[row][WIDTH], self._layout[row][HEIGHT]

    def arrays(self) -> Textures:
        """Everything taken in so far; put together once, until something new comes."""
        if self._arrays is None:
            self._arrays = self._together()
        return self._arrays

    def _together(self) -> Textures:
        texels = np.concatenate(self._texels) if self._texels else np.zeros((1, 4), np.uint8)
        layout = np.array(self._layout or [[0, 1, 1] + [0] * (TILES - 3) + [-1] + [0] * LEVELS], np.int64)
        transform = np.array(self._transform or [[0.0] * TRANSFORM_COLUMNS], np.float32)
        tiles = np.array(self._tiles or [[0] * (MOST_TILES + 1)], np.int32)
        return Textures(np.ascontiguousarray(texels), layout, transform, srgb_to_linear_table(), tiles)


def tile_numbers(uvs: NDArray[np.floating]) -> NDArray[np.int64]:
    """Places in the list of tiles (n,) that coordinates (n, 2) lie in, origin at the top left; MOST_TILES: in none."""
    column, row = np.floor(np.nan_to_num(uvs, nan=-1.0, posinf=-1.0, neginf=-1.0)).T * [[1.0], [-1.0]]
    inside = (column >= 0) & (column < TILES_ACROSS) & (row >= 0) & (row < MOST_TILES // TILES_ACROSS)
    return np.where(inside, column + TILES_ACROSS * row, MOST_TILES).astype(np.int64)


@device
def _tile_of(u, v):
    """The same of one place."""
    column, row = math.floor(u), -math.floor(v)
    if column < 0.0 or column >= TILES_ACROSS or row < 0.0 or row >= MOST_TILES // TILES_ACROSS:
        return MOST_TILES
    return int(column + TILES_ACROSS * row)


@device
def _folded(u, mode):
    """A coordinate brought back to 0…1, where the picture goes on beyond its edges."""
    if mode == MIRROR:
        u = 0.5 * u
        u = 2.0 * (u - math.floor(u))
        return 2.0 - u if u > 1.0 else u
    return u - math.floor(u) if mode == REPEAT else u


@device
def _neighbours(x0, n, mode):
    """The column before and after; beyond the edges it is the one at the other edge, or the last one again."""
    first, last = (n - 1, 0) if mode == REPEAT else (0, n - 1)
    a, b = int(x0), int(x0) + 1
    return first if a < 0 else min(a, n - 1), last if b >= n else max(b, 0)


@routine
def texel(textures, index, level, u, v):
    """Bilinear lookup (4,) in one version at folded coordinates, origin at the top left as in glTF; colours are
    decoded, alpha is not."""
    row = textures.layout[index]
    start = row[FIRST_LEVEL + level]
    w, h = max(row[WIDTH] >> level, 1), max(row[HEIGHT] >> level, 1)
    if level > 0:  # odd sizes are rounded up
        w, h = max((row[WIDTH] + (1 << level) - 1) >> level, 1), max((row[HEIGHT] + (1 << level) - 1) >> level, 1)
    x, y = u * w - 0.5, v * h - 0.5
    x0, y0 = math.floor(x), math.floor(y)
    fx, fy = x - x0, y - y0
    xa, xb = _neighbours(x0, w, row[WRAP])
    ya, yb = _neighbours(y0, h, row[WRAP_DOWN])
    r = g = b = a = 0.0
    colour = row[IS_COLOUR] != 0
    for k in range(4):
        xi, yi = (xb if k & 1 else xa), (yb if k & 2 else ya)
        weight = (fx if k & 1 else 1.0 - fx) * (fy if k & 2 else 1.0 - fy)
        i = start + yi * w + xi
        tr, tg, tb = textures.texels[i, 0], textures.texels[i, 1], textures.texels[i, 2]
        if colour:
            r += weight * textures.decode[tr]
            g += weight * textures.decode[tg]
            b += weight * textures.decode[tb]
        else:
            r += weight * (tr / 255.0)
            g += weight * (tg / 255.0)
            b += weight * (tb / 255.0)
        a += weight * (textures.texels[i, 3] / 255.0)
    return r, g, b, a


@routine
def lookup_filtered(textures, index, u, v, extent):
    """Lookup (4,) averaged over `extent` (share of the picture), between the two nearest versions."""
    row = textures.layout[index]
    size = extent * max(row[WIDTH], row[HEIGHT])
    # kept in range before they become whole numbers: broken coordinates must not lead outside of the picture
    level = min(math.log2(size), row[COUNT] - 1.0) if size > 1.0 else 0.0
    if not abs(u) + abs(v) < FARTHEST_UV:
        u = v = 0.0
    u, v = _folded(u, row[WRAP]), _folded(v, row[WRAP_DOWN])
    low = int(level)
    r, g, b, a = texel(textures, index, low, u, v)
    f = level - low
    if f > 0.0 and low + 1 < row[COUNT]:
        r2, g2, b2, a2 = texel(textures, index, low + 1, u, v)
        r, g, b, a = r + f * (r2 - r), g + f * (g2 - g), b + f * (b2 - b), a + f * (a2 - a)
    return r, g, b, a


@device
def _in_channel(row, r, g, b, a):
    channel = row[CHANNEL]
    if channel < 0:
        return r, g, b
    x = r
    if channel == 1:
        x = g
    elif channel == 2:
        x = b
    elif channel == 3:
        x = a
    elif channel == 4:
        x = (r + g + b) / 3.0
    return x, x, x


@device
def in_frame(textures, index, p, n):
    """A point in the frame of a projection (3,), and how much its normal faces the frame's third axis."""
    t = textures.transform[index]
    x = t[FRAME] * p[0] + t[FRAME + 1] * p[1] + t[FRAME + 2] * p[2] + t[FRAME + 3]
    y = t[FRAME + 4] * p[0] + t[FRAME + 5] * p[1] + t[FRAME + 6] * p[2] + t[FRAME + 7]
    z = t[FRAME + 8] * p[0] + t[FRAME + 9] * p[1] + t[FRAME + 10] * p[2] + t[FRAME + 11]
    return x, y, z, t[FRAME + 8] * n[0] + t[FRAME + 9] * n[1] + t[FRAME + 10] * n[2]


@device
def _turn(x, z):
    """Angle about the upright axis in turns, 0…1, a half to the front."""
    return math.atan2(x, z) / (2.0 * math.pi) + 0.5


@routine
def _laid(textures, index, x, y, extent):
    """Lookup (4,) at a place of a projection, x to the right and y down, 0…1 over one repeat."""
    t = textures.transform[index]
    x, y = x - 0.5, y - 0.5  # turned and scaled about the middle
    u, v = t[0] * x + t[1] * y + t[2] + 0.5, t[3] * x + t[4] * y + t[5] + 0.5
    stretch = math.sqrt(abs(t[0] * t[4] - t[1] * t[3]))
    return lookup_filtered(textures, index, u, v, extent * stretch)


@routine
def _projected(textures, index, q, n, width):
    """Lookup (4,) of a map that is projected onto a surface: q (m) and n in the projection's frame, whose middle is the
    picture's (of a ball and a cylinder: their own)."""
    row, size = textures.layout[index], textures.transform[index, 6] * 1.0
    kind, high = row[PROJECTION], size * row[HEIGHT] / row[WIDTH]
    if kind == CYLINDER:
        around = 2.0 * math.pi * max(math.sqrt(q[0] * q[0] + q[2] * q[2]), 1e-9)
        return _laid(textures, index, _turn(q[0], q[2]), 0.5 - q[1] / size, width / max(min(size, around), 1e-9))
    if kind == SPHERE:
        away = max(math.sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2]), 1e-9)
        up = min(max(q[1] / away, -1.0), 1.0)
        extent = width / (math.pi * away)
        cap = min(max((abs(up) - POLE_FROM) / (POLE_TO - POLE_FROM), 0.0), 1.0)
        r = g = b = a = 0.0
        if cap < 1.0:
            r, g, b, a = _laid(textures, index, _turn(q[0], q[2]), math.acos(up) / math.pi, extent)
        if cap > 0.0:  # seen from above there is no point in which all columns meet
            k = 0.5 / (math.pi * away)
            v = -q[2] if up > 0.0 else q[2]
            r2, g2, b2, a2 = _laid(textures, index, 0.5 + q[0] * k, (0.25 if up > 0.0 else 0.75) + v * k, extent)
            r, g, b, a = r + cap * (r2 - r), g + cap * (g2 - g), b + cap * (b2 - b), a + cap * (a2 - a)
        return r, g, b, a
    x, y = q[0], q[1]
    if kind == BOX:
        ax, ay, az = abs(n[0]), abs(n[1]), abs(n[2])
        if ax >= ay and ax >= az:
            x, y = (-q[2] if n[0] > 0.0 else q[2]), q[1]
        elif ay >= az:
            x, y = q[0], (-q[2] if n[1] > 0.0 else q[2])
        elif n[2] < 0.0:
            x = -q[0]
    return _laid(textures, index, 0.5 + x / size, 0.5 - y / high, width / size)


@routine
def map_value(textures, index, at, p, n, width):
    """Value (3,) of a map at a surface point.

    at: texture coordinates u, v and their density (per m), the same of the second set (see `surface.texture_point`);
    or p (m) and n in the part's own space when the map is projected; `width` is what one sample spans on the surface,
    in m.
    """
    row, t = textures.layout[index], textures.transform[index]
    if row[PROJECTION] == UV:
        first, second, density = at[0], at[1], at[2]
        if row[UV_SET] == 1:
            first, second, density = at[3], at[4], at[5]
        u, v = t[0] * first + t[1] * second + t[2], t[3] * first + t[4] * second + t[5]
        stretch = math.sqrt(abs(t[0] * t[4] - t[1] * t[3]))
        picture = index
        if row[TILES] >= 0 and abs(u) + abs(v) < FARTHEST_UV:
            picture = int(textures.tiles[row[TILES], _tile_of(u, v)])
            u, v = u - math.floor(u), v - math.floor(v)
        r, g, b, a = lookup_filtered(textures, picture, u, v, width * density * stretch)
        return _in_channel(row, r, g, b, a)
    px, py, pz, _ = in_frame(textures, index, p, n)
    q = (px, py, pz)
    facing = (
        t[FRAME] * n[0] + t[FRAME + 1] * n[1] + t[FRAME + 2] * n[2],
        t[FRAME + 4] * n[0] + t[FRAME + 5] * n[1] + t[FRAME + 6] * n[2],
        t[FRAME + 8] * n[0] + t[FRAME + 9] * n[1] + t[FRAME + 10] * n[2],
    )
    if row[PROJECTION] >= PLANAR:
        r, g, b, a = _projected(textures, index, q, facing, width)
        return _in_channel(row, r, g, b, a)
    total = r = g = b = a = 0.0
    for axis in range(3):
        w = abs(facing[axis])
        w *= w
        w *= w  # sharp enough that slanted faces do not blur
        if w < 1e-3:
            continue
        x, y = (q[2], q[1]) if axis == 0 else ((q[0], q[2]) if axis == 1 else (q[0], q[1]))
        x, y = x / t[6], -y / t[6]
        u, v = t[0] * x + t[1] * y + t[2], t[3] * x + t[4] * y + t[5]
        r1, g1, b1, a1 = lookup_filtered(textures, index, u, v, width / t[6])
        r, g, b, a, total = r + w * r1, g + w * g1, b + w * b1, a + w * a1, total + w
    k = 1.0 / max(total, 1e-9)
    return _in_channel(row, r * k, g * k, b * k, a * k)


@routine
def lookup_mask(textures, index, u, v, blur):
    """Transmission (3,) of a mask at u, v; outside a single one nothing."""
    if textures.layout[index, WRAP] == BLACK and (u < 0.0 or u > 1.0 or v < 0.0 or v > 1.0):
        return 0.0, 0.0, 0.0
    r, g, b, _ = lookup_filtered(textures, index, u, v, blur)
    return r, g, b
