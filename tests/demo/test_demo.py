"""The made-up studio's models and projects are sound, and look like something."""

import functools

import numpy as np
import pytest
from PIL import Image
from tests.conftest import pixels_of

from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.geometry.normals import weld
from cyclorama.core.motion import moment_of_first
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.progressive import ProgressiveRenderer
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.review import review, stations
from cyclorama.core.scene import load_project
from cyclorama.demo.environments import harbour_dusk, north_light_studio
from cyclorama.demo.projects import DemoProject, lantern_project, storm_glass_project
from cyclorama.demo.write import NAMES, POSTERS, build_project

BUILD = {"Storm Glass": functools.cache(storm_glass_project), "Lantern": functools.cache(lantern_project)}


@pytest.fixture(params=BUILD)
def demo(request: pytest.FixtureRequest) -> DemoProject:
    return BUILD[request.param]()


def test_the_call_sheet_is_all_ready(demo: DemoProject) -> None:
    lines = stations(review(demo.project, demo.intake.measures))
    assert [(s.title, s.mark, s.hints) for s in lines] == [
        (t, "ready", ()) for t in ("Subject", "Set", "Camera", "Light", "Materials", "Shoot")
    ]
    assert load_project(demo.project.model_dump_json()) == demo.project


def test_glass_is_closed_and_looks_outwards(demo: DemoProject) -> None:
    """Otherwise light would be absorbed on the wrong side of its walls."""
    subject = demo.project.subject
    assert subject is not None
    mesh = Mesh.from_bytes(demo.intake.assets[subject.asset])
    clear = {m.id for m in demo.project.materials if m.transmission_weight > 0.5}
    parts = [i for i, worn in enumerate(subject.variant.parts) if worn.material in clear]
    assert parts
    for part in parts:
        t = mesh.triangles[mesh.part == part]
        position, _ = weld(mesh.vertices)
        c = position[t]
        edges = np.concatenate([c[:, [0, 1]], c[:, [1, 2]], c[:, [2, 0]]])
        there = {tuple(e) for e in edges}
        assert all((b, a) in there for a, b in there)  # every edge is met by a face that runs the other way
        v = mesh.vertices[t].astype(float)
        assert np.einsum("ij,ij->i", v[:, 0], np.cross(v[:, 1], v[:, 2])).sum() > 0


def test_textures_have_coordinates(demo: DemoProject) -> None:
    subject = demo.project.subject
    assert subject is not None
    mesh = Mesh.from_bytes(demo.intake.assets[subject.asset])
    mapped = {m.id for m in demo.project.materials if m.maps.base_color}
    for i, worn in enumerate(subject.variant.parts):
        if worn.material in mapped:
            assert np.ptp(mesh.uvs[mesh.triangles[mesh.part == i]].reshape(-1, 2), axis=0).min() > 0.3
    assert demo.intake.report.triangles > 100_000


def test_environments_have_range() -> None:
    for picture in (north_light_studio(64), harbour_dusk(64)):
        luminance = picture @ np.array([0.2126, 0.7152, 0.0722])
        assert picture.shape == (64, 128, 3)
        assert luminance.min() > 0
        assert luminance.max() > 10 * luminance.mean()
        assert np.abs(picture[:, 0] - picture[:, -1]).max() < 0.35 * luminance.max()  # no seam behind the camera


@pytest.mark.parametrize("key", NAMES)
def test_the_poster_that_ships_shows_the_project(key: str, tracer: Tracer) -> None:
    """A change of a demo project wants its poster anew: tools/shipped_pictures.py."""
    demo = build_project(key)
    first = moment_of_first(demo.project)
    read = {**demo.assets, **demo.intake.assets}.__getitem__
    shown = ProgressiveRenderer(SceneCompiler(read), tracer).still(first, 96, 54, 16, lambda: False)
    ours = pixels_of(shown.jpeg)
    with Image.open(POSTERS / f"{key}.jpg") as image:
        shipped = np.asarray(image.convert("RGB").resize((96, 54), Image.Resampling.BOX), float)
    assert np.abs(ours - shipped).mean() < 6.0
    assert np.corrcoef(ours.ravel(), shipped.ravel())[0, 1] > 0.92
