"""`./cyc bench --flicker`: what denoising with neighbours gains over denoising frame by frame, on the demo shots."""

from collections.abc import Callable

import numpy as np

from ..core.framing import half_extent
from ..core.motion import moment
from ..core.render.compile.compiler import SceneCompiler
from ..core.render.film.denoise import denoise
from ..core.render.film.film import Film
from ..core.render.film.frame import expose_frame
from ..core.render.film.neighbours import REACH, FrameLight, blend, flicker, settle
from ..core.render.film.tracer import Tracer
from ..core.scene import Project, put_all
from ..demo.projects import DemoProject, lantern_project, storm_glass_project
from .renderer import shown, structural_similarity

WIDTH, HEIGHT, SAMPLES, REFERENCE_SAMPLES = 320, 180, 16, 4096
FIRST, FRAMES = 20, 4


def run_flicker(tell: Callable[[str], None]) -> None:
    """Measure and print a table; takes as long as the references do."""
    tell("                          flicker         relative   SSIM to reference")
    for demo in (storm_glass_project(), lantern_project()):
        _measure(demo, tell)


def _measure(demo: DemoProject, tell: Callable[[str], None]) -> None:
    compiler = SceneCompiler({**demo.intake.assets, **demo.assets}.__getitem__)
    settings = {"width": WIDTH, "height": HEIGHT, "samples": SAMPLES, "noise_threshold": None,
                "denoise_neighbours": True}  # fmt: skip
    project = put_all(demo.project, {f"shot/shoot/{name}": value for name, value in settings.items()})
    numbers = range(FIRST - REACH, FIRST + FRAMES + REACH)
    with Tracer() as tracer:
        films = {n: expose_frame(moment(project, n), compiler, tracer) for n in numbers}
        truth = _reference(project, FIRST, compiler, tracer)
    pixel_rad = 2 * half_extent(project.camera, WIDTH, HEIGHT)[0] / WIDTH
    lights = {n: FrameLight.of(film) for n, film in films.items()}
    shot = range(FIRST, FIRST + FRAMES)
    alone = [denoise(films[n]) for n in shot]
    beside = {n: {k: lights[n + k] for k in (-1, 0, 1)} for n in numbers[1:-1]}
    clean = {n: denoise(films[n], radiance=blend(beside[n], pixel_rad)) for n in beside}
    together = [settle(beside[n], {k: clean[n + k] for k in (-1, 0, 1)}, pixel_rad) for n in shot]
    first = None
    for label, pictures in (("frame by frame", alone), ("with neighbours", together)):
        value = flicker(pictures, [lights[n] for n in shot], pixel_rad)
        first = first or value
        alike = structural_similarity(shown(pictures[0], project), shown(truth, project))
        tell(f"{project.name[:10]:10} {label:15} {value:.2e}   {first / value:12.2f} ×   {alike:12.4f}")


def _reference(project: Project, number: int, compiler: SceneCompiler, tracer: Tracer) -> np.ndarray:
    scene = compiler.compile(moment(project, number), WIDTH, HEIGHT)
    film = Film(WIDTH, HEIGHT)
    tracer.expose(film, scene, REFERENCE_SAMPLES, seed=90_001)
    return film.radiance
