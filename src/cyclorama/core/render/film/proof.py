"""A proof of a moment: a small, quick picture, and what a light meter says of the subject in it."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...arrays import Mask, RGBImage
from ...colour import LUMA32
from ...motion import Moment
from ...picture.exposure import MIDDLE_GREY, expose
from ..compile.compiler import SceneCompiler
from .denoise import denoise
from .film import Film
from .frame import picture_of
from .tracer import Tracer

Bytes = NDArray[np.uint8]
WIDTH, SAMPLES = 360, 3
BLACK = 2
"""Values of 255 below which a place of the picture is black."""


class Reading(NamedTuple):
    """Reading of a light meter on the subject."""

    stops: float
    """of its mean (logarithmic) above middle grey"""
    burnt: float
    """share of it that is brighter than the sensor can tell, 0…1"""
    black: float
    """share of it that is black in the picture, 0…1"""


def proof_size(moment: Moment) -> tuple[int, int]:
    """Width and height of a proof, px; its longer side is WIDTH."""
    scale = WIDTH / max(moment.shoot.width, moment.shoot.height)
    return max(2, 2 * round(moment.shoot.width * scale / 2)), max(2, 2 * round(moment.shoot.height * scale / 2))


def proof_of(moment: Moment, compiler: SceneCompiler, tracer: Tracer) -> tuple[Bytes, Reading | None]:
    """A picture (h, w, 3) of 8 bits, and the reading; None where the subject is not seen."""
    width, height = proof_size(moment)
    film = Film(width, height)
    tracer.expose(film, compiler.compile(moment, width, height), SAMPLES)
    clean = denoise(film, "fast", False)
    picture = picture_of(film, moment, compiler, clean)
    return picture, reading_of(expose(clean, moment.look.tone), picture, film.subject)


def reading_of(picture: RGBImage, shown: Bytes, subject: Mask) -> Reading | None:
    """The reading of a scene-linear picture (h, w, 3) whose subject covers a mask (h, w), shown in 8 bits."""
    where = subject > 0.5
    if not where.any():
        return None
    light = np.maximum(picture[where] @ LUMA32, 1e-6)
    stops = float(np.log2(np.exp(np.mean(np.log(light))) / MIDDLE_GREY))
    return Reading(stops, float(np.mean(light >= 1.0)), float(np.mean(shown[where].max(axis=1) < BLACK)))
