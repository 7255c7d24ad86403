"""Developing a picture while someone watches: coarse at once, then better and better, from a kept film if one fits."""

import io
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from PIL import Image

from ...arrays import RGBImage
from ...motion import Moment
from ...picture.exposure import BURNT, expose
from ..compile.compiler import SceneCompiler
from ..trace.wavefront import FrameScene
from .cached_render import CachedRender, Fit, Negatives, keep_of
from .denoise import denoise
from .film import Film
from .frame import picture_of
from .proof import reading_of
from .tracer import Cancel, Tell, Tracer, film_for

FULL_SAMPLES = 256
STEPS = (2, 8, 32, 96)
"""Samples at which a picture is shown, before the last."""
SPLIT_FROM = 8
"""From this step on the lights are parted, so that dimming them takes no time (a second or so, in which nothing else is
done)."""
MOST_RAISED = 4.0
"""Where a light is raised more, a film is begun that gives it its share of samples."""
FIRST_SHRINK = 3
"""The first picture of what no kept film shows is this much smaller than wanted, to be there at once."""
FIRST_BOUNCES = 5
TOLD_BURNT = 1.5 * BURNT
"""Metering ends at BURNT; other frames and noise may go so far beyond it before anything is said."""


@dataclass(frozen=True, slots=True)
class DevelopedPicture:
    """A picture under way."""

    samples: int
    """what it is about as good as; 0 for a first one, small or guessed from what is there"""
    width: int
    height: int
    jpeg: bytes
    burnt: float
    """share of the subject that burns out, where it is well above what metering lets; else 0"""


class ProgressiveRenderer:
    """Develops pictures up to `full` samples with a compiler and a tracer, and keeps what it has exposed."""

    def __init__(self, compiler: SceneCompiler, tracer: Tracer, full: int = FULL_SAMPLES):
        self._compiler, self._tracer = compiler, tracer
        self._steps = (*(step for step in STEPS if step < full), full)
        self._negatives = Negatives()

    def pictures(
        self,
        moment: Moment,
        width: int,
        height: int,
        cancelled: Cancel = lambda: False,
        tell: Tell = lambda samples: None,
    ) -> Iterator[DevelopedPicture]:
        """Pictures of a moment, each better than the one before; `tell` learns meanwhile how many samples there are.

        Raises Cancelled when `cancelled` says so; what is exposed by then is kept.
        """
        fits = self._negatives.find(moment, width, height)
        coarse, shown = None, 0.0
        if fits:
            yield from self._printed(fits[0], moment, cancelled)
            shown = fits[0].worth
        else:
            film, coarse = self._coarse(moment, width, height, cancelled)
            like = self._negatives.of_same_view(moment, width, height)
            if like is None:
                yield self._shown(coarse, film, moment, 0)
            else:
                yield self._shown(like.corrected(coarse), like.film, moment, 0)
                shown = STEPS[0] if like.moment.materials == moment.materials else 0.0
        fresh = [fit for fit in fits if fit.by.max() <= MOST_RAISED]
        negative, by = fresh[0] if fresh else self._begun(moment, width, height, coarse)
        for target in (step for step in self._steps if step > negative.samples):
            self._expose(negative, target, cancelled, tell)
            self._negatives.keep(negative)
            if target > shown:
                last = target == self._steps[-1]
                clean = negative.develop(by, "high" if last else "fast", last)
                yield self._shown(clean, negative.film, moment, target)
            if target >= SPLIT_FROM:
                negative.split(cancelled)

    def _printed(self, fit: Fit, moment: Moment, cancelled: Cancel) -> Iterator[DevelopedPicture]:
        """At once, and where that is made of lights cleaned one by one, once more as one picture."""
        negative, by = fit
        self._negatives.keep(negative)
        split, samples = bool(negative.shares), int(fit.worth)
        yield self._shown(negative.print(by), negative.film, moment, samples)
        if split and np.any(by != 1) and not cancelled():
            yield self._shown(negative.develop(by, "fast", False), negative.film, moment, samples)

    def still(
        self, moment: Moment, width: int, height: int, samples: int, cancelled: Cancel = lambda: False
    ) -> DevelopedPicture:
        """One picture of a moment, of which nothing is kept. Raises Cancelled."""
        film = Film(width, height)
        self._tracer.expose(film, self._compiler.compile(moment, width, height), samples, cancelled=cancelled)
        return self._shown(denoise(film, "fast", False), film, moment, samples)

    def _coarse(self, moment: Moment, width: int, height: int, cancelled: Cancel) -> tuple[Film, RGBImage]:
        """Smaller than asked for, one sample, few bounces; and its radiance without noise."""
        film = Film(max(1, width // FIRST_SHRINK), max(1, height // FIRST_SHRINK))
        scene = self._compiler.compile(moment, film.width, film.height)
        scene = replace(scene, max_bounces=min(scene.max_bounces, FIRST_BOUNCES))
        self._tracer.expose(film, scene, 1, 0, cancelled)
        return film, denoise(film, "fast", False)

    def _begun(self, moment: Moment, width: int, height: int, coarse: RGBImage | None) -> Fit:
        negative = CachedRender(moment, film_for(self._scene(moment, width, height)), coarse)
        return Fit(negative, negative.as_exposed)

    def _scene(self, moment: Moment, width: int, height: int) -> FrameScene:
        return self._compiler.compile(moment, width, height, keep_of(moment, width, height))

    def _expose(self, negative: CachedRender, target: int, cancelled: Cancel, tell: Tell) -> None:
        film = negative.film
        before = float(film.count.mean())  # one that was cut short has more in some pixels
        scene = self._scene(negative.moment, film.width, film.height)
        self._tracer.expose(
            film, scene, target - film.samples, 0, cancelled, lambda share: tell(before + share * (target - before))
        )

    def _shown(self, clean: RGBImage, film: Film, moment: Moment, samples: int) -> DevelopedPicture:
        picture = picture_of(film, moment, self._compiler, clean)
        buffer = io.BytesIO()
        Image.fromarray(picture).save(buffer, "JPEG", quality=93 if samples >= 16 else 85, subsampling=0)
        reading = reading_of(expose(clean, moment.look.tone), picture, film.subject)
        burnt = reading.burnt if reading and reading.burnt > TOLD_BURNT else 0.0
        return DevelopedPicture(samples, film.width, film.height, buffer.getvalue(), burnt)
