"""Titles as pictures: what is written, its outline and plate, at the size of a delivery."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray
from PIL import Image

from ..lettering import TextLine, coverage, set_line
from ..motion.frames import FrameRate
from ..motion.timecode import timecode
from ..picture.view_transform import srgb_encode
from ..picture_files import decode_picture
from ..scene.base import Colour, ReadAsset
from .document import Title, TitleLayout

F32 = NDArray[np.float32]
LINE_STEP = 1.2
CAPS = 0.7
"""height of capitals, in units of the size"""
SUB = 0.46
"""size of the line below"""
SAFE = 0.9
"""share of the width that is safe for titles (SMPTE ST 2046-1)"""
PLATE_EDGE = 0.45
"""how far a plate reaches beyond what is written, in units of the size"""


@dataclass(frozen=True, slots=True)
class Drawn:
    """A title as a picture and where its top left lies, px."""

    rgb: F32
    """(h, w, 3) display values"""
    alpha: F32
    """(h, w)"""
    left: int
    top: int

    @property
    def nbytes(self) -> int:
        return self.rgb.nbytes + self.alpha.nbytes


def text_of(title: Title, frame: int, cut_frame: int, rate: FrameRate) -> str:
    """Text of a title in a frame, `frame` counted from its beginning and `cut_frame` from that of the cut."""
    match title.kind:
        case "frame number":
            return str(cut_frame)
        case "timecode":
            return timecode(cut_frame, rate)
        case "countdown":
            return str(-int(-(title.length - frame) // rate.fraction))
        case _:
            return title.text


def layout_of(title: Title, shape: str) -> TitleLayout:
    """Size and place of a title in pictures of a shape."""
    own = TitleLayout(id="1:1", size=title.size, across=title.across, down=title.down)
    return next((x for x in title.layouts if x.id == shape), own)


def draw_title(title: Title, text: str, shape: str, width: int, height: int, read_asset: ReadAsset) -> Drawn | None:
    """A title in a picture of a size; None when there is nothing to be seen.

    Raises IntakeError for a font or picture that cannot be read.
    """
    layout = layout_of(title, shape)
    size = layout.size / 100 * height
    x, y = layout.across / 100 * width, layout.down / 100 * height
    if title.kind == "picture":
        return _picture(read_asset(title.picture), title, size, x, y) if title.picture else None
    font = read_asset(title.font_file) if title.font == "file" and title.font_file else None
    fitted = title.kind == "text" and title.too_wide != "stay"
    room = _safe_room(title, x, size, width) if fitted else np.inf
    set_lines = []
    for part, px in [(text, size)] + ([(title.sub, size * SUB)] if title.sub and title.kind == "text" else []):
        wraps = fitted and title.too_wide == "wrap"
        lines = _wrapped(part, title, font, room / px) if wraps else part.split("\n")
        set_lines += [(_set(line, title, font), px) for line in lines]
    shrink = min(1.0, room / max(_widest(set_lines), 1e-9))
    size, set_lines = size * shrink, [(line, px * shrink) for line, px in set_lines]
    return _written([s for s in set_lines if s[0].glyphs or len(set_lines) > 1], title, size, x, y)


def _widest(lines: list[tuple[TextLine, float]]) -> float:
    """Width of the widest of some lines of letters of a size, px."""
    return max((line.width * px for line, px in lines), default=0.0)


def _safe_room(title: Title, x: float, size: float, width: int) -> float:
    """Width for letters within the title-safe area, px, by the edge that the title is aligned to; at least a tenth of
    the picture."""
    left, right = x - (1 - SAFE) / 2 * width, (1 + SAFE) / 2 * width - x
    room = {"left": right, "centre": 2 * min(left, right), "right": left}[title.align]
    return max(room - (2 * PLATE_EDGE * size if title.plate else 0.0), 0.1 * width)


def _wrapped(text: str, title: Title, font: bytes | None, room: float) -> list[str]:
    """Lines of a text, broken at spaces where they are wider than the room, in units of their size."""
    lines = []
    for paragraph in text.split("\n"):
        line, *words = paragraph.split(" ")
        for word in words:
            longer = f"{line} {word}"
            if line and _set(longer, title, font).width > room:
                lines.append(line)
                longer = word
            line = longer
        lines.append(line)
    return lines


def extent(picture: Drawn | None) -> tuple[int, int, int, int]:
    """Left, top, right and bottom of what can be seen of a title, px; all 0 of nothing."""
    if picture is None or not picture.alpha.any():
        return 0, 0, 0, 0
    rows, columns = (np.flatnonzero((picture.alpha > 0).any(axis=axis)) for axis in (1, 0))
    left, top = picture.left, picture.top
    return left + int(columns[0]), top + int(rows[0]), left + int(columns[-1]) + 1, top + int(rows[-1]) + 1


def _set(text: str, title: Title, font: bytes | None) -> TextLine:
    return _kept_line(text, title.font, title.weight, title.spacing / 100, font)


@lru_cache(maxsize=512)
def _kept_line(text: str, family: str, weight: int, spacing: float, font: bytes | None) -> TextLine:
    return set_line(text, family, weight, spacing, font)


def _written(lines: list[tuple[TextLine, float]], title: Title, size: float, x: float, y: float) -> Drawn | None:
    widest = _widest(lines)
    if not widest:
        return None
    bases = []
    at = 0.0
    for k, (_, px) in enumerate(lines):
        at += CAPS * px if k == 0 else LINE_STEP * px + (0.25 * size if px < lines[k - 1][1] else 0.0)
        bases.append(at)
    margin = 2 + np.ceil(size * max(PLATE_EDGE if title.plate else 0.0, title.outline / 100, 0.35))
    lead = {"left": 0.0, "centre": widest / 2, "right": widest}[title.align]
    left, top = int(np.floor(x - lead - margin)), int(np.floor(y - at / 2 - margin))
    w, h = int(np.ceil(widest + 2 * margin + 1)), int(np.ceil(at + 2 * margin + 1))
    covered = np.zeros((h, w), np.float32)
    for (line, px), base in zip(lines, bases, strict=True):
        own = {"left": 0.0, "centre": (widest - line.width * px) / 2, "right": widest - line.width * px}[title.align]
        one = coverage(line, px, x - lead + own - left, y - at / 2 + base - top, w, h)
        np.maximum(covered, one, out=covered)
    return _coloured(covered, title, size, left, top)


def _coloured(covered: F32, title: Title, size: float, left: int, top: int) -> Drawn:
    """Plate, outline and letters over each other."""
    rgb = np.zeros((*covered.shape, 3), np.float32)
    alpha = np.zeros_like(covered)
    if title.plate:
        rows, columns = np.nonzero(covered > 0)
        edge = round(PLATE_EDGE * size)
        plate = np.zeros_like(covered)
        plate[
            max(0, rows.min() - edge) : rows.max() + edge + 1, max(0, columns.min() - edge) : columns.max() + edge + 1
        ] = 1
        rgb, alpha = _over(rgb, alpha, plate * title.plate, title.plate_colour)
    if title.outline:
        reach = title.outline / 100 * size
        far = scipy.ndimage.distance_transform_edt(covered < 0.5)
        ring = np.clip(reach + 0.5 - far, 0, 1).astype(np.float32)
        rgb, alpha = _over(rgb, alpha, np.maximum(ring, covered), title.outline_colour)
    rgb, alpha = _over(rgb, alpha, covered, title.colour)
    return Drawn(rgb, alpha, left, top)


def _over(rgb: F32, alpha: F32, covered: F32, colour: Colour) -> tuple[F32, F32]:
    """A colour over a picture of straight alpha."""
    shown = srgb_encode(np.array(colour, np.float32))
    out = covered + alpha * (1 - covered)
    mixed = covered[..., None] * shown + (alpha * (1 - covered))[..., None] * rgb
    return (mixed / np.maximum(out, 1e-6)[..., None]).astype(np.float32), out.astype(np.float32)


def _picture(data: bytes, title: Title, size: float, x: float, y: float) -> Drawn:
    """A picture as high as the size says."""
    pixels = decode_picture(data, title.text or "logo")
    high = max(1, round(size))
    wide = max(1, round(size * pixels.shape[1] / pixels.shape[0]))
    image = Image.fromarray(pixels).convert("RGBa").resize((wide, high), Image.Resampling.LANCZOS).convert("RGBA")
    scaled: F32 = (np.asarray(image, np.float32) / 255).astype(np.float32)
    lead = {"left": 0.0, "centre": wide / 2, "right": float(wide)}[title.align]
    return Drawn(scaled[..., :3], scaled[..., 3], round(x - lead), round(y - high / 2))
