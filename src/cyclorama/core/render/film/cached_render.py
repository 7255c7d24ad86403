"""Exposed films that are kept, to print pictures from them under other exposure and with lights at other strengths."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from PIL import Image

from ...arrays import RGBImage
from ...motion import Moment
from ...picture.light_mix import light_layer_names
from ...picture.relight import Gains, gains, same_view
from ..compile.compiler import Keep
from .denoise import denoise, denoise_shares
from .film import Film
from .tracer import Cancel

LAYERS_BYTES = 128 << 20
"""Lights are kept apart while their layers take no more than this."""
KEPT_BYTES = 384 << 20
LEAST_SAMPLES, LEAST_CORRECTED = 2, 8
"""A film with fewer in some pixel is not worth a picture, or not worth to be corrected."""
MOST_CORRECTED = 4.0
"""What becomes brighter by more than this is added instead of multiplied, so that small highlights do not burst."""
TINY_NIT = 1e-6


def keep_of(moment: Moment, width: int, height: int) -> Keep:
    """Layers kept by a film of this size in pixels: its lights apart, unless they are too many."""
    return "lights" if len(light_layer_names(moment.look)) * width * height * 12 <= LAYERS_BYTES else "picture"


@dataclass(slots=True)
class CachedRender:
    """A film under way, and of what it is."""

    moment: Moment
    film: Film
    coarse: RGBImage | None = None
    """its first, small picture, if one was made"""
    clean: RGBImage | None = None
    """its radiance without noise, as it was when last developed"""
    shares: list[RGBImage] = field(default_factory=list)
    """each light's part of that"""

    @property
    def samples(self) -> int:
        """Of the pixel that has fewest."""
        return int(self.film.count.min())

    @property
    def bytes(self) -> int:
        arrays = (self.film.sums, self.film.apart, *self.shares)
        return sum(a.nbytes for a in arrays)

    @property
    def as_exposed(self) -> Gains:
        """Gains that leave every light as it is."""
        return np.ones((len(self.film.layers), 3), np.float32)

    def has_size(self, width: int, height: int) -> bool:
        """True when it is a film of this size in pixels."""
        return (self.film.width, self.film.height) == (width, height)

    def gains(self, moment: Moment, width: int, height: int) -> Gains | None:
        """Gains that turn this render into one of a moment of the same size; None when no gains do."""
        if not self.has_size(width, height):
            return None
        found = gains(self.moment, moment)
        return found if found is None or self.film.layers or np.all(found == 1) else None

    def print(self, by: Gains) -> RGBImage:
        """Radiance (h, w, 3) in nit without noise, at once if it was split since it was begun."""
        if self.clean is not None and np.all(by == 1):
            return self.clean
        if not self.shares:
            return self.develop(by, "fast", False)
        return _mixed(self.shares, by)

    def develop(self, by: Gains, quality: str, prefilter: bool) -> RGBImage:
        """The same from all samples there are by now; see `denoise`."""
        if np.all(by == 1):
            self.clean = denoise(self.film, quality, prefilter)
            return self.clean
        self.clean = None
        return denoise(self.film, quality, prefilter, _mixed(map(self.film.layer, self.film.layers), by))

    def corrected(self, coarse: RGBImage) -> RGBImage:
        """About what a film would show whose first, small picture is `coarse`, made as this one's was.

        Things seen must be the same; what is lit or painted otherwise is multiplied and added as the small pictures
        tell, so that edges and detail stay.
        """
        assert self.coarse is not None
        ratio = np.asarray(np.minimum(coarse / np.maximum(self.coarse, TINY_NIT), MOST_CORRECTED), np.float32)
        own = self.print(self.as_exposed)
        size = self.film.width, self.film.height
        return own * _stretched(ratio, size) + _stretched(coarse - ratio * self.coarse, size)

    def split(self, cancelled: Cancel) -> None:
        """Part the picture by its lights, so that `print` takes no time. Raises Cancelled."""
        if self.film.layers:
            whole = denoise(self.film, "fast", False) if self.clean is None else self.clean
            layers = {name: self.film.layer(name) for name in self.film.layers}
            self.shares = list(denoise_shares(self.film, layers, whole, "fast", cancelled).values())
            self.clean = whole


def _mixed(parts: Iterable[RGBImage], by: Gains) -> RGBImage:
    return np.asarray(sum(part * gain for part, gain in zip(parts, by, strict=True)), np.float32)


def _stretched(picture: RGBImage, size: tuple[int, int]) -> RGBImage:
    channels = (Image.fromarray(np.ascontiguousarray(picture[..., c])) for c in range(3))
    return np.dstack([np.asarray(c.resize(size, Image.Resampling.BILINEAR)) for c in channels])


class Fit(NamedTuple):
    """A negative that shows what is wanted, and what it has to be multiplied with for that."""

    negative: CachedRender
    by: Gains

    @property
    def worth(self) -> float:
        """Effective sample count of this cached render for the requested view: light that is raised had too few."""
        return self.negative.samples / max(float(self.by.max()), 1.0)


class Negatives:
    """The negatives used last, as many as fit into KEPT_BYTES, the newest in any case."""

    def __init__(self) -> None:
        self._kept: list[CachedRender] = []

    def find(self, moment: Moment, width: int, height: int) -> list[Fit]:
        """Those that show this moment, the best first."""
        found = ((n, n.gains(moment, width, height)) for n in self._kept if n.samples >= LEAST_SAMPLES)
        return sorted((Fit(n, by) for n, by in found if by is not None), key=lambda fit: -fit.worth)

    def of_same_view(self, moment: Moment, width: int, height: int) -> CachedRender | None:
        """One that shows the same things, lit or painted otherwise, well enough to be corrected."""
        for n in self._kept:
            good = n.coarse is not None and n.samples >= LEAST_CORRECTED
            if good and n.has_size(width, height) and same_view(n.moment, moment):
                return n
        return None

    def keep(self, negative: CachedRender) -> None:
        """Keep it, before all others."""
        self._kept = [negative, *(n for n in self._kept if n is not negative)]
        while len(self._kept) > 1 and sum(n.bytes for n in self._kept) > KEPT_BYTES:
            self._kept.pop()
