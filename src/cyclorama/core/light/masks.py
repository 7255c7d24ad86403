"""Gobos made by the program: grey pictures that repeat without a seam, some of them moving in a loop."""

import math

import numpy as np
import scipy
from numpy.typing import NDArray

from ..scene.light import Gobo, MaskKind

SIZE = 512
LOOP = 48
"""Pictures in a moving mask's loop."""


def mask(kind: MaskKind, step: float = 0.0) -> NDArray[np.uint8]:
    """A mask (SIZE, SIZE, 4), white where light passes; `step` counts pictures of its loop."""
    grey = {"window": _window, "blinds": _blinds, "leaves": _leaves, "breakup": _breakup}[kind](step % LOOP)
    return np.repeat((np.clip(grey, 0, 1) * 255 + 0.5).astype(np.uint8)[..., None], 4, axis=2)


def in_beam(picture: NDArray[np.uint8], gobo: Gobo, wide: float, roll_deg: float, size: int = 256) -> NDArray[np.uint8]:
    """A mask's picture (h, w, 4) as it lies in a square beam that opens by 45° to each side, seen from the light
    (size, size), rows from the top; see `rows.put_gobo`. wide: tangent to which the mask's square reaches."""
    x = ((np.arange(size) + 0.5) / size * 2.0 - 1.0) / wide
    x, y = np.meshgrid(x, -x)
    roll, turn = math.radians(roll_deg), math.radians(gobo.rotation_deg)
    x, y = x * math.cos(roll) + y * math.sin(roll), y * math.cos(roll) - x * math.sin(roll)
    c, s = math.cos(turn) * 0.5 / gobo.scale, math.sin(turn) * 0.5 / gobo.scale
    u, v = c * x + s * y + 0.5 - gobo.offset_u, s * x - c * y + 0.5 - gobo.offset_v
    height, width = picture.shape[:2]
    column, row = np.floor(u * width).astype(int), np.floor(v * height).astype(int)
    inside = gobo.tiles | ((u >= 0) & (u < 1) & (v >= 0) & (v < 1))
    seen = picture[row % height, column % width, :3].mean(axis=2) * inside
    soft = scipy.ndimage.gaussian_filter(seen, gobo.softness**2 * size / 4.0)
    return np.asarray(np.clip(soft + 0.5, 0, 255), np.uint8)


def moves(kind: MaskKind) -> bool:
    """True when the mask changes from picture to picture."""
    return kind == "leaves"


def _axes() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    x = (np.arange(SIZE) + 0.5) / SIZE
    return np.meshgrid(x, x)


def _edge(distance: NDArray[np.float64], soft: float = 1.5) -> NDArray[np.float64]:
    """1 inside (distance > 0), 0 outside, soft over a pixel or two."""
    return np.clip(distance * SIZE / soft + 0.5, 0, 1)


def _window(step: float) -> NDArray[np.float64]:
    u, v = _axes()
    panes = np.zeros_like(u)
    for i in range(2):
        for j in range(3):
            cx, cy, w, h = 0.29 + 0.42 * i, 0.2 + 0.3 * j, 0.19, 0.135
            panes = np.maximum(panes, _edge(np.minimum(w - abs(u - cx), h - abs(v - cy))))
    return panes


def _blinds(step: float) -> NDArray[np.float64]:
    u, v = _axes()
    slats = _edge(0.028 - abs((v * 11) % 1 - 0.5) / 11 + 0.004, 3)
    cords = np.minimum(_edge(abs(u - 0.25) - 0.003), _edge(abs(u - 0.75) - 0.003))
    return slats * cords


def _leaves(step: float) -> NDArray[np.float64]:
    """Branches with leaves that sway in a loop of LOOP pictures."""
    rng = np.random.default_rng(7)
    u, v = _axes()
    shade = np.zeros_like(u)
    phase = 2 * math.pi * step / LOOP
    for _ in range(70):
        x, y, angle = rng.random(), rng.random(), rng.uniform(0, 2 * math.pi)
        length, width = rng.uniform(0.06, 0.12), rng.uniform(0.22, 0.4)
        sway, own = rng.uniform(0.004, 0.016), rng.uniform(0, 2 * math.pi)
        angle += 0.25 * math.sin(phase + own)
        dx = (u - x - sway * math.sin(phase + own) + 0.5) % 1 - 0.5
        dy = (v - y - 0.5 * sway * math.sin(2 * phase + own) + 0.5) % 1 - 0.5
        along = (dx * math.cos(angle) + dy * math.sin(angle)) / length
        across = (dy * math.cos(angle) - dx * math.sin(angle)) / length
        outline = np.where(abs(along) < 1, width * (1 - along**2) * (1 - 0.35 * along), -1.0) - abs(across)
        shade = np.maximum(shade, _edge(outline * length, 3))
    return 1 - 0.96 * shade


def _breakup(step: float) -> NDArray[np.float64]:
    """Irregular patches, as light through foliage far away."""
    rng = np.random.default_rng(11)
    spectrum = np.fft.fft2(rng.standard_normal((SIZE, SIZE)))
    f = np.hypot(*np.meshgrid(np.fft.fftfreq(SIZE) * SIZE, np.fft.fftfreq(SIZE) * SIZE))
    noise = np.real(np.fft.ifft2(spectrum * np.exp(-((f - 7) ** 2) / 18)))
    return np.clip(0.5 + noise / noise.std() * 1.6, 0, 1)
