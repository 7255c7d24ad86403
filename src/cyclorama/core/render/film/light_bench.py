"""What every light gives by itself: a small developed picture of each, and how much of it falls on the subject."""

import io
import math
from dataclasses import dataclass, replace

from PIL import Image

from ...arrays import Mask, RGBImage
from ...colour import LUMA32
from ...light.sky import shining
from ...motion import Moment
from ...picture.exposure import MIDDLE_GREY, expose
from ...picture.mix import light_layer_names
from ...picture.view import to_bytes, to_display
from ..compile.compiler import SceneCompiler
from .denoise import denoise, denoise_shares
from .tracer import Tracer, film_for

WIDTH, SAMPLES, QUALITY = 192, 16, 88
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
    """What each light gives, whether it is on or not, then what glows and the environment, where they give anything."""
    look = moment.look
    all_on = tuple(light.model_copy(update={"on": True, "solo": False}) for light in look.lights)
    around = look.environment.model_copy(update={"on": True})
    lit = look.model_copy(update={"lights": all_on, "environment": around})
    here = replace(moment, look=lit)
    width, height = WIDTH, max(1, round(WIDTH * moment.shoot.height / moment.shoot.width))
    scene = compiler.compile(here, width, height, "lights")
    film = film_for(scene)
    tracer.expose(film, scene, SAMPLES)
    names = light_layer_names(lit)
    layers = {name: film.layer(name) for name in names}
    shares = denoise_shares(film, layers, denoise(film, "fast", False), "fast")
    ids = [*(light.id for light in shining(lit)), GLOW, ENVIRONMENT]
    found = [_of(i, shares[n], layers[n], film.subject, here) for i, n in zip(ids, names, strict=True)]
    lamps = {light.id for light in look.lights}
    return [one for one in found if one.id in lamps or one.nit > 0.0]


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
    """How many times as bright lights are as others, on the subject: sums of their means. None without either."""
    above, below = sum(of), sum(to)
    return above / below if above > 0.0 and below > 0.0 else None
