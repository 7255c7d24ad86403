"""Frames of a cut as pictures: clips placed, crossed and faded, with titles over them; in display values 0…1.

Cross-fades and fades mix light, so a fade looks as if it were done in the camera; letters and logos are laid over what
is shown, as they are designed. Where alpha is kept, fades go to nothing instead of to a colour.
"""

import math
import threading
from collections import OrderedDict
from collections.abc import Mapping
from functools import cache
from typing import Protocol

import numpy as np
from numba import njit
from numpy.typing import NDArray
from PIL import Image, ImageFilter

from ..picture.view_transform import encode, srgb_encode, to_bytes
from ..picture_files import decode_picture
from ..scene.base import Colour, ReadAsset
from ..textures import srgb_to_linear
from .document import Clip, ClipFraming, Cut, Title
from .timeline import Footage, Showing, Source, clips_at, lay_out_cut, start_of, titles_at
from .titles import Drawn, draw_title, extent, text_of

F32 = NDArray[np.float32]
STEPS = 65535
KEPT_PICTURES = 3
TITLE_BYTES = 128 << 20
"""Room for drawn titles; one is kept in any case."""
BLUR = 0.035
"""radius of the blur of what fills bars, in picture widths"""
SHAPE_SLACK = 0.004
TOLD = 1.05
"""enlargement from which on it is told"""


class Reel(Protocol):
    """Gives the frames of takes."""

    def picture(self, clip: Clip, number: int, width: int | None) -> F32:
        """Frame `number`, 0 the first, in display values (h, w, 3) or with straight alpha (h, w, 4), not much wider
        than `width`. Raises ShootError when it is not there."""
        ...

    def size(self, clip: Clip) -> tuple[int, int]:
        """Width and height of the frames of a clip's take, px."""
        ...

    def framing(self, clip: Clip, number: int, shape: str) -> tuple[float, float]:
        """Where the shot says that pictures of a shape are cut from it: across and up, 0 the middle."""
        ...


def shape_of(width: int, height: int) -> str:
    """The shape of a picture in small numbers, `16:9`."""
    ratio = width / height
    high = next(h for h in range(1, 1000) if abs(round(ratio * h) / h / ratio - 1) < SHAPE_SLACK and round(ratio * h))
    return f"{round(ratio * high)}:{high}"


