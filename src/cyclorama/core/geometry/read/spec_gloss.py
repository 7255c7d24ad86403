"""Specular and glossiness as metalness and roughness.

After the conversion that the Khronos Group published with KHR_materials_pbrSpecularGlossiness (appendix B of glTF's
physically based materials; "convert-between-workflows", 2017): the metalness is what makes a metallic surface reflect
as bright as the given one does, by a quadratic equation.
"""

import io
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ...textures import srgb_to_linear, to_srgb_bytes

_DIELECTRIC = 0.04
_LEAST = 1e-6
Grey = NDArray[np.float32]
Colours = NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class Converted:
    """The same surface by metalness and roughness."""

    base: Colours
    """(h, w, 4) linear, and opacity"""
    metalness: Grey
    rough: Grey

    def as_pictures(self) -> tuple[bytes, bytes]:
        """The base colour (sRGB, with opacity), and roughness in green with metalness in blue, as PNG."""
        base = np.dstack([to_srgb_bytes(self.base[..., :3]), (self.base[..., 3:] * 255 + 0.5).astype(np.uint8)])
        packed = np.dstack([np.ones_like(self.rough), self.rough, self.metalness])
        return _png(base), _png((packed * 255 + 0.5).astype(np.uint8))


def converted_pictures(
    diffuse: NDArray[np.uint8] | None,
    specular: NDArray[np.uint8] | None,
    diffuse_factor: list[float],
    specular_factor: tuple[float, float, float],
    glossiness: float,
) -> Converted:
    """Convert two pictures (h, w, 4) sRGB bytes, None for white ones, multiplied with factors; the smaller one is
    brought to the size of the larger."""
    sizes = [p.shape[:2] for p in (diffuse, specular) if p is not None] or [(1, 1)]
    size = max(sizes, key=lambda s: s[0] * s[1])
    d, s = _linear(diffuse, size), _linear(specular, size)
    d, s = d * np.array(diffuse_factor, np.float32), s * np.array([*specular_factor, glossiness], np.float32)
    weak = 1.0 - s[..., :3].max(axis=2)
    metalness = _metalness(_brightness(d), _brightness(s), weak)
    m = metalness[..., None]
    from_diffuse = d[..., :3] * (weak / (1 - _DIELECTRIC) / np.maximum(1 - metalness, _LEAST))[..., None]
    from_specular = (s[..., :3] - _DIELECTRIC * (1 - m)) / np.maximum(m, _LEAST)
    base = np.clip(from_diffuse + (from_specular - from_diffuse) * m * m, 0, 1)
    return Converted(np.dstack([base, d[..., 3]]).astype(np.float32), metalness, 1.0 - s[..., 3])


def _linear(pixels: NDArray[np.uint8] | None, size: tuple[int, ...]) -> Colours:
    if pixels is None:
        return np.ones((*size, 4), np.float32)
    if pixels.shape[:2] != size:
        pixels = np.asarray(Image.fromarray(pixels).resize((size[1], size[0]), Image.Resampling.BICUBIC))
    values: Colours = pixels.astype(np.float32) / np.float32(255)
    values[..., :3] = srgb_to_linear(values[..., :3])
    return values


def _brightness(c: Colours) -> Grey:
    weighted = 0.299 * c[..., 0] ** 2 + 0.587 * c[..., 1] ** 2 + 0.114 * c[..., 2] ** 2
    return np.asarray(np.sqrt(weighted), np.float32)


def _metalness(diffuse: Grey, specular: Grey, weak: Grey) -> Grey:
    b = diffuse * weak / (1 - _DIELECTRIC) + specular - 2 * _DIELECTRIC
    c = _DIELECTRIC - specular
    root = np.sqrt(np.maximum(b * b - 4 * _DIELECTRIC * c, 0))
    found: Any = np.clip((-b + root) / (2 * _DIELECTRIC), 0, 1)
    return np.where(specular < _DIELECTRIC, 0, found).astype(np.float32)


def _png(pixels: NDArray[np.uint8]) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "PNG")
    return buffer.getvalue()
