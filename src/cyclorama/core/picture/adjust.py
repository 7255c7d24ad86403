"""A map's colours adjusted without touching its file."""

import numpy as np
from numpy.typing import NDArray

from ..colour import LUMA
from ..colour_spaces import oklab_of, rgb_of_oklab
from ..textures import srgb_to_linear_table, to_srgb_bytes

AT_ONCE = 1 << 20
"""So many pixels are worked on at once."""
MIDDLE = 0.18
"""Linear value about which contrast turns."""


def adjust_colours(
    pixels: NDArray[np.uint8], hue_deg: float, saturation: float, brightness_stops: float, contrast: float
) -> NDArray[np.uint8]:
    """A picture (h, w, 4), sRGB bytes, in which hues are turned and chroma is multiplied in OKLab, then light is made
    stronger and its logarithm drawn out about middle grey; alpha stays."""
    decode = srgb_to_linear_table().astype(np.float64)
    after = pixels.copy().reshape(-1, 4)
    turn = np.radians(hue_deg)
    spin = saturation * np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    for start in range(0, len(after), AT_ONCE):
        rgb = decode[after[start : start + AT_ONCE, :3]]
        if hue_deg or saturation != 1.0:
            lab = oklab_of(rgb)
            lab[:, 1:] = lab[:, 1:] @ spin
            rgb = np.maximum(rgb_of_oklab(lab), 0.0)
        rgb = rgb * 2.0**brightness_stops
        if contrast != 1.0:
            light = np.maximum(rgb @ LUMA, 1e-6)[:, None]
            rgb = rgb * (light / MIDDLE) ** (contrast - 1.0)
        after[start : start + AT_ONCE, :3] = to_srgb_bytes(np.minimum(rgb, 1.0).astype(np.float32))
    return after.reshape(pixels.shape)
