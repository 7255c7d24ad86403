"""Ordinary pictures: the one place where PNG, JPEG, TIFF and WebP files are opened.

Only these are, whatever else the library could open: some of its formats run programs. The size is looked at before
a pixel is unpacked.
"""

import io
import warnings
from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from .errors import IntakeError

FORMATS = ("PNG", "JPEG", "TIFF", "WEBP")
_OLD_FORMATS = ("BMP", "GIF", "TGA")
"""What models may refer to besides; turned into PNG on the way in."""
MAX_SIDE = 16384
MAX_PIXELS = 8192 * 8192


@contextmanager
def open_picture(data: bytes, name: str, formats: tuple[str, ...] = FORMATS) -> Iterator[Image.Image]:
    """A picture of which only the header is read so far.

    Raises IntakeError when it is damaged (also when that shows inside the block), of another kind, or so large that
    it would fill the memory.
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(data), formats=formats) as image:
                if image.width * image.height > MAX_PIXELS or max(image.size) > MAX_SIDE:
                    raise IntakeError(
                        f"The picture ‘{name}’ is {image.width}×{image.height} pixels; at most 8192×8192 can be "
                        f"used. Make it smaller and bring it in again."
                    )
                yield image
    except Image.DecompressionBombError as error:
        raise IntakeError(
            f"The picture ‘{name}’ is larger than 8192×8192 pixels. Make it smaller and bring it in again."
        ) from error
    except (OSError, ValueError, SyntaxError) as error:
        raise IntakeError(f"The picture ‘{name}’ cannot be read; it is damaged or of another kind.") from error


def decode_picture(data: bytes, name: str) -> NDArray[np.uint8]:
    """A PNG, JPEG, TIFF or WebP as (h, w, 4) sRGB bytes; raises IntakeError, see `open_picture`."""
    with open_picture(data, name) as image:
        return np.asarray(_in_bytes(image).convert("RGBA"))


def decode_heights(data: bytes, name: str, channel: str) -> NDArray[np.float32]:
    """A picture as heights (h, w), 0…1, as exact as the file has them: grey ones keep sixteen bits. channel: r, g, b or
    a, else the mean of the colours. Raises IntakeError, see `open_picture`."""
    with open_picture(data, name) as image:
        if image.mode.startswith("I"):
            return (np.asarray(image).astype(np.float32) / 65535.0).clip(0.0, 1.0)
        if image.mode == "F":
            return np.nan_to_num(np.asarray(image, np.float32), nan=0.0).clip(0.0, 1.0)
        values = np.asarray(image.convert("RGBA"), np.float32) / 255.0
    one = "rgba".find(channel)
    return np.asarray(values[..., one] if one >= 0 else values[..., :3].mean(axis=2))


def _in_bytes(image: Image.Image) -> Image.Image:
    """Grey pictures of more than eight bits brought to eight; the library would cut off what is above 255."""
    if image.mode.startswith("I"):
        values = np.asarray(image).astype(np.int64)
        return Image.fromarray(np.clip((values + 128) // 257, 0, 255).astype(np.uint8))
    if image.mode == "F":
        values = np.nan_to_num(np.asarray(image), nan=0.0)
        return Image.fromarray((np.clip(values, 0.0, 1.0) * 255 + 0.5).astype(np.uint8))
    return image


def usable_picture(data: bytes, name: str) -> tuple[bytes, str | None]:
    """A picture as the studio keeps it, and a sentence where it had to be mended.

    A JPEG that ends early is given an end; BMP, TGA and GIF become PNG. Raises IntakeError when nothing helps.
    """
    try:
        decode_picture(data, name)
    except IntakeError as error:
        if data.startswith(b"\xff\xd8"):
            mended = data + b"\xff\xd9"
            try:
                decode_picture(mended, name)
            except IntakeError:
                raise error from None
            return mended, f"The picture ‘{name}’ ends too early; what is missing of it is grey. Export it again."
        if not data.startswith((b"BM", b"GIF8")) and not name.lower().endswith(".tga"):
            raise
        with open_picture(data, name, _OLD_FORMATS) as image:
            buffer = io.BytesIO()
            _in_bytes(image).convert("RGBA").save(buffer, "PNG")
        return buffer.getvalue(), None
    return data, None
