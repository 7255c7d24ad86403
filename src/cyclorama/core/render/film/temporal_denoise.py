"""Denoising with the frames before and after: what a surface showed there counts here too.

In two steps: first the noisy pictures of nearby frames are brought together and denoised, then the denoised ones are
evened out in the same way.

Every pixel is followed by motion vectors from frame to frame. What is found there counts as long as it is the same
place of the same part (position in the part's own space) that looks the same way. Light is compared and blended
without the surface's own colour, so that maps stay sharp. What looks alike from everywhere is followed farther than
what mirrors or lets light through, whose picture moves by itself. Noisy light counts only if its mean around there
does not differ from the one here by more than noise explains, so that shadows that move stay where they are; denoised
light is held within what this frame shows around it and what denoising may have left (after Salvi, "An Excursion in
Temporal Supersampling", GDC 2016).
"""

from collections.abc import Collection, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, fields
from itertools import pairwise
from typing import Protocol

import numpy as np
import numpy.typing as npt
import scipy

from ...arrays import RGBImage
from ...colour import LUMA32
from ...host.processes import cores
from ...kernel import device, kernel
from .film import Film

FARTHEST = 3
"""Frames before and after whose noisy light counts for what looks alike from everywhere; 1 for all else."""
SETTLED = 1
"""Frames before and after whose denoised light counts: farther ones wash out highlights, which move by themselves."""
MOST_BYTES = 2 << 30
"""Frames are followed less far where more memory would be needed."""
CLIP, LEFT = 1.5, 0.12
"""Deviations of the denoised light around a pixel that another frame's may differ, and deviations of the noisy one,
which is about what the filter leaves."""
SIGNIFICANT = 3.0
"""Deviations by which means of noisy light differ that are not the same."""
_FLOOR, _SIDE = 0.02, 5
_PART_OF_PIXEL = 64.0
"""Motion is kept in whole parts of a pixel."""
_BYTES, _CLEAN_BYTES = 48, 12
"""Of a pixel of a frame, and of one that was cleaned."""
F32 = npt.NDArray[np.float32]
I32 = npt.NDArray[np.int32]
I16 = npt.NDArray[np.int16]
I8 = npt.NDArray[np.int8]


def reach_for(width: int, height: int, film_bytes: int = 0) -> int:
    """Number of frames to each side that lend light to pictures of this size; SETTLED more are needed.

    film_bytes: of a pixel of the films that are kept beside.
    """

    def needed(reach: int) -> int:
        frames = 2 * (reach + SETTLED) + 1
        return width * height * ((_BYTES + film_bytes) * frames + _CLEAN_BYTES * (2 * SETTLED + 1))

    return next((r for r in range(FARTHEST, 1, -1) if needed(r) <= MOST_BYTES), 1)


class Surfaces(Protocol):
    """Surfaces of the frame that is being denoised."""

    @property
    def albedo(self) -> F32:
        """(h, w, 3)"""
        ...

    @property
    def depth(self) -> F32:
        """(h, w), m"""
        ...


@dataclass(frozen=True, slots=True)
class FrameHistory:
    """Light and surfaces of neighbouring frames, (frames, h, w, …) or of one frame (h, w, …)."""

    light: F32
    """noisy radiance (…, 3) without the surface's own colour"""
    rest: F32
    """position (…, 3) in the part's own space, m"""
    normal: I8
    """(…, 3), 127 is 1"""
    part: I32
    """the part that covers most; −1 where less than half of the pixel shows anything"""
    motion: I16
    """to the next frame and to the one before (…, 4), in parts of a pixel"""
    around: F32
    """mean and variance of the luminance around (…, 2)"""
    follow: I8
    """how many frames to each side a pixel is followed"""

    @classmethod
    def of(cls, film: Film, reach: int) -> "FrameHistory":
        """History of a film that records first hits."""
        part = np.where(film.coverage > 0.5, film.part, np.int32(-1))
        motion = np.concatenate([film.motion, film.motion_back], axis=2)
        follow = np.where(film.looks_alike, reach, 1)
        return cls.told(without_colour(film, film.radiance), film.rest, film.normal, part, motion, follow)

    @classmethod
    def told(
        cls, light: F32, rest: F32, normal: F32, part: I32, motion: F32, follow: npt.NDArray[np.integer]
    ) -> "FrameHistory":
        """The same from plain numbers: normals (h, w, 3) of length 1, motion (h, w, 4) in pixels."""
        luminance = light @ LUMA32
        mean = scipy.ndimage.uniform_filter(luminance, _SIDE)
        spread = np.maximum(scipy.ndimage.uniform_filter(luminance**2, _SIDE) - mean**2, 0.0)
        steps = np.clip(np.rint(motion * _PART_OF_PIXEL), -32768, 32767).astype(np.int16)
        normals = np.rint(normal * 127).astype(np.int8)
        return cls(light, rest, normals, part, steps, np.dstack([mean, spread]), follow.astype(np.int8))

    @classmethod
    def empty(cls, frames: int, height: int, width: int) -> "FrameHistory":
        def zeros(columns: int, kind: type) -> npt.NDArray[np.generic]:
            return np.zeros((frames, height, width, columns) if columns else (frames, height, width), kind)

        kinds = (
            (3, np.float32),
            (3, np.float32),
            (3, np.int8),
            (0, np.int32),
            (4, np.int16),
            (2, np.float32),
            (0, np.int8),
        )
        return cls(*(zeros(*kind) for kind in kinds))  # type: ignore[arg-type]


