"""One frame of a shot: exposed as its shoot settings ask, cleaned, and put over its background."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ...arrays import RGBImage
from ...motion import Moment
from ...picture.exposure import expose, exposure_scale
from ...picture.grade.finish import Finish, display_frame
from ...picture.view_transform import to_bytes
from ...scene.shoot import Region
from ...scene.writing import derive
from ..compile.background import with_background
from ..compile.compiler import Keep, SceneCompiler
from ..trace.wavefront import FrameScene
from .film import Film
from .quality import expose_for
from .region import expose_first, within
from .tracer import Cancel, Tell, Tracer, film_for


def expose_frame(
    moment: Moment,
    compiler: SceneCompiler,
    tracer: Tracer,
    cancelled: Cancel = lambda: False,
    progress: Tell = lambda share: None,
    region: Region | None = None,
) -> Film:
    """The film of a moment at its shot's size, samples or noise threshold, with all that its passes record.

    region: the part that is looked at, None: all. Raises Cancelled when `cancelled` says so.
    """
    s, frame, scene = moment.shoot, moment.frame, scene_for(moment, compiler)
    film = film_for(scene)
    pixels = within(region, s.width, s.height) if region is not None else None
    if (wanted := s.wanted_quality) is not None:
        calmed, tone = s.denoise_neighbours, moment.look.tone
        expose_for(film, scene, tracer, wanted, tone, calmed, frame, cancelled, progress, pixels)
    elif s.noise_threshold is None or pixels is not None:  # a part gets what any of its pixels may have
        expose_first(film, scene, tracer, s.samples, pixels, frame, cancelled, progress)
    else:
        white = 1.0 / exposure_scale(moment.look.tone)
        tracer.expose_until(film, scene, s.noise_threshold, white, s.min_samples, s.samples, frame, cancelled, progress)
    return film


def scene_for(moment: Moment, compiler: SceneCompiler) -> FrameScene:
    """Scene of a moment at its shot's size, with all that its passes record."""
    s = moment.shoot
    if s.transparent:
        hidden = derive(moment.look.environment, seen_by_camera=False)
        moment = replace(moment, look=derive(moment.look, environment=hidden))
    keep: Keep = "passes" if s.needs_first_hits or s.denoise_neighbours else "picture"
    return compiler.compile(moment, s.width, s.height, keep)


def finish_of(moment: Moment) -> Finish:
    """Finish of a moment's picture."""
    look, s = moment.look, moment.shoot
    return Finish(look.grade, look.tone.view, moment.frame, moment.camera.blades, s.width)


def picture_of(film: Film, moment: Moment, compiler: SceneCompiler, clean: RGBImage) -> NDArray[np.uint8]:
    """Display picture of a film (h, w, 3), 8 bits: over its background, exposed and graded. `clean`: the film's
    radiance, denoised or not."""
    behind = compiler.background(moment, film.width, film.height)
    linear = expose(with_background(clean, film.alpha, behind), moment.look.tone)
    return to_bytes(display_frame(linear, None, finish_of(moment), compiler.read_asset))
