"""Pictures that hold light: environments."""

import numpy as np

from ..arrays import RGBImage
from ..errors import IntakeError
from .exr import check_size, main_picture
from .radiance_hdr import read_hdr


def read_linear(data: bytes, name: str) -> RGBImage:
    """An HDR (Radiance RGBE) or EXR picture as linear float32 (h, w, 3).

    Raises IntakeError with a sentence when it is neither, damaged, or too large.
    """
    if data[:4] == b"\x76\x2f\x31\x01":
        return _read_exr(data, name)
    if data[:2] == b"#?":
        return read_hdr(data, name)
    raise IntakeError(f"‘{name}’ is not an HDR or EXR picture. Environments come as .hdr or .exr files.")


def _read_exr(data: bytes, name: str) -> RGBImage:
    check_size(data, name)
    pixels = main_picture(data, name)
    return np.ascontiguousarray(pixels[..., :3] if pixels.shape[2] >= 3 else np.repeat(pixels, 3, axis=2), np.float32)


def broken_pixels(pixels: RGBImage) -> int:
    """Number of pixels of (h, w, 3) that are not a number, infinite or negative."""
    return int((~np.isfinite(pixels) | (pixels < 0)).any(axis=2).sum())
