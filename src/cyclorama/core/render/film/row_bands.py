"""A frame that is exposed in bands, each of them anywhere, and put together: the same film as if it were exposed whole.

Samples of a pixel depend on nothing but its place and their number. Where samples go by quality, the first of all bands
are put together to see what is missing, and each band then gets its share of that.
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ...motion import Moment
from ...scene import ShootSettings
from ..compile.compiler import SceneCompiler
from ..trace.camera_rays import TILE
from .film import Film
from .frame import scene_for
from .quality import add_missing, first_samples, missing
from .tracer import Cancel, Tell, Tracer, film_for

I32 = NDArray[np.int32]
LEAST_PIXELS = 1 << 18
"""Of a band: smaller ones take longer to be brought together than they save."""


@dataclass(frozen=True, slots=True)
class Band:
    """Rows of a picture, from the first to before the last."""

    first: int
    last: int

    def within(self, film: Film) -> NDArray[np.bool_]:
        """Which pixels (n,) of a film it has."""
        mask = np.zeros((film.height, film.width), bool)
        mask[self.first : self.last] = True
        return mask.ravel()


def bands_of(shoot: ShootSettings, most: int) -> list[Band]:
    """Bands of a frame, at most so many; one where it cannot be shared out or is not worth it."""
    rounds_depend = shoot.wanted_quality is None and shoot.noise_threshold is not None
    tiles = -(-shoot.height // TILE)
    count = 1 if rounds_depend else max(1, min(most, tiles, shoot.width * shoot.height // LEAST_PIXELS))
    edges = [min(i * tiles // count * TILE, shoot.height) for i in range(count)] + [shoot.height]
    return [Band(first, last) for first, last in pairwise(edges)]


def expose_band(
    moment: Moment,
    compiler: SceneCompiler,
    tracer: Tracer,
    band: Band,
    cancelled: Cancel = lambda: False,
    progress: Tell = lambda share: None,
) -> Film:
    """The film of a band with its first samples, which are all unless they go by quality. Raises Cancelled."""
    s, scene = moment.shoot, scene_for(moment, compiler)
    film = film_for(scene)
    samples = s.samples if s.wanted_quality is None else first_samples(s.wanted_quality, s.denoise_neighbours)[0]
    tracer.expose_more(film, scene, band.within(film), samples, moment.frame, cancelled, progress)
    return film.rows(band.first, band.last)


def missing_of(moment: Moment, bands: list[Film]) -> I32:
    """Number of doublings that the samples of each pixel (n,) of a frame still need, by its bands from the top."""
    s = moment.shoot
    assert s.wanted_quality is not None
    return missing(Film.of_rows(bands), s.wanted_quality, moment.look.tone, s.denoise_neighbours)


def expose_band_more(
    moment: Moment,
    compiler: SceneCompiler,
    tracer: Tracer,
    band: Band,
    there: Film,
    doublings: I32,
    cancelled: Cancel = lambda: False,
    progress: Tell = lambda share: None,
) -> Film:
    """The film of a band with the samples that are missing. Raises Cancelled."""
    s, scene = moment.shoot, scene_for(moment, compiler)
    assert s.wanted_quality is not None
    film = film_for(scene)
    film.put_rows(band.first, there)
    mine = np.where(band.within(film), doublings, 0)
    add_missing(film, scene, tracer, s.wanted_quality, s.denoise_neighbours, mine, moment.frame, cancelled, progress)
    return film.rows(band.first, band.last)
