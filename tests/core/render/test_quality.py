"""Softened caustics and samples by what is left to be seen."""

import dataclasses
import math

import numpy as np
import pytest
from tests.conftest import edited, project_of, sphere

from cyclorama.core.geometry.mesh import join
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.film import Film
from cyclorama.core.render.film.frame import expose_frame
from cyclorama.core.render.film.quality import MOST, PILOT, PRINT_DOUBLINGS, PRINT_SHARE, missing, small_print
from cyclorama.core.render.film.tracer import Tracer, film_for
from cyclorama.core.render.trace.caustic_roughening import least_roughness
from cyclorama.core.render.trace.wavefront import FrameScene
from cyclorama.core.scene import Light, Material, Project, Tone

GLASS = Material(id="m", name="Glass", transmission_weight=1.0, specular_roughness=0.0)


def glass_on_the_sweep(**more: object) -> tuple[Project, SceneCompiler]:
    """A ball of glass that throws the light of a small lamp onto the sweep."""
    project, assets = project_of(sphere(0.3, 32), GLASS)
    lamp = Light(id="key", name="Key", distance_m=2.0, elevation_deg=40.0, azimuth_deg=120.0, width_m=0.3, height_m=0.3)
    values = {"look/lights": (lamp,), "set/sweep/on": True}
    shoot = {"shot/shoot/width": 96, "shot/shoot/height": 64}
    return edited(project, values | shoot | more), SceneCompiler(assets.__getitem__)


def exposed_with(scene: FrameScene, tracer: Tracer, samples: int, seed: int) -> Film:
    film = film_for(scene)
    tracer.expose(film, scene, samples, seed=seed)
    return film


def test_softened_caustics_are_calmer_and_hardly_darker(tracer: Tracer) -> None:
    project, compiler = glass_on_the_sweep()
    full = compiler.compile(moment(project, 1), 60, 40)
    soft = dataclasses.replace(full, softening=least_roughness("soft"))
    assert not full.softening.any()
    truth = exposed_with(full, tracer, 1536, 1).radiance
    many = exposed_with(soft, tracer, 1024, 2).radiance
    # what comes to the sweep in all is the same; only its pattern is softer
    assert many.mean() == pytest.approx(truth.mean(), rel=0.03)
    few = [
        np.mean([(exposed_with(scene, tracer, 16, 50 + k).radiance - reference) ** 2 for k in range(6)])
        for scene, reference in ((full, truth), (soft, many))
    ]
    assert few[1] < few[0] / 2.5


def test_softening_ends_with_ever_more_samples_unless_it_is_meant() -> None:
    soft, off = least_roughness("soft"), least_roughness("off")
    assert (np.diff(soft) < 0).all()
    assert soft[20] < soft[0] / 3
    assert (off == off[0]).all()
    assert not least_roughness("full").any()


def test_samples_go_where_the_clean_picture_needs_them(tracer: Tracer) -> None:
    project, compiler = glass_on_the_sweep(shot__shoot__quality="draft")
    light = exposed_with(compiler.compile(moment(project, 1), 96, 64), tracer, 8, 3).radiance.mean()
    project = edited(project, look__tone__ev100=math.log2(light / 0.18 / 1.2))
    film = expose_frame(moment(project, 1), compiler, tracer)
    count = film.count.reshape(film.height, film.width)
    pilot = PILOT["draft"]
    assert set(np.unique(count)) <= {pilot * 2**k for k in range(MOST.bit_length())}
    assert count.min() == pilot
    around = film.subject > 0.5
    assert count[around].mean() > 1.5 * count[~around].mean()
    finer = expose_frame(moment(edited(project, shot__shoot__quality="fine"), 1), compiler, tracer)
    assert finer.count.mean() > 1.5 * count.mean()
    calmed = expose_frame(moment(edited(project, shot__shoot__denoise_neighbours=True), 1), compiler, tracer)
    assert calmed.count.min() == pilot // 2
    assert calmed.count.max() <= pilot * MOST
    assert calmed.count.mean() < 0.7 * count.mean()
    with Tracer(1) as one:  # on one thread the same
        again = expose_frame(moment(project, 1), compiler, one)
    assert np.array_equal(again.sums, film.sums)
    assert np.array_equal(again.count, film.count)


def test_clean_tiles_need_no_more_samples(tracer: Tracer) -> None:
    film = Film(128, 64)
    film.count[:] = 8
    film.sums[:, :3], film.sums[:, 12:15], film.sums[:, 3:6] = 8 * 400.0, 4 * 400.0, 8 * 0.5
    assert not missing(film, "print", Tone(), False).any()
    film.sums.reshape(64, 128, -1)[:16, :16, 12:15] *= 1.5
    needed = missing(film, "print", Tone(), False)
    assert needed.max() > 0
    assert (needed.reshape(64, 128)[:, 64:] == 0).all()


def test_matte_surfaces_are_known(tracer: Tracer) -> None:
    project, assets = project_of(join([sphere(0.3, 16)]), GLASS)
    scene = SceneCompiler(assets.__getitem__).compile(moment(edited(project, set__sweep__on=True), 1), 48, 32, "passes")
    film = exposed_with(scene, tracer, 4, 1)
    seen = film.subject > 0.9
    assert not film.looks_alike[seen].any()
    assert film.looks_alike[film.subject == 0].mean() > 0.9


def _film_of(albedo: np.ndarray, depth: np.ndarray) -> Film:
    """A film of eight samples that shows surfaces of an albedo and a distance (h, w)."""
    film = Film(albedo.shape[1], albedo.shape[0])
    film.count[:] = 8
    film.sums[:, 3:6] = 8 * albedo.reshape(-1, 1)
    film.sums[:, 9], film.sums[:, 10] = 8 * depth.ravel(), 8
    return film


def test_small_print_gets_samples_and_nothing_else_does() -> None:
    """Strokes a pixel wide count; a soft gradient, an edge between near and far, and bare paper do not. Where all is
    print, only so many tiles get more that the whole takes a few per cent more."""
    y, x = np.mgrid[0:512, 0:512]
    albedo, depth = np.where(x < 256, 0.2, 0.8) * (0.8 + 0.2 * y / 512), np.where(x < 256, 1.0, 2.0)
    assert not small_print(_film_of(albedo, depth)).any()
    strokes = (slice(96, 104), slice(320, 352))
    printed = albedo.copy()
    printed[strokes] = np.where(x[strokes] % 2, 0.05, 0.8)
    tiles = small_print(_film_of(printed, depth))
    assert tiles[12, 40:44].all()
    around = np.zeros_like(tiles)
    around[11:14, 39:45] = True
    assert not (tiles & ~around).any()
    crowded = small_print(_film_of(np.where((x + y) % 2 == 0, 0.1, 0.8) + 1e-4 * y / 512, np.ones_like(albedo)))
    assert 0 < crowded.sum() * (2**PRINT_DOUBLINGS - 1) <= PRINT_SHARE * crowded.size
