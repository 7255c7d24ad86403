"""Backdrops of colours and pictures: what lies behind everything that a picture leaves uncovered, in linear light."""

import numpy as np
from PIL import Image, ImageFilter

from ..arrays import RGBImage
from ..scene import Background
from ..textures import srgb_to_linear_table
from .decode import decode_picture


def colours(b: Background, width: int, height: int) -> RGBImage:
    """One colour, or two that go over into each other upwards or towards the middle (height, width, 3)."""
    low, high = np.array(b.colour), np.array(b.second)
    if b.kind == "vertical":
        t = ((height - 0.5 - np.arange(height)) / height)[:, None] * np.ones(width)
    elif b.kind == "radial":
        y, x = np.mgrid[0:height, 0:width]
        t = 1 - np.hypot(x + 0.5 - width / 2, y + 0.5 - height / 2) / (0.5 * np.hypot(width, height))
        t = t * t * (3 - 2 * t)
    else:
        return np.broadcast_to(low, (height, width, 3)).astype(np.float32)
    return np.asarray(low + t[..., None] * (high - low), np.float32)


def fitted(data: bytes, b: Background, width: int, height: int) -> RGBImage:
    """The picture cut to the frame's shape and scaled, blurred if asked for, in linear light."""
    pixels = decode_picture(data, b.source_name or "background")[..., :3]
    h, w = pixels.shape[:2]
    scale = max(width / w, height / h)
    image = Image.fromarray(pixels).resize((max(width, round(w * scale)), max(height, round(h * scale))),
                                           Image.Resampling.LANCZOS)  # fmt: skip
    left, top = (image.width - width) // 2, (image.height - height) // 2
    image = image.crop((left, top, left + width, top + height))
    if b.blur > 0:
        image = image.filter(ImageFilter.GaussianBlur(b.blur * b.blur * 0.1 * width))
    return srgb_to_linear_table()[np.asarray(image)]
