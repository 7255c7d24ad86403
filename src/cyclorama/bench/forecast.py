"""Error of forecasts against the time that shooting then takes."""

import time
from collections.abc import Callable

from ..core.render.compile.compiler import SceneCompiler
from ..core.render.film.tracer import Tracer
from ..core.scene import put_all
from ..demo.projects import DemoProject, lantern_project, storm_glass_project
from ..shoot.frames.executors import frame_files
from ..shoot.frames.pipeline import FrameMaker
from ..shoot.run.forecast import at_once, forecast

SETTINGS: tuple[dict[str, object], ...] = (
    {"quality": "fine", "width": 640, "height": 360},
    {"quality": "own", "samples": 16, "width": 640, "height": 360, "denoise_neighbours": False},
    {"quality": "own", "samples": 8, "width": 640, "height": 360, "passes/wanted": ("depth", "occlusion")},
)
FRAMES = 24


def run_forecast(tell: Callable[[str], None]) -> None:
    """Forecast takes of a few frames of both demo projects, shoot them, and compare."""
    tell("                                    forecast        took    error")
    for demo in (storm_glass_project(), lantern_project()):
        for settings in SETTINGS:
            _measure(demo, settings, tell)


def _measure(demo: DemoProject, settings: dict[str, object], tell: Callable[[str], None]) -> None:
    values = {f"shot/shoot/{name}": value for name, value in settings.items()}
    project = put_all(demo.project, {"shot/frames": FRAMES, **values})
    read = {**demo.intake.assets, **demo.assets}.__getitem__
    with Tracer() as tracer:
        seconds, spread = forecast(project, at_once(SceneCompiler(read), tracer))
        maker = FrameMaker(project, project.shot.frame_numbers, SceneCompiler(read), tracer)
        start = time.perf_counter()
        for number in project.shot.frame_numbers:
            list(frame_files(number, maker.make(number), project, read))
        took = time.perf_counter() - start
    s = project.shot.shoot
    what = ", ".join([project.name.split()[0], s.samples_in_words, *s.passes.wanted])
    tell(f"{what:32} {seconds:6.0f} ± {spread:3.0f} s {took:9.0f} s {100 * (seconds / took - 1):+7.0f} %")
