"""Backdrops of colours and pictures: what lies behind everything that a picture leaves uncovered, in linear light."""

import math

import numpy as np
import scipy
from numpy.typing import NDArray
from PIL import Image, ImageFilter

from ..arrays import RGBImage
from ..picture_files import decode_picture
from ..scene import Background
from ..scene.light import Behind
from ..textures import srgb_to_linear_table


def colours(b: Background, width: int, height: int) -> RGBImage:
    """One colour, or two that go over into each other upwards or towards the middle (height, width, 3)."""
    low, high = np.array(b.colour), np.array(b.second)
    if b.kind not in ("vertical", "radial"):
        return np.broadcast_to(low, (height, width, 3)).astype(np.float32)
    right, down = _from_middle(b, width, height)
    if b.kind == "vertical":
        turn = math.radians(b.turn_deg)
        long = width * abs(math.sin(turn)) + height * abs(math.cos(turn))
        t = np.clip(0.5 + (right * math.sin(turn) - down * math.cos(turn)) / (long * b.size), 0, 1)
    else:
        t = 1 - np.minimum(np.hypot(right, down) / (0.5 * b.size * np.hypot(width, height)), 1)
        t = t * t * (3 - 2 * t)
    return np.asarray(low + t[..., None] * (high - low), np.float32)


def _from_middle(b: Background, width: int, height: int) -> NDArray[np.float64]:
    """Places of pixels (2, h, w) to the right of the background's middle and below it, in pixels."""
    down, right = np.mgrid[0:height, 0:width] + 0.5
    return np.stack([right - width * (0.5 + b.shift_right), down - height * (0.5 - b.shift_up)])


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
    seen = [scipy.ndimage.map_coordinates(light[..., c], places, order=1, mode="reflect") for c in range(3)]
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
    """The picture laid into the frame, blurred if asked for, in linear light (height, width, 3); where it does not
    reach, the background's colour."""
    image = Image.fromarray(decode_picture(data, b.source_name or "background")[..., :3])
    least, most = sorted((width / image.width, height / image.height))
    scale = b.size * (most if b.fit == "fill" else least)
    wide, high = scale * image.width, scale * image.height
    if scale < 1:  # a filter that looks at all its pixels; enlarged it is while it is laid
        image = image.resize((max(1, round(wide)), max(1, round(high))), Image.Resampling.LANCZOS)
    onto = _inverse(b, (wide / image.width, high / image.height), image.size, (width, height))
    laid, there = (
        picture.transform((width, height), Image.Transform.AFFINE, onto, Image.Resampling.BICUBIC)
        for picture in (image, Image.new("L", image.size, 255))
    )
    if b.blur > 0:
        smear = ImageFilter.GaussianBlur(b.blur * b.blur * 0.1 * width)
        laid, there = laid.filter(smear), there.filter(smear)
    share = np.asarray(there, np.float32)[..., None] / 255
    bytes_there = np.asarray(laid) / np.maximum(share, 1 / 255)  # smeared, the picture has taken in black beside it
    light = srgb_to_linear_table()[np.clip(bytes_there + 0.5, 0, 255).astype(np.uint8)]
    return np.asarray(share * light + (1 - share) * np.array(b.colour, np.float32), np.float32)


def _inverse(
    b: Background, scale: tuple[float, float], size: tuple[int, int], frame: tuple[int, int]
) -> tuple[float, ...]:
    """From places of the frame to those of a picture of a size in pixels, which are `scale` pixels of the frame:
    x' = a x + b y + c, y' = d x + e y + f."""
    turn = math.radians(b.turn_deg)
    c, s = math.cos(turn), math.sin(turn)
    x, y = frame[0] * (0.5 + b.shift_right), frame[1] * (0.5 - b.shift_up)
    across, down = (c / scale[0], s / scale[0]), (-s / scale[1], c / scale[1])
    return (*across, size[0] / 2 - across[0] * x - across[1] * y, *down, size[1] / 2 - down[0] * x - down[1] * y)
