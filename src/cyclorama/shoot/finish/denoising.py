"""Makes a take of another's masters, denoised: nothing is rendered.

Where the passes tell which part each pixel shows and how it moves, frames beside one count too, as they do when clips
are shot (`render/film/temporal_denoise.py`).
"""

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from ...core.arrays import RGBImage
from ...core.motion import moment
from ...core.picture.cryptomatte import ranks_of
from ...core.render.film.denoise import denoise_picture
from ...core.render.film.frame import finish_of
from ...core.render.film.temporal_denoise import SETTLED, FrameHistory, Neighbours, without_colour
from ...core.render.film.tracer import Cancel, Cancelled, Tell
from ...core.scene.shoot import PassName
from ...store import TakeRecord
from ..frames.pass_files import channels_of, guide_of
from ..frames.pipeline import FramePicture, frames_by_distance
from .masters import Masters

F32 = NDArray[np.float32]
T = TypeVar("T")
NEEDED: set[PassName] = {"albedo", "normal", "motion", "objects"}
"""Passes with which frames beside one count."""
REACH = 1
"""Frames to each side: what mirrors is not told from what looks alike from everywhere."""


@dataclass(frozen=True, slots=True)
class Known:
    """Facts about a frame from its passes."""

    light: RGBImage
    """the master"""
    albedo: F32
    normal: F32
    part: NDArray[np.int32]
    """the part that covers most; −1 where less than half of the pixel shows anything"""
    forward: F32
    """motion to the next frame (h, w, 2), px"""

    @property
    def depth(self) -> F32:
        """None is needed: places are told apart by part and normal."""
        return np.zeros(self.part.shape, np.float32)


class CleanMaker:
    """Denoises frames of a take, guided by its passes of albedo and normals where it has them."""

    def __init__(self, source: TakeRecord, masters: Masters):
        s = source.project.shot.shoot
        self._source, self._masters = source, masters
        self._neighbours = Neighbours(s.width, s.height, 0.0, REACH) if set(s.passes.wanted) >= NEEDED else None
        self._known: OrderedDict[int, Known] = OrderedDict()
        self._cleaned: OrderedDict[int, F32] = OrderedDict()

    def make(self, number: int, cancelled: Cancel = lambda: False, progress: Tell = lambda x: None) -> FramePicture:
        """The picture of a frame. Raises Cancelled, and ShootError when the master of the frame is gone."""
        if cancelled():
            raise Cancelled
        light, alpha = self._masters.get(self._source, number).floats
        if self._neighbours is None:
            guides = (guide_of(self._source, name, number) for name in ("albedo", "normal"))
            clean = denoise_picture(light, *guides)
        else:
            clean = self._among(self._neighbours, number, cancelled)
        finish = finish_of(moment(self._source.project, number))
        return FramePicture(clean, alpha, iter(()), None, finish)

    def _among(self, neighbours: Neighbours, number: int, cancelled: Cancel) -> RGBImage:
        """A frame with those beside it. Raises Cancelled."""
        around = set(self._beside(number, REACH + SETTLED).values())
        for n in around:
            if cancelled():
                raise Cancelled
            neighbours.know(n, self._seen(n), around)
        near = self._beside(number, SETTLED)
        cleaned = {n: self._clean(neighbours, n) for n in set(near.values())}
        return neighbours.settled(self._of(number), near, cleaned)

    def _clean(self, neighbours: Neighbours, number: int) -> F32:
        """Denoised light of a frame without the surfaces' own colour."""

        def make() -> F32:
            here = self._of(number)
            noisy = neighbours.blended(here, self._beside(number, REACH))
            return without_colour(here, denoise_picture(noisy, here.albedo, here.normal))

        return _kept(self._cleaned, number, 2 * SETTLED + 1, make)

    def _beside(self, number: int, reach: int) -> dict[int, int]:
        return frames_by_distance(self._source.project, self._source.numbers, number, reach)

    def _seen(self, number: int) -> FrameHistory:
        """History of a frame for its neighbours."""
        here, before = self._of(number), self._beside(number, 1).get(-1)
        back = -here.forward if before is None else turned_back(self._of(before).forward, -here.forward)
        motion = np.concatenate([here.forward, back], axis=2)
        rest, follow = np.zeros_like(here.normal), np.full(here.part.shape, REACH)
        return FrameHistory.told(without_colour(here, here.light), rest, here.normal, here.part, motion, follow)

    def _of(self, number: int) -> Known:
        return _kept(self._known, number, 2 * (REACH + SETTLED) + 2, lambda: self._read(number))

    def _read(self, number: int) -> Known:
        light, _ = self._masters.get(self._source, number).floats
        albedo, normal = (guide_of(self._source, name, number) for name in ("albedo", "normal"))
        assert albedo is not None
        assert normal is not None
        ids, covering = ranks_of(channels_of(self._source, "objects", number), "objects")[0]
        names = np.ascontiguousarray(ids, np.float32).view(np.int32) & 0x7FFFFFFF
        part = np.where(covering > 0.5, names, -1)
        motion = channels_of(self._source, "motion", number)
        forward = np.dstack([motion["motion.X"], motion["motion.Y"]]).astype(np.float32)
        return Known(light, albedo, normal, part.astype(np.int32), forward)


def turned_back(forward: F32, elsewhere: F32) -> F32:
    """Motion (h, w, 2) back to the frame before, of that frame's motion to here; `elsewhere` where nothing came."""
    h, w = forward.shape[:2]
    y, x = np.mgrid[:h, :w]
    to_x, to_y = (np.rint(at + forward[..., c]).astype(int) for c, at in enumerate((x, y)))
    there = (to_x >= 0) & (to_x < w) & (to_y >= 0) & (to_y < h)
    back = elsewhere.copy()
    back[to_y[there], to_x[there]] = -forward[there]
    return back


def _kept(kept: OrderedDict[int, T], number: int, most: int, make: Callable[[], T]) -> T:
    """The value kept for a frame, or made now; the oldest of more than `most` is dropped."""
    if number not in kept:
        kept[number] = make()
    kept.move_to_end(number)
    while len(kept) > most:
        kept.popitem(last=False)
    return kept[number]
