"""Reading environments and writing frames."""

import io
import tempfile
from pathlib import Path

import numpy as np
import OpenEXR
from PIL import Image

from ..arrays import Mask, RGBImage
from ..errors import IntakeError
from ..scene import Look
from .exposure import expose
from .radiance_hdr import read_hdr
from .view import to_bytes, to_display


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
    try:
        with tempfile.NamedTemporaryFile(suffix=".exr") as file:
            file.write(data)
            file.flush()
            with OpenEXR.File(file.name, separate_channels=False) as exr:
                channels = exr.channels()
                pixels = next((channels[c].pixels for c in ("RGB", "RGBA") if c in channels), None)
                if pixels is None and "Y" in channels:
                    pixels = np.repeat(channels["Y"].pixels[..., None], 3, axis=2)
    except (RuntimeError, OSError, ValueError, TypeError) as error:
        raise IntakeError(f"‘{name}’ is damaged and cannot be read. Export it again.") from error
    if pixels is None:
        raise IntakeError(f"‘{name}’ has no red, green and blue channels.")
    return np.ascontiguousarray(pixels[..., :3], np.float32)


def encode_exr(rgb: RGBImage, alpha: Mask | None = None) -> bytes:
    """A half-float EXR of a linear picture (h, w, 3), premultiplied by `alpha` (h, w) if there is one."""
    pixels = rgb if alpha is None else np.dstack([rgb, alpha])
    half = np.ascontiguousarray(np.clip(pixels, -65504, 65504), np.float16)
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    # the library writes to paths only
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "picture.exr"
        with OpenEXR.File(header, {"RGB" if alpha is None else "RGBA": half}) as file:
            file.write(str(path))
        return path.read_bytes()


def encode_frame(radiance: RGBImage, alpha: Mask | None, look: Look, file_format: str) -> bytes:
    """A finished frame as the bytes of a PNG, JPEG or EXR file.

    radiance (h, w, 3) nit; alpha (h, w) makes a transparent picture where the format can hold it. PNG holds
    straight alpha, EXR premultiplied, as their specifications ask.
    """
    linear = expose(radiance, look)
    if file_format == "exr":
        return encode_exr(linear, alpha)
    if alpha is not None and file_format == "png":
        straight = np.divide(linear, alpha[..., None], out=np.zeros_like(linear), where=alpha[..., None] > 1e-4)
        shown = np.dstack([to_display(straight, look.view), alpha])
    else:
        shown = to_display(linear, look.view)
    buffer = io.BytesIO()
    image = Image.fromarray(to_bytes(shown))
    if file_format == "jpeg":
        image.save(buffer, "JPEG", quality=95, subsampling=0)
    else:
        image.save(buffer, "PNG", compress_level=4)
    return buffer.getvalue()
