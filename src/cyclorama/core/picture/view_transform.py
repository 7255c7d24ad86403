"""View transforms: from scene-linear Rec.709 to display sRGB.

neutral: Khronos PBR Neutral tone mapper (specification 1.0, 2024), keeps base colours true up to 0.8.
aces: ACES 1.0 SDR video view of OpenColorIO's built-in studio configuration.
srgb: no tone curve, values above 1 clip.
"""

import math
from functools import cache

import numpy as np
import PyOpenColorIO as ocio
from numpy.polynomial import Chebyshev, Polynomial
from numpy.typing import NDArray

from ..arrays import RGBImage
from ..kernel import device, kernel
from ..scene.tone import ViewName

OCIO_CONFIG = "ocio://studio-config-v2.1.0_aces-v1.3_ocio-v2.3"


LINEAR_UP_TO = 0.0031308
BLOCK = 4096
"""So many pixels are split into their channels at a time."""


def _encoding() -> tuple[np.float32, ...]:
    """1.055 · u^(5/3) − 0.055, which is the curved part of IEC 61966-2-1 of light u⁴, as a polynomial of u."""
    least = LINEAR_UP_TO**0.25
    nodes = np.cos((np.arange(256) + 0.5) / 256 * np.pi) * (1 - least) / 2 + (1 + least) / 2
    fit = Chebyshev.fit(nodes, 1.055 * nodes ** (5 / 3) - 0.055, 8, domain=[least, 1])
    return tuple(np.float32(k) for k in fit.convert(kind=Polynomial).coef)


C0, C1, C2, C3, C4, C5, C6, C7, C8 = _encoding()


@device
def encode_srgb(x):
    """IEC 61966-2-1 of light, clipped to 0…1, black for what is no number: off by 5e-7.

    Without branches, so that a loop of it runs as vectors.
    """
    x = min(max(x, np.float32(0.0)), np.float32(1.0)) if x == x else np.float32(0.0)
    u = np.float32(math.sqrt(np.float32(math.sqrt(x))))
    curve = ((((((((C8 * u + C7) * u + C6) * u + C5) * u + C4) * u + C3) * u + C2) * u) + C1) * u + C0
    return np.float32(12.92) * x if x <= np.float32(LINEAR_UP_TO) else curve


@kernel
def encode(values):
    """IEC 61966-2-1 in place of light (n,)."""
    for i in range(values.shape[0]):
        values[i] = encode_srgb(values[i])


@kernel
def _tone(image, parts):
    """Khronos PBR Neutral in place of light (n, 3); `parts` (3, BLOCK) is room to work in.

    Channels are apart while they are worked on and nothing branches, so it runs as vectors.
    """
    one, start, desaturation = np.float32(1.0), np.float32(0.8 - 0.04), np.float32(0.15)
    d = one - start
    red, green, blue = parts[0], parts[1], parts[2]
    for begin in range(0, image.shape[0], BLOCK):
        count = min(BLOCK, image.shape[0] - begin)
        for i in range(count):
            red[i], green[i], blue[i] = image[begin + i, 0], image[begin + i, 1], image[begin + i, 2]
        for i in range(count):
            r, g, b = _light(red[i]), _light(green[i]), _light(blue[i])
            # the offset stays at 0.04 from 0.08 on
            x = min(min(min(r, g), b), np.float32(0.08))
            offset = x - np.float32(6.25) * x * x
            r, g, b = r - offset, g - offset, b - offset
            # below the start of the shoulder this gives what goes in
            peak = max(max(max(r, g), b), start)
            new_peak = one - d * d / (peak + d - start)
            kept = one / (desaturation * (peak - new_peak) + one)
            k = new_peak / peak * kept
            white = new_peak * (one - kept)
            red[i], green[i], blue[i] = r * k + white, g * k + white, b * k + white
        for i in range(count):
            image[begin + i, 0], image[begin + i, 1], image[begin + i, 2] = red[i], green[i], blue[i]


@device
def _light(x):
    """Displayable light: zero for NaN and negative values, at most the largest half float."""
    return min(max(x, np.float32(0.0)), np.float32(65504.0)) if x == x else np.float32(0.0)


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
    return display_planes(np.array(picture, np.float32, order="C"), view)


def display_planes(picture: RGBImage, view: ViewName) -> RGBImage:
    """The same in place of a picture (…, 3) whose floats lie one after the other."""
    flat = picture.reshape(-1, 3)
    if view == "aces":
        np.nan_to_num(flat, copy=False, posinf=65504.0)
        _aces_processor().applyRGB(flat)
        return np.clip(flat, 0, 1).reshape(picture.shape)
    if view == "neutral":
        _tone(flat, np.empty((3, BLOCK), np.float32))
    encode(flat.ravel())
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
