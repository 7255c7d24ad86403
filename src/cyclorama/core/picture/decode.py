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

from ..errors import IntakeError

FORMATS = ("PNG", "JPEG", "TIFF", "WEBP")
MAX_SIDE = 16384
MAX_PIXELS = 8192 * 8192


@contextmanager
def opened_picture(data: bytes, name: str) -> Iterator[Image.Image]:
    """A picture of which only the header is read so far.

    Raises IntakeError when it is damaged (also when that shows inside the block), of another kind, or so large that
    it would fill the memory.
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(data), formats=FORMATS) as image:
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
    """A PNG, JPEG, TIFF or WebP as (h, w, 4) sRGB bytes; raises IntakeError, see `opened_picture`."""
    with opened_picture(data, name) as image:
        return np.asarray(image.convert("RGBA"))