def without_colour(film: Surfaces, picture: RGBImage) -> F32:
    """Light (h, w, 3) without the surface's own colour."""
    return np.asarray(picture / (film.albedo + _FLOOR), np.float32)


class Neighbours:
    """The light of frames near each other, and pictures made of it. Frames are known by their numbers."""

    def __init__(self, width: int, height: int, pixel_rad: float, reach: int):
        """pixel_rad: angle of a pixel, rad."""
        self.reach = reach
        self._pixel_rad = pixel_rad
        slots = 2 * (reach + SETTLED) + 1
        self._slot: dict[int, int] = {}
        self._free = list(range(slots))
        self._seen = FrameHistory.empty(slots, height, width)
        self._pool = ThreadPoolExecutor(cores())

    def close(self) -> None:
        self._pool.shutdown()

    def know(self, number: int, seen: FrameHistory, needed: Collection[int]) -> None:
        """Take what a frame knows. Where there is no room, one that is not needed is forgotten."""
        if number in self._slot:
            return
        if not self._free:
            self._free.append(self._slot.pop(next(n for n in self._slot if n not in needed)))
        slot = self._slot[number] = self._free.pop()
        for name in (f.name for f in fields(FrameHistory)):
            getattr(self._seen, name)[slot] = getattr(seen, name)

    def blended(self, film: Surfaces, near: Mapping[int, int]) -> RGBImage:
        """The noisy radiance (h, w, 3) of a frame with what those near it know of the same surfaces.

        film: of the frame; near: numbers of frames by their distance, 0 for itself.
        """
        none = np.zeros((0, 0, 3), np.float32)
        follow = self._seen.follow[self._slot[near[0]]]
        light = self._averaged(film, near, follow, self._seen.light, self._slots(near, self._slot), none, none)
        return np.asarray(light * (film.albedo + _FLOOR), np.float32)

    def settled(self, film: Surfaces, near: Mapping[int, int], cleaned: Mapping[int, F32]) -> RGBImage:
        """The denoised picture (h, w, 3) of a frame, evened out with those near it.

        cleaned: light (h, w, 3) of all of them, denoised, without the surfaces' own colour.
        """
        here = cleaned[near[0]]
        mean, square = (
            np.dstack([scipy.ndimage.uniform_filter(v[..., c], _SIDE) for c in range(3)]) for v in (here, here**2)
        )
        left = np.sqrt(self._seen.around[self._slot[near[0]], ..., 1:]) * LEFT
        wide = np.sqrt(np.maximum(square - mean**2, 0)) * CLIP + left + 1e-6
        order = sorted(set(near.values()))
        light = np.stack([cleaned[n] for n in order])
        slots = self._slots(near, {n: k for k, n in enumerate(order)})
        follow = np.full(here.shape[:2], SETTLED, np.int8)
        found = self._averaged(film, near, follow, light, slots, mean - wide, mean + wide)
        return np.asarray(found * (film.albedo + _FLOOR), np.float32)

    def _slots(self, near: Mapping[int, int], of: Mapping[int, int]) -> I32:
        """Where the frames of each distance from −reach to reach lie, −1: there is none."""
        return np.array([of[near[k]] if k in near else -1 for k in range(-self.reach, self.reach + 1)], np.int32)

    def _averaged(
        self,
        film: Surfaces,
        near: Mapping[int, int],
        follow: npt.NDArray[np.int8],
        light: F32,
        lie: I32,
        low: F32,
        high: F32,
    ) -> F32:
        height, width = film.depth.shape
        out = np.empty((height, width, 3), np.float32)
        pixel_m = film.depth * np.float32(self._pixel_rad)
        slots, seen = self._slots(near, self._slot), self._seen

        def run(rows: tuple[int, int]) -> None:
            _average(rows[0], rows[1], slots, lie, light, seen.rest, seen.normal, seen.part, seen.motion,
                     seen.around, pixel_m, follow, low, high, out)  # fmt: skip

        steps = np.linspace(0, height, 4 * cores() + 1).astype(int)
        list(self._pool.map(run, pairwise(steps)))
        return out


