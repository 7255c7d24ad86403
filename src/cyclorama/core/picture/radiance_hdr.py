"""Radiance RGBE pictures (.hdr), read as described in Ward, "Real Pixels", Graphics Gems II, 1991."""

import re

import numpy as np

from ..arrays import RGBImage
from ..errors import IntakeError


def read_hdr(data: bytes, name: str) -> RGBImage:
    """Linear float32 (h, w, 3); raises IntakeError when the file is damaged."""
    match = re.search(rb"\n\n-Y (\d+) \+X (\d+)\n", data[:8192])
    if match is None:
        raise IntakeError(f"‘{name}’ has no readable picture size; it is damaged or oriented unusually.")
    height, width = int(match[1]), int(match[2])
    if width * height > 16384 * 8192 or width * height == 0:
        raise IntakeError(f"‘{name}’ is {width}×{height} pixels; at most 16384×8192 can be used.")
    try:
        rgbe = _read_rows(data[match.end() :], width, height)
    except (IndexError, ValueError) as error:
        raise IntakeError(f"‘{name}’ ends too early; it is damaged. Export or download it again.") from error
    scale = np.ldexp(np.float32(1.0), np.arange(256) - 136).astype(np.float32)
    scale[0] = 0.0
    linear = rgbe[..., :3].astype(np.float32)
    linear *= scale[rgbe[..., 3]][..., None]
    return linear


def _read_rows(data: bytes, width: int, height: int) -> np.ndarray:
    if not (8 <= width < 32768 and data[:2] == b"\x02\x02"):
        flat = np.frombuffer(data, np.uint8, width * height * 4)
        return flat.reshape(height, width, 4)
    out = np.empty((height, 4, width), np.uint8)
    at = 0
    for y in range(height):
        if data[at] != 2 or data[at + 1] != 2 or data[at + 2] << 8 | data[at + 3] != width:
            raise ValueError("row header")
        at += 4
        for channel in range(4):
            x = 0
            while x < width:
                count = data[at]
                if count > 128:
                    run = count - 128
                    out[y, channel, x : x + run] = data[at + 1]
                    at += 2
                else:
                    run = count
                    out[y, channel, x : x + run] = np.frombuffer(data, np.uint8, run, at + 1)
                    at += run + 1
                if run == 0:
                    raise ValueError("empty run")
                x += run
    return out.transpose(0, 2, 1)
