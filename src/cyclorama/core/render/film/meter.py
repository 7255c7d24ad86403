"""Metering the subject over a move with a few small, quick frames."""

from ...motion import Moment
from ...picture.exposure import meter_ev100
from ..compile.compiler import SceneCompiler
from .film import Film
from .tracer import Tracer

WIDTH, SAMPLES = 96, 16


def meter_subject(moments: list[Moment], compiler: SceneCompiler, tracer: Tracer) -> float | None:
    """EV100 for the subject over some moments; None when it is black, absent or out of sight."""
    pictures, masks, colours = [], [], []
    for m in moments:
        height = max(1, round(WIDTH * m.shoot.height / m.shoot.width))
        film = Film(WIDTH, height)
        tracer.expose(film, compiler.compile(m, WIDTH, height), SAMPLES)
        pictures.append(film.radiance)
        masks.append(film.subject)
        colours.append(film.albedo)
    return meter_ev100(pictures, masks, colours)
