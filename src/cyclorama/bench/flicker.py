"""`./cyc bench --flicker`: what denoising with neighbours gains over denoising frame by frame, on the demo shots."""

from collections.abc import Callable

import numpy as np

from ..core.framing import half_extent
from ..core.motion import moment
from ..core.picture.view_transform import to_display
from ..core.render.compile.compiler import SceneCompiler
from ..core.render.film.film import Film
from ..core.render.film.flicker import flicker
from ..core.render.film.frame import expose_frame
from ..core.render.film.tracer import Tracer
from ..core.scene import Project, put_all
from ..demo.projects import DemoProject, lantern_project, storm_glass_project
from ..shoot.frames.pipeline import FrameMaker
from .renderer import show_look, structural_similarity

WIDTH, HEIGHT, SAMPLES, REFERENCE_SAMPLES = 320, 180, 16, 4096
FIRST, FRAMES = 20, 4


def run_flicker(tell: Callable[[str], None]) -> None:
    """Measure and print a table; takes as long as the references do."""
    tell("                          flicker         relative   SSIM to reference")
    for demo in (storm_glass_project(), lantern_project()):
        _measure(demo, tell)


def _measure(demo: DemoProject, tell: Callable[[str], None]) -> None:
    compiler = SceneCompiler({**demo.intake.assets, **demo.assets}.__getitem__)
    settings = {
        "width": WIDTH,
        "height": HEIGHT,
        "samples": SAMPLES,
        "noise_threshold": None,
        "denoise_neighbours": False,
    }
    project = put_all(demo.project, {f"shot/shoot/{name}": value for name, value in settings.items()})
    calm = put_all(project, {"shot/shoot/denoise_neighbours": True})
    shot = range(FIRST, FIRST + FRAMES)
    with Tracer() as tracer:
        films = [expose_frame(moment(calm, n), compiler, tracer) for n in shot]
        makers = {
            label: FrameMaker(p, p.shot.frame_numbers, compiler, tracer)
            for label, p in (("frame by frame", project), ("with neighbours", calm))
        }
        pictures = {label: [maker.make(n).picture for n in shot] for label, maker in makers.items()}
        truth = _reference(project, FIRST, compiler, tracer)
    pixel_rad = 2 * half_extent(project.camera, WIDTH, HEIGHT)[0] / WIDTH
    first = None
    for label, made in pictures.items():
        value = flicker(made, films, pixel_rad)
        first = first or value
        view = project.look.tone.view
        alike = structural_similarity(to_display(made[0], view), show_look(truth, project))
        tell(f"{project.name[:10]:10} {label:15} {value:.2e}   {first / value:12.2f} ×   {alike:12.4f}")


def _reference(project: Project, number: int, compiler: SceneCompiler, tracer: Tracer) -> np.ndarray:
    scene = compiler.compile(moment(project, number), WIDTH, HEIGHT)
    film = Film(WIDTH, HEIGHT)
    tracer.expose(film, scene, REFERENCE_SAMPLES, seed=90_001)
    return film.radiance
