"""The beauty picture of a frame: over its background, clear, or clear with the shadow that the floor catches."""

from dataclasses import replace

import numpy as np

from ...arrays import Mask, RGBImage
from ...colour import LUMA32
from ...motion import Moment
from ...scene import ShootSettings, Stage
from ...scene.item import SET_PARTS
from ...scene.writing import derive
from ..compile.background import with_background
from ..compile.compiler import SceneCompiler
from .denoise import denoise
from .film import Film
from .frame import scene_for
from .tracer import Cancel, Tracer, film_for

UNSEEN, SEEN = 0.004, 0.02
"""Relative differences between two pictures of a floor: up to the first they are noise, from the second on light."""


def beauty(
    film: Film,
    moment: Moment,
    clean: RGBImage,
    compiler: SceneCompiler,
    tracer: Tracer,
    cancelled: Cancel = lambda: False,
) -> tuple[RGBImage, Mask | None]:
    """Radiance (h, w, 3) nit and, where it is clear, alpha (h, w); `clean` is the film's radiance, denoised or not.

    Raises Cancelled.
    """
    s = moment.shoot
    if s.background == "shadow":
        return catch_shadow(film, moment, clean, compiler, tracer, cancelled)
    if s.background == "transparent":
        return clean, film.alpha
    return with_background(clean, film.alpha, compiler.background(moment, s.width, s.height)), None


def catch_shadow(
    film: Film, moment: Moment, clean: RGBImage, compiler: SceneCompiler, tracer: Tracer, cancelled: Cancel
) -> tuple[RGBImage, Mask]:
    """Premultiplied radiance (h, w, 3) nit and alpha (h, w) of the subject with its shadow and reflection, without the
    floor.

    film: keeps first hits; `clean` is its radiance, denoised or not. Exposes the bare floor. Raises Cancelled.
    """
    s = moment.shoot
    alone = derive(picture_alone(s), background="transparent" if s.transparent else "set")
    bare = _exposed_like(film, replace(bare_floor(moment), shoot=alone), compiler, tracer, cancelled)
    floor = SET_PARTS if not s.disc_seen else ("sweep",)
    standing = film.coverage - sum(film.share_of(SET_PARTS.index(part)) for part in floor)
    return caught(clean, denoise(bare) if s.denoise else bare.radiance, standing)


def _exposed_like(film: Film, moment: Moment, compiler: SceneCompiler, tracer: Tracer, cancelled: Cancel) -> Film:
    """The film of a moment with as many samples of each pixel as another has: where both show the same, they have the
    same noise, and nothing is taken for a shadow."""
    scene = scene_for(moment, compiler)
    alike, done = film_for(scene), 0
    for samples in np.unique(film.count[film.count > 0]).tolist():
        tracer.expose_more(alike, scene, film.count >= samples, samples - done, moment.frame, cancelled)
        done = samples
    return alike


def picture_alone(s: ShootSettings) -> ShootSettings:
    """Settings of a picture without passes and neighbours."""
    return derive(s, passes=derive(s.passes, wanted=()), denoise_neighbours=False)


def bare_floor(moment: Moment) -> Moment:
    """The floor alone, in the same light: the sweep, and the disc where that only catches the shadow."""
    stage = moment.set
    disc = derive(stage.disc, on=stage.disc.on and not moment.shoot.disc_seen)
    return replace(moment, items=(), set=Stage.model_construct(sweep=stage.sweep, disc=disc))


def caught(full: RGBImage, empty: RGBImage, standing: Mask) -> tuple[RGBImage, Mask]:
    """Premultiplied picture (h, w, 3) and alpha (h, w) of what stands on a floor, with the shadow and reflection it
    throws.

    standing: the share of each pixel (h, w) that it covers. Where the floor is darker, alpha is the share of its
    luminance that is kept from it: shadows are black, whatever colour the rest of the light has, and darken any
    background alike. Where it is brighter, the added light (reflection, caustics) is in the picture. Laid over the
    empty floor it gives the luminance of the full picture again, but for differences of less than `SEEN`, which are
    noise.
    """
    before = empty @ LUMA32
    ratio = np.divide(full @ LUMA32, before, out=np.ones_like(before), where=before > 1e-9)
    passed = np.minimum(np.clip(ratio, 0.0, 1.0), 1.0 - standing)
    differs = np.clip((np.abs(ratio - 1.0) - UNSEEN) / (SEEN - UNSEEN), 0.0, 1.0)
    kept = np.maximum(differs * differs * (3.0 - 2.0 * differs), standing > 0)
    added = np.where((standing > 0) | (ratio > 1.0), kept, 0.0)
    picture = added[..., None] * np.maximum(full - passed[..., None] * empty, 0.0)
    return np.asarray(picture, np.float32), np.asarray(kept * (1.0 - passed), np.float32)
