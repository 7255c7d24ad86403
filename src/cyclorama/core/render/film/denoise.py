"""Denoising a film with Open Image Denoise, guided by albedo and normal."""

import threading
from collections import OrderedDict
from functools import cache
from typing import Literal

import numpy as np
import pyoidn
from numpy.typing import NDArray

from ...arrays import RGBImage
from .film import Film
from .tracer import Cancel, Cancelled

BORDER_PX = 12
"""The filter is weak at the border of its input (single bright or dark pixels stay); it gets this much mirrored
picture all round, which is cut off again. The outermost pixels stand once: doubled, a single bright one would look
like something that is meant."""


def denoise(film: Film, quality: str = "high", prefilter: bool = True, radiance: RGBImage | None = None) -> RGBImage:
    """Radiance (h, w, 3) without noise; the film is left as it is. quality: high, balanced or fast.

    `radiance` takes the place of the film's own, when it was worked on before. With `prefilter` the guides are
    cleaned first, as the library's documentation recommends for final frames.
    """
    guides = _guides(film, quality, prefilter)
    return _clean(film.radiance if radiance is None else radiance, guides, quality, prefilter)


def denoise_picture(noisy: RGBImage, albedo: RGBImage | None, normal: RGBImage | None) -> RGBImage:
    """A picture (h, w, 3) without noise, guided by what is known of its surfaces: albedo 0…1, normals −1…1."""
    if albedo is None:
        return _clean(noisy, (), "high", False)
    guides = [guide("albedo", _bordered(albedo))]
    if normal is not None:
        guides.append(guide("normal", _bordered(normal)))
    return _clean(noisy, tuple(guides), "high", True)


def denoise_quickly(noisy: RGBImage, albedo: RGBImage, normal: RGBImage) -> RGBImage:
    """The same with guides as they are: to be measured, not to be shown."""
    return _clean(noisy, (_bordered(albedo), _bordered(normal)), "fast", False)


def denoise_shares(
    film: Film, shares: dict[str, RGBImage], whole: RGBImage, quality: str = "high", cancelled: Cancel = lambda: False
) -> dict[str, RGBImage]:
    """Parts of a film's radiance without noise, brought to add up to `whole`, its denoised radiance.

    Raises Cancelled; `cancelled` is asked between them.
    """
    prefilter = quality == "high"
    guides = _guides(film, quality, prefilter)
    clean: dict[str, RGBImage] = {}
    for name, share in shares.items():
        if cancelled():
            raise Cancelled
        clean[name] = np.maximum(_clean(share, guides, quality, prefilter), 0.0)
    total = np.sum(list(clean.values()), axis=0)
    lit = total > 1e-6 * max(float(whole.mean()), 1e-30)
    fit = np.divide(whole, total, out=np.zeros_like(whole), where=lit)
    rest = np.where(lit, 0.0, whole) / max(len(clean), 1)
    return {name: np.asarray(part * fit + rest, np.float32) for name, part in clean.items()}


MOST_FILTERS = 6
"""A filter holds memory for pictures of its size."""
Kind = Literal["albedo", "normal"]
Guides = tuple[RGBImage, ...]
"""Albedo and normal; either the first alone, or none."""


def _guides(film: Film, quality: str, prefilter: bool) -> Guides:
    albedo, normal = _bordered(film.albedo), _bordered(film.normal)
    return (guide("albedo", albedo), guide("normal", normal)) if prefilter else (albedo, normal)


class _GuideFilters:
    """The library's filters for guides, kept: a new one takes several times as long as what it does.

    They are others than those for colours, which would take normals below zero for zero and leave edges ragged.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._device = pyoidn.Device()
        self._device.commit()
        self._kept: OrderedDict[tuple[str, tuple[int, ...]], pyoidn.Filter] = OrderedDict()

    def clean(self, kind: Kind, picture: RGBImage) -> RGBImage:
        """Raises RuntimeError where the library fails."""
        picture = np.ascontiguousarray(picture, np.float32)
        out = np.empty_like(picture)
        with self._lock:
            filter_ = self._filter(kind, picture.shape)
            filter_.set_image(kind, picture, pyoidn.OIDN_FORMAT_FLOAT3)
            filter_.set_image("output", out, pyoidn.OIDN_FORMAT_FLOAT3)
            filter_.commit()
            filter_.execute()
            if (error := self._device.get_error()) is not None:
                raise RuntimeError(f"Open Image Denoise: {error}")
        return out

    def _filter(self, kind: Kind, shape: tuple[int, ...]) -> pyoidn.Filter:
        key = kind, shape
        if key not in self._kept:
            self._kept[key] = pyoidn.Filter(self._device)
            self._kept[key].set_quality(pyoidn.OIDN_QUALITY_FAST)
        self._kept.move_to_end(key)
        while len(self._kept) > MOST_FILTERS:
            self._kept.popitem(last=False)[1].release()
        return self._kept[key]


@cache
def _filters() -> _GuideFilters:
    return _GuideFilters()


def guide(kind: Kind, noisy: RGBImage) -> RGBImage:
    """Albedo 0…1 or normals −1…1 (h, w, 3) without noise. What is the same far and wide, as a sweep, is free of it."""
    rows, columns = _varying(noisy)
    if rows.stop == 0:
        return noisy
    clean = noisy.copy()
    clean[rows, columns] = _filters().clean(kind, noisy[rows, columns])
    return clean


VARIES = 0.01
"""By so much pixels differ from what lies between their neighbours where there may be noise."""
AROUND_PX, STEP_PX = 32, 64
"""The filter sees so much around that, and pictures whose sides are multiples: each size needs a filter of its own."""


def _varying(picture: RGBImage) -> tuple[slice, slice]:
    """The part of a picture in which it does not go on evenly, and what is around it; empty where it all does."""
    uneven = np.zeros(picture.shape[:2], bool)
    uneven[1:-1] |= np.any(np.abs(np.diff(picture, 2, axis=0)) > 2 * VARIES, axis=2)
    uneven[:, 1:-1] |= np.any(np.abs(np.diff(picture, 2, axis=1)) > 2 * VARIES, axis=2)
    rows, columns = (np.asarray(uneven.any(axis=axis)) for axis in (1, 0))
    return _around(rows), _around(columns)


def _around(varies: NDArray[np.bool_]) -> slice:
    """All of a row that varies, and what is around it, within its length."""
    where = np.flatnonzero(varies)
    if not len(where):
        return slice(0, 0)
    first, last = int(where[0]) - AROUND_PX, int(where[-1]) + 1 + AROUND_PX
    long = min(-(-(last - first) // STEP_PX) * STEP_PX, len(varies))
    begin = min(max(first, 0), len(varies) - long)
    return slice(begin, begin + long)


def _clean(noisy: RGBImage, guides: Guides, quality: str, prefiltered: bool) -> RGBImage:
    colour = _bordered(noisy)
    # The filter is trained on values around 1; nit of a studio are thousands.
    scale = np.float32(1.0 / max(float(np.mean(colour)), 1e-6))
    clean = pyoidn.denoise(colour * scale, *guides, hdr=True, clean_aux=prefiltered, quality=quality)
    inside = slice(BORDER_PX, -BORDER_PX)
    return np.ascontiguousarray(clean[inside, inside] / scale, np.float32)


def _bordered(picture: RGBImage) -> RGBImage:
    return np.pad(picture, ((BORDER_PX, BORDER_PX), (BORDER_PX, BORDER_PX), (0, 0)), mode="reflect")
