"""Maps end to end in one array, and their bilinear lookup."""

import math
from collections.abc import Callable

import numpy as np

from ..kernel import device, routine
from ..picture.decode import decode_picture
from ..scene import TextureRef
from .arrays import Textures

_WRAP = {"repeat": 0, "mirror": 1, "clamp": 2}


def srgb_to_linear_table() -> np.ndarray:
    """IEC 61966-2-1 decoding of each byte, float32 (256,)."""
    x = np.arange(256) / 255.0
    return np.where(x <= 0.04045, x / 12.92, ((x + 0.055) / 1.055) ** 2.4).astype(np.float32)


class TextureSet:
    """Collects the maps that materials refer to; `read` gives the bytes of an asset."""

    def __init__(self, read: Callable[[str], bytes]):
        self._read = read
        self._index: dict[tuple[str, str], int] = {}
        self._texels: list[np.ndarray] = []
        self._layout: list[tuple[int, int, int, int]] = []
        self._next = 0

    def index_of(self, ref: TextureRef | None) -> int:
        """Row of a map, taking it in when it is new; −1 for none."""
        if ref is None:
            return -1
        key = (ref.asset, ref.wrap)
        if key not in self._index:
            pixels = decode_picture(self._read(ref.asset), ref.name or ref.asset)
            h, w = pixels.shape[:2]
            self._index[key] = len(self._layout)
            self._layout.append((self._next, w, h, _WRAP[ref.wrap]))
            self._texels.append(pixels.reshape(-1, 4))
            self._next += h * w
        return self._index[key]

    def arrays(self) -> Textures:
        """Everything taken in so far."""
        texels = np.concatenate(self._texels) if self._texels else np.zeros((1, 4), np.uint8)
        layout = np.array(self._layout or [(0, 1, 1, 0)], np.int64)
        return Textures(np.ascontiguousarray(texels), layout, srgb_to_linear_table())


@device
def _wrapped(i, n, mode):
    if mode == 2:
        return min(max(i, 0), n - 1)
    if mode == 1:
        i = i % (2 * n)
        return i if i < n else 2 * n - 1 - i
    return i % n


@routine
def texel(textures, index, u, v, colour):
    """Bilinear lookup, uv origin at the top left as in glTF; colours are decoded from sRGB, alpha is not."""
    start, w, h, mode = textures.layout[index]
    x, y = u * w - 0.5, v * h - 0.5
    x0, y0 = math.floor(x), math.floor(y)
    fx, fy = x - x0, y - y0
    xa, xb = _wrapped(int(x0), w, mode), _wrapped(int(x0) + 1, w, mode)
    ya, yb = _wrapped(int(y0), h, mode), _wrapped(int(y0) + 1, h, mode)
    r = g = b = a = 0.0
    for k in range(4):
        xi, yi = (xb if k & 1 else xa), (yb if k & 2 else ya)
        weight = (fx if k & 1 else 1.0 - fx) * (fy if k & 2 else 1.0 - fy)
        t = textures.texels[start + yi * w + xi]
        if colour:
            r += weight * textures.decode[t[0]]
            g += weight * textures.decode[t[1]]
            b += weight * textures.decode[t[2]]
        else:
            r += weight * (t[0] / 255.0)
            g += weight * (t[1] / 255.0)
            b += weight * (t[2] / 255.0)
        a += weight * (t[3] / 255.0)
    return r, g, b, a
