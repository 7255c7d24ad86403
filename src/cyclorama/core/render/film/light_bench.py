"""Contribution of each light: a small rendered picture of each, and its share on the subject."""

import io
import math
from dataclasses import dataclass, replace

import numpy as np
from PIL import Image

from ...arrays import Mask, RGBImage
from ...colour import LUMA32
from ...light.balance import Apart
from ...light.sky import shining
from ...motion import Moment
from ...picture.exposure import MIDDLE_GREY, expose, exposure_scale
from ...picture.light_mix import light_layer_names
from ...picture.view_transform import to_bytes, to_display
from ...scene.writing import derive
from ..compile.compiler import SceneCompiler
from .denoise import denoise, denoise_shares
from .film import Film
from .tracer import Tracer, film_for

WIDTH, SAMPLES, QUALITY = 192, 16, 88
APART_WIDTH, APART_SAMPLES = 128, 12
"""In this size the lights of a move are told apart."""
ENVIRONMENT, GLOW = "environment", "glow"
"""What shines besides lights."""
DARK = 1e-9


@dataclass(frozen=True, slots=True)
class Contribution:
    """The light of one lamp, of the environment, or of all that glows, as if it alone were on."""

    id: str
    jpeg: bytes
    stops: float | None
    """of its mean on the subject, above middle grey as the picture is exposed; None where it gives nothing"""
    nit: float
    """its mean on the subject"""


def contributions(moment: Moment, compiler: SceneCompiler, tracer: Tracer) -> list[Contribution]:
    """Contribution of each light, on or not, then of glowing surfaces and the environment, where there are any."""
    look = moment.look
    all_on = tuple(derive(light, on=True, solo=False) for light in look.lights)
    around = derive(look.environment, on=True)
    lit = derive(look, lights=all_on, environment=around)
    here = replace(moment, look=lit)
    film, shares = _developed(here, compiler, tracer, WIDTH, SAMPLES)
    ids = [*(light.id for light in shining(lit)), GLOW, ENVIRONMENT]
    found = [
        _of(i, share, film.layer(name), film.subject, here)
        for i, (name, share) in zip(ids, shares.items(), strict=True)
    ]
    lamps = {light.id for light in look.lights}
    return [one for one in found if one.id in lamps or one.nit > 0.0]


def _developed(
    moment: Moment, compiler: SceneCompiler, tracer: Tracer, width: int, samples: int
) -> tuple[Film, dict[str, RGBImage]]:
    """A film that keeps all that shines apart, and each of its layers without noise, in their order."""
    height = max(1, round(width * moment.shoot.height / moment.shoot.width))
    scene = compiler.compile(moment, width, height, "lights")
    film = film_for(scene)
    tracer.expose(film, scene, samples)
    layers = {name: film.layer(name) for name in light_layer_names(moment.look)}
    return film, denoise_shares(film, layers, denoise(film, "fast", False), "fast")


def apart(moment: Moment, lights: tuple[str, ...], compiler: SceneCompiler, tracer: Tracer) -> Apart | None:
    """The light of some lamps that are on, and of everything else, on the subject as it is exposed; None where the
    subject is not seen."""
    film, shares = _developed(moment, compiler, tracer, APART_WIDTH, APART_SAMPLES)
    where = film.subject > 0.5
    if not where.any():
        return None
    scale = exposure_scale(moment.look.tone)
    ids = [*(light.id for light in shining(moment.look)), GLOW, ENVIRONMENT]
    each = {
        i: (share[where] @ LUMA32).astype(np.float64) * scale for i, share in zip(ids, shares.values(), strict=True)
    }
    rest = np.sum([each[i] for i in ids if i not in lights], axis=0)
    return Apart(np.array([each[i] for i in lights]).reshape(len(lights), -1), rest)


def _of(identity: str, share: RGBImage, layer: RGBImage, subject: Mask, moment: Moment) -> Contribution:
    """share: the layer without noise, for the eye; figures are of the layer itself."""
    tone = moment.look.tone
    picture = to_bytes(to_display(expose(share, tone), tone.view))
    buffer = io.BytesIO()
    Image.fromarray(picture).save(buffer, "JPEG", quality=QUALITY, subsampling=0)
    where = subject > 0.5
    on_subject = float((layer[where] @ LUMA32).mean()) if where.any() else 0.0
    exposed = float((expose(layer, tone)[where] @ LUMA32).mean()) if where.any() else 0.0
    stops = math.log2(exposed / MIDDLE_GREY) if exposed > DARK else None
    return Contribution(identity, buffer.getvalue(), stops, on_subject)


def ratio(of: list[float], to: list[float]) -> float | None:
    """Ratio of the light of some lights to that of others on the subject, by sums of their means. None without
    either."""
    above, below = sum(of), sum(to)
    return above / below if above > 0.0 and below > 0.0 else None
