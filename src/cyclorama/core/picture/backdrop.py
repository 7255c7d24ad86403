"""Backdrops of colours and pictures: what lies behind everything that a picture leaves uncovered, in linear light."""

import math

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageFilter
from scipy.ndimage import map_coordinates

from ..arrays import RGBImage
from ..picture_files import decode_picture
from ..scene import Background
from ..scene.light import Behind
from ..textures import srgb_to_linear_table


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


def passing(data: bytes, b: Behind, directions: NDArray[np.float64], middle: NDArray[np.float64]) -> RGBImage:
    """A picture around the camera, as far away as one likes: linear light seen in directions (h, w, 3).

    It lies on a cylinder, its own middle in the direction `middle` (3,) and at eye level, and goes on mirrored.
    """
    pixels = decode_picture(data, b.source_name or "background")[..., :3]
    h, w = pixels.shape[:2]
    if b.blur > 0:
        pixels = np.asarray(Image.fromarray(pixels).filter(ImageFilter.GaussianBlur(b.blur * b.blur * 0.1 * w)))
    radius = w / math.radians(b.spread_deg)
    x, y, z = np.moveaxis(directions, -1, 0)
    turn = np.arctan2(x, -z) - math.atan2(middle[0], -middle[2])
    places = np.stack([h / 2 - radius * y / np.hypot(x, z) - 0.5, w / 2 + radius * turn - 0.5])
    # rows end at their edges, columns are met again in a mirror
    places[0] = np.clip(places[0], 0, h - 1)
    light = srgb_to_linear_table()[pixels]
    seen = [map_coordinates(light[..., c], places, order=1, mode="reflect") for c in range(3)]
    return np.stack(seen, -1).astype(np.float32)


def covering(light: RGBImage, width: int, height: int) -> RGBImage:
    """A picture (h, w, 3) scaled and cut so that it fills a frame."""
    h, w = light.shape[:2]
    if (w, h) == (width, height):
        return light
    scale = min(w / width, h / height)
    left, top = (w - scale * width) / 2, (h - scale * height) / 2
    box = left, top, left + scale * width, top + scale * height
    planes = (Image.fromarray(np.ascontiguousarray(light[..., c])) for c in range(3))
    return np.stack([np.asarray(p.resize((width, height), Image.Resampling.BILINEAR, box)) for p in planes], -1)


def fit_picture(data: bytes, b: Background, width: int, height: int) -> RGBImage:
    """The picture cut to the frame's shape and scaled, blurred if asked for, in linear light."""
    pixels = decode_picture(data, b.source_name or "background")[..., :3]
    h, w = pixels.shape[:2]
    scale = max(width / w, height / h)
    image = Image.fromarray(pixels).resize(
        (max(width, round(w * scale)), max(height, round(h * scale))), Image.Resampling.LANCZOS
    )
    left, top = (image.width - width) // 2, (image.height - height) // 2
    image = image.crop((left, top, left + width, top + height))
    if b.blur > 0:
        image = image.filter(ImageFilter.GaussianBlur(b.blur * b.blur * 0.1 * width))
    return srgb_to_linear_table()[np.asarray(image)]
