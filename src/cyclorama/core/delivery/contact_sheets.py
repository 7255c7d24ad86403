"""Contact sheets: frames beside each other with what they are called, as a PNG or to print."""

import io
import math
from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..lettering import coverage, set_line
from ..picture.view_transform import over, to_bytes

F32 = NDArray[np.float32]
PAPER, INK, SOFT = (244, 241, 235), (32, 30, 27), (92, 86, 77)
_PAPER = PAPER[0] / 255, PAPER[1] / 255, PAPER[2] / 255
WIDE, EDGE, GAP = 2400, 80, 28
"""px: of the sheet, around all pictures, between them"""
DOTS_PER_INCH = 200.0


def sheet(pictures: Iterable[tuple[str, F32]], title: str, below: str, columns: int | None = None) -> Image.Image:
    """Pictures (h, w, 3 or 4) of display values with a caption each, in rows."""
    shown = [(name, to_bytes(over(picture, _PAPER))) for name, picture in pictures]
    h, w = shown[0][1].shape[:2]
    across = columns or best_columns(len(shown), w / h)
    width = (WIDE - 2 * EDGE - (across - 1) * GAP) // across
    height, line, head = round(width * h / w), max(26, min(40, width // 9)), 150
    rows = -(-len(shown) // across)
    image = Image.new("RGB", (WIDE, head + EDGE + rows * (height + line + GAP)), PAPER)
    _write(image, title, 54, EDGE, EDGE + 20, INK, 650)
    _write(image, below, 30, EDGE, EDGE + 64, SOFT, 450)
    for k, (name, pixels) in enumerate(shown):
        x, y = EDGE + k % across * (width + GAP), head + k // across * (height + line + GAP)
        image.paste(Image.fromarray(pixels).resize((width, height), Image.Resampling.LANCZOS), (x, y))
        _write(image, name, round(line * 0.62), x, y + height + round(line * 0.75), SOFT, 500, "mono")
    return image


def best_columns(count: int, shape: float) -> int:
    """Columns with which pictures of a shape fill a landscape sheet best."""
    return max(1, min(count, round(math.sqrt(count * 1.414 / shape))))


def sheet_file(image: Image.Image, ending: str) -> bytes:
    """The sheet as a PNG or PDF."""
    buffer = io.BytesIO()
    if ending == "pdf":
        image.save(buffer, "PDF", resolution=DOTS_PER_INCH, quality=92)
    else:
        image.save(buffer, "PNG", dpi=(DOTS_PER_INCH, DOTS_PER_INCH))
    return buffer.getvalue()


def _write(
    image: Image.Image,
    text: str,
    size: int,
    left: int,
    base: int,
    ink: tuple[int, int, int],
    weight: int,
    family: str = "grotesque",
) -> None:
    line = set_line(text, family, weight)
    width, top = math.ceil(line.width * size) + 4, size
    covered = coverage(line, size, 0.0, top, width, size * 2)
    image.paste(ink, (left, base - top), Image.fromarray((covered * 255).astype(np.uint8)))
