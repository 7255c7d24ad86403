"""A page that turns what it shows by hand: one file, which needs neither a server nor anything from elsewhere."""

import base64
import html
import io
import json
from collections.abc import Iterable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..errors import ShootError
from ..picture.view_transform import over, to_bytes

F32 = NDArray[np.float32]
PAGE = Path(__file__).parent / "spin_page.html"
SMALL_PX = 320
"""so wide are the pictures that are there first"""
GROUND = "#767676"
GREY = int(GROUND[1:3], 16) / 255
"""the page's ground, as grey as a mat"""


def spin_page(pictures: Iterable[F32], title: str, goes_round: bool) -> bytes:
    """The page of pictures (h, w, 3 or 4) of display values. Raises ShootError when there are none."""
    small, large = [], []
    size = (0, 0)
    for picture in pictures:
        image = Image.fromarray(to_bytes(over(picture, GREY)))
        size = image.size
        large.append(_jpeg(image, 86))
        small.append(_jpeg(image.resize((SMALL_PX, max(1, round(SMALL_PX * size[1] / size[0])))), 70))
    if not large:
        raise ShootError("There are no frames to turn.")
    told = {
        "TITLE": html.escape(title, quote=True),
        "COUNT": str(len(large)),
        "ROUND": json.dumps(goes_round),
        "WIDTH": str(size[0]),
        "HEIGHT": str(size[1]),
        "GROUND": GROUND,
        "SMALL": json.dumps(small),
        "LARGE": json.dumps(large),
    }
    page = PAGE.read_text()
    for name, value in told.items():
        page = page.replace(f"__{name}__", value)
    return page.encode()


def snippet(name: str, width: int, height: int, title: str) -> str:
    """HTML that embeds a spin page in another page."""
    return (
        f'<iframe src="{html.escape(name, quote=True)}" title="{html.escape(title, quote=True)}" '
        f'style="width: 100%; aspect-ratio: {width} / {height}; border: 0" loading="lazy" allowfullscreen></iframe>'
    )


def _jpeg(image: Image.Image, quality: int) -> str:
    buffer = io.BytesIO()
    image.save(buffer, "JPEG", quality=quality, subsampling=0 if quality > 80 else 2)
    return base64.b64encode(buffer.getvalue()).decode()
