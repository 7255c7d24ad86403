"""Passes that hold numbers, as pictures to look at: display values 0…1, (h, w, 3)."""

import colorsys

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from ..arrays import RGBImage
from .cryptomatte import ranks_of
from .view_transform import to_bytes

F32 = NDArray[np.float32]
ARROW_EVERY_PX = 32
ARROW_LEAST_PX = 0.5
"""What moves less gets no arrow."""


def depth_view(depth: F32) -> RGBImage:
    """Near is bright, by the logarithm of distance between its 1st and 99th hundredth; nothing is black."""
    seen = np.isfinite(depth) & (depth > 0)
    if not seen.any():
        return np.zeros((*depth.shape, 3), np.float32)
    stops = np.log2(np.where(seen, depth, 1.0))
    near, far = np.quantile(stops[seen], (0.01, 0.99))
    grey = np.where(seen, 1.0 - 0.85 * np.clip((stops - near) / max(far - near, 1e-6), 0, 1), 0.0)
    return np.repeat(grey[..., None], 3, axis=2).astype(np.float32)


def position_view(position: RGBImage) -> RGBImage:
    """X, Y and Z as red, green and blue between their 1st and 99th hundredth."""
    flat = position.reshape(-1, 3)
    low, high = np.quantile(flat[np.isfinite(flat).all(axis=1)], (0.01, 0.99), axis=0)
    return np.clip(np.nan_to_num((position - low) / np.maximum(high - low, 1e-6)), 0, 1).astype(np.float32)


def normal_view(normal: RGBImage) -> RGBImage:
    return np.clip(normal * 0.5 + 0.5, 0, 1).astype(np.float32)


def motion_view(motion: F32, under: RGBImage) -> RGBImage:
    """Arrows over a dimmed picture: from where something is to where it is in the next frame.

    motion (h, w, 2 or more): pixels to the right and down in the first two.
    """
    dim = to_bytes(under * 0.5)
    image = Image.fromarray(dim)
    draw = ImageDraw.Draw(image)
    h, w = motion.shape[:2]
    for y in range(ARROW_EVERY_PX // 2, h, ARROW_EVERY_PX):
        for x in range(ARROW_EVERY_PX // 2, w, ARROW_EVERY_PX):
            dx, dy = (float(v) for v in np.nan_to_num(motion[y, x, :2]))
            length = float(np.hypot(dx, dy))
            if length < ARROW_LEAST_PX:
                continue
            tip, back = (x + dx, y + dy), min(length * 0.35, 6.0) / length
            draw.line((x, y, *tip), fill=(255, 205, 60), width=1)
            for side in (-0.6, 0.6):
                draw.line(
                    (*tip, tip[0] - back * (dx + side * dy), tip[1] - back * (dy - side * dx)), fill=(255, 205, 60)
                )
    return np.asarray(image, np.float32) / 255.0


def matte_view(channels: dict[str, F32], layer: str) -> RGBImage:
    """Mattes in a colour of their own each, mixed at edges. Raises KeyError when there is no such layer."""
    ranks = ranks_of(channels, layer)
    out = np.zeros((*ranks[0][0].shape, 3), np.float32)
    for ids, covering in ranks:
        names, place = np.unique(ids.view(np.uint32), return_inverse=True)
        palette = np.array([_colour(int(i)) for i in names], np.float32)
        out += palette[place.reshape(ids.shape)] * covering[..., None]
    return np.clip(out, 0, 1)


def _colour(identity: int) -> tuple[float, float, float]:
    """One of a name's: the golden angle keeps neighbours apart. Nothing is black."""
    if identity == 0:
        return 0.0, 0.0, 0.0
    return colorsys.hsv_to_rgb((identity * 0.6180339887) % 1.0, 0.45 + 0.4 * ((identity >> 8) % 16) / 15, 0.9)


def occlusion_view(linear: RGBImage, openness: F32, amount: float) -> RGBImage:
    """A picture darkened where surroundings are near: light times 1 − amount · (1 − openness)."""
    return linear * (1.0 - np.float32(amount) * (1.0 - openness[..., None]))


def wireframe_view(linear: RGBImage, lines: F32, amount: float) -> RGBImage:
    """Dark lines over a picture; `lines` (h, w) is white where there are none."""
    return linear * (1.0 - np.float32(amount) * (1.0 - lines[..., None]))


def lighting_only(linear: RGBImage, albedo: RGBImage) -> RGBImage:
    """Light without the surfaces' own colour, as on a grey of one half; what is nearly black stays dark."""
    return np.asarray(0.5 * linear / np.maximum(albedo, 0.04), np.float32)
