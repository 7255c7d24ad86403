"""Writing frames."""

import io
import struct
import zlib

import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from ..arrays import Mask, RGBImage
from ..scene import Tone
from .exposure import expose
from .exr import encode_exr
from .view_transform import to_bytes, to_display


def encode_frame(radiance: RGBImage, alpha: Mask | None, tone: Tone, file_format: str, bits: int = 8) -> bytes:
    """A finished frame as the bytes of a PNG, JPEG, TIFF or EXR file, with as many bits a channel as it can hold.

    radiance (h, w, 3) nit; alpha (h, w) makes a transparent picture where the format can hold it. PNG holds
    straight alpha, EXR premultiplied, as their specifications ask.
    """
    linear, view = expose(radiance, tone), tone.view
    if file_format == "exr":
        return encode_exr(linear, alpha, 32 if bits == 32 else 16)
    if alpha is not None and file_format in ("png", "tiff"):
        straight = np.divide(linear, alpha[..., None], out=np.zeros_like(linear), where=alpha[..., None] > 1e-4)
        shown = np.dstack([to_display(straight, view), alpha])
    else:
        shown = to_display(linear, view)
    return encode_display(shown, file_format, bits)


def encode_display(shown: NDArray[np.float32], file_format: str, bits: int = 8) -> bytes:
    """Display values 0…1, (h, w), (h, w, 3) or (h, w, 4), as a PNG, TIFF (8 or 16 bits) or JPEG (8 bits)."""
    buffer = io.BytesIO()
    if bits > 8 and file_format != "jpeg":
        deep = (np.clip(shown, 0, 1) * 65535 + 0.5).astype(np.uint16)
        if file_format == "tiff":
            extra = ["unassalpha"] if deep.shape[2:] == (4,) else None
            kind = "rgb" if deep.ndim == 3 else "minisblack"
            tifffile.imwrite(buffer, deep, photometric=kind, extrasamples=extra, compression="zlib")
            return buffer.getvalue()
        return encode_png16(deep)
    image = Image.fromarray(to_bytes(shown))
    if file_format == "jpeg":
        image.save(buffer, "JPEG", quality=95, subsampling=0)
    elif file_format == "tiff":
        image.save(buffer, "TIFF", compression="tiff_deflate")
    else:
        image.save(buffer, "PNG", compress_level=4)
    return buffer.getvalue()


def encode_png16(deep: NDArray[np.uint16]) -> bytes:
    """A PNG with 16 bits a channel (ISO/IEC 15948): Pillow writes only 8 for colours."""
    h, w = deep.shape[:2]
    channels = 1 if deep.ndim == 2 else deep.shape[2]
    rows = deep.astype(">u2").reshape(h, w * channels).view(np.uint8).reshape(h, -1)
    # filter type 1, the difference to the pixel before
    step = 2 * channels
    filtered = rows.copy()
    filtered[:, step:] -= rows[:, :-step]
    raw = np.concatenate([np.ones((h, 1), np.uint8), filtered], axis=1).tobytes()

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    colour_type = {1: 0, 3: 2, 4: 6}[channels]
    header = struct.pack(">IIBBBBB", w, h, 16, colour_type, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", header)
        + chunk(b"sRGB", b"\0")
        + chunk(b"IDAT", zlib.compress(raw, 4))
        + chunk(b"IEND", b"")
    )
