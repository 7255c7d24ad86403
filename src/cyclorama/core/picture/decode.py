"""Ordinary pictures used as maps."""

import io
import warnings

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..errors import IntakeError

MAX_SIDE = 16384
MAX_PIXELS = 8192 * 8192


def decode_picture(data: bytes, name: str) -> NDArray[np.uint8]:
    """A PNG, JPEG, TIFF or WebP as (h, w, 4) sRGB bytes.

    Raises IntakeError when it is damaged, of another kind, or so large that it would fill the memory; the size
    is checked before anything is unpacked.
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(data)) as image:
                if image.width * image.height > MAX_PIXELS or max(image.size) > MAX_SIDE:
                    raise IntakeError(
                        f"The picture ‘{name}’ is {image.width}×{image.height} pixels; at most 8192×8192 can be "
                        f"used. Make it smaller and bring it in again."
                    )
                return np.asarray(image.convert("RGBA"))
    except Image.DecompressionBombError as error:
        raise IntakeError(
            f"The picture ‘{name}’ is larger than 8192×8192 pixels. Make it smaller and bring it in again."
        ) from error
    except (OSError, ValueError, SyntaxError) as error:
        raise IntakeError(f"The picture ‘{name}’ cannot be read; it is damaged or of another kind.") from error
