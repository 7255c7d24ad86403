"""Metering the subject over a move with a few small, quick frames."""

from ..picture.exposure import meter_ev100
from ..scene import Project
from .film import Film
from .scene import SceneCompiler
from .tracer import Tracer

FRAMES, WIDTH, SAMPLES = 4, 96, 16


def meter_subject(project: Project, compiler: SceneCompiler, tracer: Tracer) -> float | None:
    """EV100 for the subject over the whole move; None when it is black, absent or out of sight."""
    height = max(1, round(WIDTH * project.shoot.height / project.shoot.width))
    pictures, masks, colours = [], [], []
    for i in range(FRAMES):
        frame = project.move.first_frame + i * project.move.frames // FRAMES
        film = Film(WIDTH, height)
        tracer.expose(film, compiler.compile(project, frame, WIDTH, height), SAMPLES)
        pictures.append(film.radiance)
        masks.append(film.subject)
        colours.append(film.albedo)
    return meter_ev100(pictures, masks, colours)
