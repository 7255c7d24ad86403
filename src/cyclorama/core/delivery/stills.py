"""Single frames as files of a delivery's kind, and back again."""

import io

import numpy as np
import tifffile
from numpy.typing import NDArray

from ..picture.exr import encode_exr, read_layers
from ..picture.files import encode_display
from ..picture.view_transform import over, srgb_encode
from ..picture_files import decode_picture
from ..textures import srgb_to_linear
from .presets import Coding
from .video_frames import WHITE

F32 = NDArray[np.float32]


def file_of(picture: F32, coding: Coding) -> bytes:
    """A picture (h, w, 3 or 4) of display values as a file; alpha that it cannot hold lies over white.

    EXR holds the light that a screen would give off for it, premultiplied.
    """
    picture = picture if coding.clear else over(picture, WHITE)
    if coding.ending != "exr":
        return encode_display(picture, coding.ending, coding.bits)
    light = srgb_to_linear(picture[..., :3])
    if picture.shape[2] == 3:
        return encode_exr(light)
    return encode_exr(light * picture[..., 3:], picture[..., 3])


def picture_of(data: bytes, coding: Coding, name: str) -> F32:
    """Picture of a still's file, display values (h, w, 3 or 4). Raises IntakeError when it cannot be read."""
    if coding.ending == "exr":
        channels = read_layers(data, name)
        light = np.dstack([channels[c] for c in "RGB"])
        if "A" not in channels:
            return srgb_encode(light.astype(np.float32))
        alpha = channels["A"]
        return np.dstack([srgb_encode((light / np.maximum(alpha, 1e-6)[..., None]).astype(np.float32)), alpha])
    pixels = tifffile.imread(io.BytesIO(data)) if coding.bits > 8 else decode_picture(data, name)
    return (pixels / np.float32(np.iinfo(pixels.dtype).max)).astype(np.float32)
