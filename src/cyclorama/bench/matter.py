"""`./cyc bench --matter`: cost of copies, of haze against clear air, and noise of the lantern's glow behind glass.

Noise is judged as in `against`, each frame against many samples of itself, of some pictures each; the shortest time
counts. The time to equal FLIP lies between those of the samples that are there.
"""

import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from ..core.colour import LUMA32
from ..core.commands import perform
from ..core.commands.haze import SetHaze
from ..core.motion import Moment, moment
from ..core.picture.exposure import expose
from ..core.render.compile.compiler import SceneCompiler
from ..core.render.film.denoise import denoise
from ..core.render.film.film import Film
from ..core.render.film.frame import picture_of
from ..core.render.film.picking import PickProbe
from ..core.render.film.tracer import Tracer
from ..core.render.trace.glow_targets import NO_TARGETS
from ..core.scene import Project, put
from ..core.scene.haze import THICKNESSES, Haze
from ..demo.projects import lantern_project
from .against import DARK, Judged, Truth, time_to
from .copies import tell_copies

WIDTH, HEIGHT, FRAME = 480, 270, 20
LEVELS = [4, 8, 16, 32]
REFERENCE, REPEATS = 256, 3
EQUAL_AT = 8
"""Samples in clear air to whose FLIP times are compared."""
GLOW_PICTURES = 12
"""Pictures by which the noise of the glow is judged."""


def run_matter(tell: Callable[[str], None]) -> None:
    """Measure and print a table."""
    with Tracer() as tracer:
        tell_copies(tracer, tell)
    tell("Building the lantern …")
    demo = lantern_project()
    assets = {**demo.intake.assets, **demo.assets}
    with Tracer() as tracer:
        compiler = SceneCompiler(assets.__getitem__)
        clear_air = put(demo.project, "set/haze", Haze())
        projects = {"clear air": clear_air}
        for thickness in THICKNESSES:
            change = SetHaze(thickness=thickness)
            project, _ = perform(clear_air, change, lambda _: None, PickProbe(compiler, tracer))
            projects[f"{thickness} haze"] = project
        _tell_glow(clear_air, compiler, tracer, tell)
        judged: dict[str, list[Judged]] = {}
        tell(f"{'':14}{'samples':>8}{'seconds':>9}{'relMSE':>10}{'set':>9}{'subject':>9}{'FLIP':>8}")
        for name, project in projects.items():
            judged[name] = _judged(project, compiler, tracer)
            for j in judged[name]:
                line = f"{name:14}{j.samples:8d}{j.seconds:9.2f}{j.error:10.4f}{j.set_error:9.4f}{j.subject_error:9.4f}"
                tell(f"{line}{j.flip:8.4f}")
    clear = judged["clear air"]
    equal = next(j.flip for j in clear if j.samples == EQUAL_AT)
    base = time_to(clear, equal)
    for name, found in judged.items():
        same = found[-1].seconds / clear[-1].seconds
        there = time_to(found, equal)
        quality = "not reached" if there is None or base is None else f"× {there / base:.2f}"
        tell(f"{name}: × {same:.2f} the time for as many samples, {quality} to the FLIP of {EQUAL_AT} in clear air")


def _tell_glow(project: Project, compiler: SceneCompiler, tracer: Tracer, tell: Callable[[str], None]) -> None:
    """Variance of a sample, relative to the square of the mean, with and without targets, in alternation."""
    for caustics in ("soft", "full"):
        here = moment(put(project, "shot/shoot/caustics", caustics), FRAME)
        scene = compiler.compile(here, WIDTH, HEIGHT)
        ways = {"turned to the glow": scene, "by chance alone": replace(scene, targets=NO_TARGETS)}
        pictures: dict[str, list[np.ndarray]] = {name: [] for name in ways}
        seconds = dict.fromkeys(ways, np.inf)
        for seed in range(GLOW_PICTURES):
            for name, way in ways.items():
                film, start = Film(WIDTH, HEIGHT), time.perf_counter()
                tracer.expose(film, way, EQUAL_AT, seed)
                seconds[name] = min(seconds[name], time.perf_counter() - start)
                pictures[name].append(expose(film.radiance, here.look.tone) @ LUMA32)
        on, truth = film.subject > 0.5, np.mean([*pictures.values()], axis=(0, 1))
        noise = {name: np.var(found, axis=0, ddof=1) / (truth**2 + DARK) for name, found in pictures.items()}
        for name in ways:
            tell(
                f"{caustics} caustics, {name}: {EQUAL_AT} samples {seconds[name]:.2f} s, variance on the set "
                f"{noise[name][~on].mean():.4f}, on the subject {noise[name][on].mean():.3f}"
            )


def _judged(project: Project, compiler: SceneCompiler, tracer: Tracer) -> list[Judged]:
    here = moment(project, FRAME)
    raw, shown, subject, _ = _exposed(here, REFERENCE, compiler, tracer)
    truth = Truth(raw, shown, subject)
    found = []
    for level in LEVELS:
        frames = [_exposed(here, level, compiler, tracer, seed) for seed in range(1, REPEATS + 1)]
        found.append(
            truth.judged(
                {
                    f"raw {level}": [frame[0] for frame in frames],
                    f"shown {level}": [frame[1] for frame in frames],
                    f"seconds {level}": np.array([frame[3] for frame in frames]),
                },
                level,
            )
        )
    return found


def _exposed(
    here: Moment, samples: int, compiler: SceneCompiler, tracer: Tracer, seed: int = 0
) -> tuple[np.ndarray, np.ndarray, np.ndarray, float]:
    """Radiance, picture as shown (0…1), subject, and seconds."""
    film, scene = Film(WIDTH, HEIGHT), compiler.compile(here, WIDTH, HEIGHT)
    start = time.perf_counter()
    tracer.expose(film, scene, samples, seed)
    seconds = time.perf_counter() - start
    picture = picture_of(film, here, compiler, denoise(film))
    return film.radiance, np.asarray(picture, np.float32) / 255.0, film.subject, seconds