@kernel
def _average(  # type: ignore[no-untyped-def]
    first_row, last_row, slots, lie, light, rest, normal, part, motion, around, pixel_m, follow, low, high, out
):
    """Mean light of every pixel of some rows over the frames in which its surface is seen.

    slots, lie (2·reach + 1,): where frames lie in what is known of surfaces, and in `light`; low, high (h, w, 3): what
    other frames' light is held between, or empty: then it counts as it is where it is not another.
    """
    middle = slots.shape[0] // 2
    here, own = slots[middle], lie[middle]
    held = low.shape[0] > 0
    for y in range(first_row, last_row):
        for x in range(out.shape[1]):
            r, g, b = light[own, y, x, 0] * 1.0, light[own, y, x, 1] * 1.0, light[own, y, x, 2] * 1.0
            weight = 1.0
            reach = follow[y, x] if part[here, y, x] >= 0 else 0
            for way in range(2):
                px, py, there = x * 1.0, y * 1.0, here
                for k in range(1, reach + 1):
                    i, j = int(py + 0.5), int(px + 0.5)
                    px += motion[there, i, j, 2 * way] / _PART_OF_PIXEL
                    py += motion[there, i, j, 2 * way + 1] / _PART_OF_PIXEL
                    at = middle + k if way == 0 else middle - k
                    there = slots[at]
                    if there < 0 or not _is_same(here, there, y, x, py, px, rest, normal, part, pixel_m):
                        break
                    i, j = int(py + 0.5), int(px + 0.5)
                    if held:
                        r += min(max(_between(light, lie[at], py, px, 0), low[y, x, 0]), high[y, x, 0])
                        g += min(max(_between(light, lie[at], py, px, 1), low[y, x, 1]), high[y, x, 1])
                        b += min(max(_between(light, lie[at], py, px, 2), low[y, x, 2]), high[y, x, 2])
                        weight += 1.0
                        continue
                    apart = around[there, i, j, 0] - around[here, y, x, 0]
                    spread = (around[there, i, j, 1] + around[here, y, x, 1]) / (_SIDE * _SIDE)
                    if apart * apart <= SIGNIFICANT * SIGNIFICANT * spread + 1e-12:
                        r, g, b = r + light[lie[at], i, j, 0], g + light[lie[at], i, j, 1], b + light[lie[at], i, j, 2]
                        weight += 1.0
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r / weight, g / weight, b / weight


@device
def _is_same(here, there, y, x, py, px, rest, normal, part, pixel_m):  # type: ignore[no-untyped-def]
    """True when the place (px, py) of another frame shows the same surface point as a pixel."""
    h, w = part.shape[1], part.shape[2]
    if not (px > -0.5 and py > -0.5 and px < w - 0.5 and py < h - 0.5):
        return False
    i, j = int(py + 0.5), int(px + 0.5)
    if part[there, i, j] != part[here, y, x]:
        return False
    away = facing = 0.0
    for c in range(3):
        d = rest[there, i, j, c] - rest[here, y, x, c]
        away += d * d
        facing += np.float64(normal[there, i, j, c]) * np.float64(normal[here, y, x, c])
    # where surfaces are seen at a slant, pixels lie far apart; motion vectors lead to the nearest of them
    most = 3.0 * pixel_m[y, x] + 1e-6
    return away < most * most and facing > 0.8 * 127.0 * 127.0


@device
def _between(light, slot, py, px, c):  # type: ignore[no-untyped-def]
    """Bilinear lookup."""
    h, w = light.shape[1], light.shape[2]
    py, px = min(max(py, 0.0), h - 1.0), min(max(px, 0.0), w - 1.0)
    i, j = int(py), int(px)
    fy, fx = py - i, px - j
    k, m = min(i + 1, h - 1), min(j + 1, w - 1)
    top = light[slot, i, j, c] * (1.0 - fx) + light[slot, i, m, c] * fx
    low = light[slot, k, j, c] * (1.0 - fx) + light[slot, k, m, c] * fx
    return top * (1.0 - fy) + low * fy