class Compositor:
    """Makes frames of one cut at one size. May be asked by several threads."""

    def __init__(
        self,
        cut: Cut,
        films: Mapping[str, Footage],
        reel: Reel,
        read_asset: ReadAsset,
        width: int,
        height: int,
        clear: bool = False,
    ):
        self.cut, self.width, self.height, self.clear = cut, width, height, clear
        self._films, self._reel, self._read = films, reel, read_asset
        self._places = lay_out_cut(cut)
        self._shape = shape_of(width, height)
        self._kept: OrderedDict[tuple[str, int | None], F32] = OrderedDict()
        self._titles: OrderedDict[tuple[str, str], Drawn | None] = OrderedDict()
        self._lock = threading.Lock()

    def frame(self, number: int) -> F32:
        """Frame `number` of the cut, 0 the first: (h, w, 3), or straight alpha (h, w, 4) where alpha is kept.

        Raises ShootError, IntakeError or NotFoundError when something that it shows is gone.
        """
        sources = clips_at(self._places, self._films, self.cut.rate.fraction, number)
        if len(sources) == 1 and not sources[0].fade:
            picture = self._placed(sources[0])
        else:
            picture = self._mixed(sources)
        for showing in titles_at(self.cut, self._places, number):
            picture = self._titled(picture, showing, number)
        return picture

    def _mixed(self, sources: list[Source]) -> F32:
        """Clips that cross or fade, mixed as light."""
        light: F32 = np.zeros((self.height, self.width, 4 if self.clear else 3), np.float32)
        for source in sources:
            shown, weight = self._placed(source), source.weight * (1 - source.fade)
            _add_light(np.ascontiguousarray(shown, np.float32), _light_table(), weight, light)
            if not self.clear:
                light += np.float32(source.weight * source.fade) * np.array(source.clip.fade_colour, np.float32)
        if not sources and not self.clear:
            light += np.array(self.cut.colour, np.float32)
        if not self.clear:
            return _shown(light)
        rgb = _shown((light[..., :3] / np.maximum(light[..., 3:], 1e-6)).astype(np.float32))
        return np.dstack([rgb, light[..., 3]])

    def _placed(self, source: Source) -> F32:
        """A clip's picture in the frame: (h, w, 3), or (h, w, 4) where alpha is kept. Not to be written to.

        What is held, or shown for longer, is made once.
        """
        key = (source.clip.id, source.number)
        with self._lock:
            if (found := self._kept.get(key)) is not None:
                self._kept.move_to_end(key)
                return found
        made = self._made(source)
        with self._lock:
            self._kept[key] = made
            while len(self._kept) > KEPT_PICTURES:
                self._kept.popitem(last=False)
        return made

    def _made(self, source: Source) -> F32:
        clip = source.clip
        if source.number is None and not clip.picture:
            return self._plain(clip.colour if not clip.take_id else self.cut.colour, opaque=True)
        if clip.picture:
            # a picture file of any size is fitted as a frame is
            picture = (decode_picture(self._read(clip.picture), clip.name) / 255).astype(np.float32)
            w, h = picture.shape[1], picture.shape[0]
        else:
            w, h = self._reel.size(clip)
        left, top, wide, high = self._window(source, w, h)
        scale = self.width / wide
        if not clip.picture:
            assert source.number is not None
            picture = self._reel.picture(clip, source.number, math.ceil(scale * w))
        return self._laid(picture, (left, top, wide, high), w)

    def _window(self, source: Source, w: int, h: int) -> tuple[float, float, float, float]:
        """Which part of a picture (w, h) fills the frame: left, top, width, height, px of that picture."""
        clip = source.clip
        framing = _framing(clip, self._shape)
        scale = _scale(clip, framing, (w, h), self.width, self.height)
        wide, high = self.width / scale, self.height / scale
        if framing:
            across, up = framing.across, framing.up
        elif clip.take_id and source.number is not None:
            across, up = self._reel.framing(clip, source.number, self._shape)
        else:
            across = up = 0.0
        return (w - wide) / 2 * (1 + across), (h - high) / 2 * (1 - up), wide, high

    def _laid(self, picture: F32, window: tuple[float, float, float, float], full: int) -> F32:
        """A picture through its window, over what lies behind and around it."""
        ratio = picture.shape[1] / full
        left, top, wide, high = (v * ratio for v in window)
        h, w = picture.shape[:2]
        if (left, top, round(wide), round(high)) == (0, 0, w, h) and (w, h) == (self.width, self.height):
            cut = picture
            box = (0, 0, w, h)
        else:
            cut, box = _resampled(picture, left, top, wide, high, self.width, self.height)
        whole = box == (0, 0, self.width, self.height)
        if whole and cut.shape[2] == (4 if self.clear else 3):
            return cut
        ground = self._around(picture) if self.cut.around == "blur" and not whole else self._plain(self.cut.colour)
        x0, y0, x1, y1 = box
        under = ground[y0:y1, x0:x1]
        alpha = cut[..., 3:] if cut.shape[2] == 4 else np.ones((*cut.shape[:2], 1), np.float32)
        if self.clear:
            under[..., :3] = np.where(alpha > 0, cut[..., :3], under[..., :3])
            under[..., 3:] = alpha
        else:
            under[:] = alpha * cut[..., :3] + (1 - alpha) * under
        return ground

    def _plain(self, colour: Colour, opaque: bool = False) -> F32:
        """A frame of one colour; where alpha is kept, of nothing unless it is to be opaque."""
        ground = np.empty((self.height, self.width, 4 if self.clear else 3), np.float32)
        ground[..., :3] = srgb_encode(np.array(colour, np.float32))
        if self.clear:
            ground[..., 3] = 1.0 if opaque else 0.0
        return ground

    def _around(self, picture: F32) -> F32:
        """The picture itself, filling the frame and blurred; opaque."""
        small = Image.fromarray(to_bytes(picture[..., :3])).resize(
            (max(16, self.width // 8), max(16, self.height // 8))
        )
        far = small.filter(ImageFilter.GaussianBlur(BLUR * small.width)).resize((self.width, self.height))
        ground = self._plain(self.cut.colour, opaque=True)
        ground[..., :3] = np.asarray(far, np.float32) / 255
        return ground

    def title_box(self, title: Title, number: int) -> tuple[float, float, float, float]:
        """Left, top, width and height of a title as it lies when it has come, in shares of the picture."""
        frame = number - start_of(title, self._places)
        text = text_of(title, frame, number, self.cut.rate)
        left, top, right, bottom = extent(draw_title(title, text, self._shape, self.width, self.height, self._read))
        return left / self.width, top / self.height, (right - left) / self.width, (bottom - top) / self.height

    def _titled(self, picture: F32, showing: Showing, number: int) -> F32:
        title = showing.title
        text = text_of(title, showing.frame, number, self.cut.rate)
        with self._lock:
            key = (title.id, text)
            if key not in self._titles:
                self._titles[key] = draw_title(title, text, self._shape, self.width, self.height, self._read)
            self._titles.move_to_end(key)
            found = self._titles[key]
            while len(self._titles) > 1 and sum(d.nbytes for d in self._titles.values() if d) > TITLE_BYTES:
                self._titles.popitem(last=False)
        if found is None or showing.opacity <= 0:
            return picture
        way = {"none": (0, 0), "left": (-1, 0), "right": (1, 0), "up": (0, -1), "down": (0, 1)}[title.slide]
        far = showing.slid * 0.08 * self.height
        return with_title(picture, found, showing.opacity, round(way[0] * far), round(way[1] * far))


def _framing(clip: Clip, shape: str) -> ClipFraming | None:
    return next((f for f in clip.framings if f.id == shape), None)


def _scale(clip: Clip, framing: ClipFraming | None, size: tuple[int, int], width: int, height: int) -> float:
    """Enlargement of a clip's picture of a size, px, in a frame of width × height."""
    fit = max if clip.fit == "fill" else min
    return fit(width / size[0], height / size[1]) * (framing.zoom if framing else 1.0)


def enlargements(cut: Cut, sizes: Mapping[str, tuple[int, int]], width: int, height: int) -> list[str]:
    """Sentences on takes that are shown larger than they were shot; `sizes` are those of takes by id, px."""
    found: dict[str, float] = {}
    shape = shape_of(width, height)
    for clip in cut.clips:
        if clip.take_id in sizes:
            scale = _scale(clip, _framing(clip, shape), sizes[clip.take_id], width, height)
            found[clip.name] = max(scale, found.get(clip.name, 0.0))
    return [
        f"‘{name}’ is enlarged {scale:.2g} times in {width}×{height}." for name, scale in found.items() if scale > TOLD
    ]


def with_title(picture: F32, title: Drawn, opacity: float = 1.0, right: int = 0, down: int = 0) -> F32:
    """A picture (h, w, 3 or 4) with a title over it, so many px to the right of its place and below it."""
    left, top = title.left + right, title.top + down
    h, w = title.alpha.shape
    x0, y0 = max(0, left), max(0, top)
    x1, y1 = min(picture.shape[1], left + w), min(picture.shape[0], top + h)
    if x1 <= x0 or y1 <= y0:
        return picture
    picture = picture.copy()
    under = picture[y0:y1, x0:x1]
    rgb = title.rgb[y0 - top : y1 - top, x0 - left : x1 - left]
    alpha = title.alpha[y0 - top : y1 - top, x0 - left : x1 - left, None] * np.float32(opacity)
    if picture.shape[2] == 4:
        out = alpha + under[..., 3:] * (1 - alpha)
        rest = under[..., 3:] * (1 - alpha)
        under[..., :3] = (alpha * rgb + rest * under[..., :3]) / np.maximum(out, 1e-6)
        under[..., 3:] = out
    else:
        under[:] = alpha * rgb + (1 - alpha) * under
    return picture


def _resampled(
    picture: F32, left: float, top: float, wide: float, high: float, width: int, height: int
) -> tuple[F32, tuple[int, int, int, int]]:
    """The part of a picture in a window, at the size of the frame, and which box of the frame it fills."""
    h, w = picture.shape[:2]
    x0, x1 = (round((max(0.0, left) - left) / wide * width), round((min(w, left + wide) - left) / wide * width))
    y0, y1 = (round((max(0.0, top) - top) / high * height), round((min(h, top + high) - top) / high * height))
    if x1 <= x0 or y1 <= y0:
        return np.zeros((0, 0, picture.shape[2]), np.float32), (0, 0, 0, 0)
    box = (max(0.0, left), max(0.0, top), min(float(w), left + wide), min(float(h), top + high))
    planes = [picture[..., c] for c in range(picture.shape[2])]
    if len(planes) == 4:  # colours of what cannot be seen do not come into its neighbours
        planes[:3] = [np.asarray(p * planes[3], np.float32) for p in planes[:3]]
    scaled = [_plane(p, x1 - x0, y1 - y0, box) for p in planes]
    if len(scaled) == 4:
        scaled[:3] = [np.asarray(p / np.maximum(scaled[3], 1e-6), np.float32) for p in scaled[:3]]
    return np.clip(np.stack(scaled, -1), 0, 1), (x0, y0, x1, y1)


def _plane(plane: F32, width: int, height: int, box: tuple[float, float, float, float]) -> F32:
    image = Image.fromarray(np.ascontiguousarray(plane))
    return np.asarray(image.resize((width, height), Image.Resampling.BICUBIC, box), np.float32)


@cache
def _light_table() -> F32:
    """Light of display values, in steps."""
    return srgb_to_linear(np.arange(STEPS + 1) / STEPS)


@njit(cache=True, nogil=True)
def _add_light(shown, table, weight, light):  # type: ignore[no-untyped-def]
    """Add a share of what display values (h, w, 3 or 4) are as light, premultiplied where there is alpha."""
    h, w, channels = shown.shape
    steps = table.shape[0] - 1
    for y in range(h):
        for x in range(w):
            share = weight
            if channels == 4:
                share *= shown[y, x, 3]
                light[y, x, 3] += share
            for c in range(3):
                value = min(max(shown[y, x, c], 0.0), 1.0)
                light[y, x, c] += share * table[int(value * steps + 0.5)]


def _shown(light: F32) -> F32:
    shown = light.flatten()
    encode(shown)
    return shown.reshape(light.shape)
