"""Forecast of shooting time: a few small probe frames, scaled up, with a range."""

import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Protocol, TypeVar

import numpy as np

from ...core.arrays import RGBImage
from ...core.commands.shoot_plan import as_called
from ...core.motion import Moment, moment
from ...core.render.compile.compiler import SceneCompiler
from ...core.render.film.beauty import beauty
from ...core.render.film.denoise import denoise
from ...core.render.film.film import Film
from ...core.render.film.frame import expose_frame
from ...core.render.film.quality import first_samples
from ...core.render.film.tracer import Cancel, Tracer
from ...core.render.passes.outputs import PassFile, pass_files
from ...core.scene import Project, ShootSettings, put
from ...core.scene.shoot import PassName
from ...core.scene.writing import derive
from ..frames.pipeline import FrameMaker, cleaned_for, seen_for_cleaning
from .reshoot import for_overview, overview_of

T = TypeVar("T")
Step = Callable[[SceneCompiler, Tracer, Cancel], T]
PROBES, PROBE_SAMPLES, PROBE_PIXELS, QUALITY_PIXELS = 3, 4, 40_000, 160_000
WRITE_S_A_PIXEL = 1e-7


EXPOSING: tuple[PassName, ...] = ("clay", "catcher")
"""Passes that expose a picture of their own; all others cost by the pixel."""


class Turn(Protocol):
    """Has a step done when it can be, and once more where it raises Cancelled."""

    def __call__(self, step: Step[T]) -> T: ...


def at_once(compiler: SceneCompiler, tracer: Tracer) -> Turn:
    """Turns of a machine on which nobody else waits."""

    def turn(step: Step[T]) -> T:
        return step(compiler, tracer, lambda: False)

    return turn


