"""View transforms: from scene-linear Rec.709 to display sRGB.

neutral: Khronos PBR Neutral tone mapper (specification 1.0, 2024), keeps base colours true up to 0.8.
aces: ACES 1.0 SDR video view of OpenColorIO's built-in studio configuration.
srgb: no tone curve, values above 1 clip.
"""

import math
from functools import cache

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from ..arrays import RGBImage
from ..kernel import device, kernel
from ..scene.tone import ViewName

OCIO_CONFIG = "ocio://studio-config-v2.1.0_aces-v1.3_ocio-v2.3"


ROOT_STEPS = 1024


@device
def encoded(x, table):
    """IEC 61966-2-1 of light, clipped to 0…1, by a table over the square root of light: off by 5e-7."""
    x = np.float32(x)
    if x <= np.float32(0.0031308):
        return np.float32(12.92) * max(x, np.float32(0.0))
    if x >= np.float32(1.0):
        return np.float32(1.0)
    at = np.float32(math.sqrt(x)) * np.float32(ROOT_STEPS)
    step = int(at)
    return table[step] + (at - np.float32(step)) * (table[step + 1] - table[step])


@kernel
def _show(image, tone, table):
    """Display values in place of light (n, 3): through Khronos PBR Neutral if so asked, then encoded."""
    one, start, desaturation = np.float32(1.0), np.float32(0.8 - 0.04), np.float32(0.15)
    d = one - start
    for i in range(image.shape[0]):
        r, g, b = _light(image[i, 0]), _light(image[i, 1]), _light(image[i, 2])
        if not tone:
            image[i, 0], image[i, 1], image[i, 2] = encoded(r, table), encoded(g, table), encoded(b, table)
            continue
        x = min(r, g, b)
        offset = x - np.float32(6.25) * x * x if x < np.float32(0.08) else np.float32(0.04)
        r, g, b = r - offset, g - offset, b - offset
        peak = max(r, g, b)
        if peak >= start:
            new_peak = one - d * d / (peak + d - start)
            kept = one / (desaturation * (peak - new_peak) + one)
            k = new_peak / peak * kept
            white = new_peak * (one - kept)
            r, g, b = r * k + white, g * k + white, b * k + white
        image[i, 0], image[i, 1], image[i, 2] = encoded(r, table), encoded(g, table), encoded(b, table)


@device
def _light(x):
    """What can be shown of a value: nothing of what is none or below zero, and no more than a half float holds."""
    return min(max(x, np.float32(0.0)), np.float32(65504.0)) if x == x else np.float32(0.0)


@cache
def encode_table() -> NDArray[np.float32]:
    """For `encoded`."""
    roots = np.arange(ROOT_STEPS + 1) / ROOT_STEPS
    return np.asarray(1.055 * (roots * roots) ** (1 / 2.4) - 0.055, np.float32)


@cache
def _aces_processor() -> ocio.CPUProcessor:
    config = ocio.Config.CreateFromBuiltinConfig(OCIO_CONFIG)
    view = ocio.DisplayViewTransform(src="Linear Rec.709 (sRGB)", display="sRGB - Display", view="ACES 1.0 - SDR Video")
    return config.getProcessor(view).getDefaultCPUProcessor()


def srgb_encode(linear: NDArray[np.float32]) -> NDArray[np.float32]:
    """IEC 61966-2-1 transfer function; values are clipped to 0…1."""
    x = np.clip(linear, 0.0, 1.0)
    return np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.power(x, 1 / 2.4) - 0.055).astype(np.float32)


def to_display(picture: RGBImage, view: ViewName) -> RGBImage:
    """Display-encoded sRGB 0…1 from a scene-linear picture (h, w, 3)."""
    flat = np.array(picture, np.float32, order="C").reshape(-1, 3)
    if view == "aces":
        np.nan_to_num(flat, copy=False, posinf=65504.0)
        _aces_processor().applyRGB(flat)
        return np.clip(flat, 0, 1).reshape(picture.shape)
    _show(flat, view == "neutral", encode_table())
    return flat.reshape(picture.shape)


def over(display: NDArray[np.float32], colour: float | tuple[float, float, float]) -> NDArray[np.float32]:
    """Display values (h, w, 3): those with straight alpha (h, w, 4) over a colour, others as they are."""
    if display.shape[2] == 3:
        return display
    ground = np.asarray(colour, np.float32)
    return np.asarray(display[..., :3] * display[..., 3:] + ground * (1 - display[..., 3:]), np.float32)


def to_bytes(display: NDArray[np.float32]) -> NDArray[np.uint8]:
    """8-bit values from display values 0…1."""
    flat = np.ascontiguousarray(display, np.float32).ravel()
    out = np.empty(len(flat), np.uint8)
    _round(flat, out)
    return out.reshape(display.shape)


@kernel
def _round(values, out):
    for i in range(values.shape[0]):
        # what is no number is black
        out[i] = np.uint8(min(max(values[i], np.float32(0.0)), np.float32(1.0)) * np.float32(255.0) + np.float32(0.5))