def forecast(project: Project, turn: Turn) -> tuple[float, float]:
    """Seconds for the whole shot and their uncertainty; with a noise threshold, what it takes at most.

    Time grows with paths (pixels × samples) and, for denoising and most passes, with pixels; probes lie evenly over
    the shot, so their spread says how much frames differ. Where samples go by quality, probes are larger, and
    what a larger picture needs less is taken off. A tenth is added for what else the machine may be doing. Each step
    has a turn of its own.
    """
    project = as_called(project)
    numbers, settings = list(project.shot.frame_numbers), project.shot.shoot
    probe, scale = _probe_settings(settings)
    paths_scale = scale if settings.wanted_quality else scale * settings.samples / PROBE_SAMPLES
    first = replace(moment(project, numbers[0]), shoot=probe)
    # costs of the first time are not to be multiplied: compiling the scene, loading kernels for it, filling caches
    once: dict[str, object] = {"samples": 1, "quality": "draft" if settings.wanted_quality else "own"}
    warm = replace(first, shoot=derive(probe, **once))
    turn(partial(expose_frame, warm))
    frames = []
    for i in range(min(PROBES, len(numbers))):
        number = numbers[(2 * i + 1) * len(numbers) // (2 * PROBES)] if len(numbers) >= PROBES else numbers[i]
        here = replace(moment(project, number), shoot=probe)
        seconds, film = _timed(turn, partial(expose_frame, here))
        frames.append(seconds * paths_scale * in_full(film, settings, scale))
    total = (float(np.mean(frames)) + _finishing(project, first, film, scale, paths_scale, turn)) * len(numbers)
    if settings.overview and settings.denoise_neighbours:
        total += _drafting(first, scale, paths_scale, turn) * len(overview_of(project.shot.frame_numbers))
    spread = float(np.ptp(frames) / 2) * len(numbers) / len(frames) ** 0.5
    return total, spread + 0.1 * total


def _finishing(project: Project, here: Moment, film: Film, scale: float, paths_scale: float, turn: Turn) -> float:
    """Seconds for all of a frame in full but its exposure, from the film of a probe."""
    settings, probe = project.shot.shoot, here.shoot
    seconds, clean = WRITE_S_A_PIXEL * settings.width * settings.height, film.radiance
    if settings.denoise:
        turn(lambda *given: denoise(film))  # the first call sets up the filter
        clean_s, clean = _timed(turn, lambda *given: denoise(film))
        seconds += scale * (_among_neighbours(project, probe, film, turn) if settings.denoise_neighbours else clean_s)
    if settings.background == "shadow":
        seconds += _timed(turn, partial(beauty, film, here, clean))[0] * paths_scale
    for name in settings.passes.wanted:
        passes = derive(probe.passes, wanted=(name,))
        alone = replace(here, shoot=derive(probe, passes=passes))
        making_s, _ = _timed(turn, partial(_passes, alone, film, clean))
        seconds += making_s * (paths_scale if name in EXPOSING else scale)
    return seconds


def _passes(
    here: Moment, film: Film, clean: RGBImage, compiler: SceneCompiler, tracer: Tracer, cancelled: Cancel
) -> list[PassFile]:
    return list(pass_files(here, film, clean, compiler, tracer, cancelled))


def in_full(film: Film, settings: ShootSettings, scale: float) -> float:
    """Samples of a pixel in full, relative to those of a probe's film that go by quality. More than the first are
    needed at edges and what is as fine, whose share of a picture falls with the root of its pixels. 1 where samples are
    told."""
    if settings.wanted_quality is None:
        return 1.0
    first, mean = first_samples(settings.wanted_quality, settings.denoise_neighbours)[0], float(film.count.mean())
    return (first + (mean - first) / scale**0.5) / mean


def _drafting(here: Moment, scale: float, paths_scale: float, turn: Turn) -> float:
    """Seconds for a frame of the overview in full, which has so many times the pixels and paths of `here`."""
    draft = replace(here, shoot=for_overview(here.shoot))
    seconds, film = _timed(turn, partial(expose_frame, draft))
    exposing_s = seconds * paths_scale * in_full(film, draft.shoot, scale)
    return exposing_s + _timed(turn, lambda *given: denoise(film))[0] * scale


def _among_neighbours(project: Project, probe: ShootSettings, film: Film, turn: Turn) -> float:
    """Seconds to clean a frame with those near it, for which it stands itself, and to even it out with them."""
    alone = derive(probe, passes=derive(probe.passes, wanted=()))
    small = put(project, "shot/shoot", alone)
    numbers = project.shot.frame_numbers
    number = numbers[len(numbers) // 2]
    maker = turn(lambda compiler, tracer, _: FrameMaker(small, numbers, compiler, tracer))

    def made(*_: object) -> None:
        seen = dict.fromkeys(seen_for_cleaning(small, numbers, number), maker.seen(film))
        light = maker.cleaned(number, film, seen)
        maker.finished(number, film, seen, dict.fromkeys(cleaned_for(small, numbers, number), light))

    turn(made)  # knowledge of neighbouring frames is made once
    return _timed(turn, made)[0]


def _probe_settings(s: ShootSettings) -> tuple[ShootSettings, float]:
    """Settings to shoot small with few samples, and how many times more pixels there are in full."""
    pixels = QUALITY_PIXELS if s.wanted_quality else PROBE_PIXELS
    shrink = min(1.0, (pixels / (s.width * s.height)) ** 0.5)
    width, height = max(16, round(s.width * shrink)), max(16, round(s.height * shrink))
    small = derive(s, width=width, height=height, samples=PROBE_SAMPLES, noise_threshold=None)
    return small, s.width * s.height / (width * height)


def time_call(work: Callable[[], T]) -> tuple[float, T]:
    """Seconds that something took, and what came of it."""
    start = time.perf_counter()
    result = work()
    return time.perf_counter() - start, result


def _timed(turn: Turn, step: Step[T]) -> tuple[float, T]:
    """The same of a step, once it has its turn."""
    return turn(lambda *given: time_call(partial(step, *given)))
