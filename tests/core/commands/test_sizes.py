"""Subjects from a tenth of a millimetre to a kilometre: set, light and picture are the same but for the scale."""

import numpy as np
import pytest
from tests.conftest import sphere
from tests.core.geometry.test_intake import with_document
from tests.moving_models import still

from cyclorama.core.commands.place_model import put_on_set
from cyclorama.core.geometry.cache_keys import Intake
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.film import Film
from cyclorama.core.render.film.picking import PickProbe
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.review import review, stations
from cyclorama.core.scene import Project, new_project

USUAL = 0.3


def arrival(size: float) -> Intake:
    """A ball that glows a little, in the file's own unit."""

    def glow(document: dict) -> None:
        document["materials"] = [{"emissiveFactor": [0.3, 0.1, 0.0]}]
        document["meshes"][0]["primitives"][0]["material"] = 0

    return take_in({"ball.glb": with_document(still(sphere(size / 2, 48)), glow)})


def shown(tracer: Tracer, size: float) -> tuple[Project, Intake, np.ndarray]:
    """The project after arrival, and the scene-linear picture of its first frame as the exposure shows it."""
    intake = arrival(size)
    compiler = SceneCompiler(intake.assets.__getitem__)
    project = put_on_set(new_project("Test"), intake, PickProbe(compiler, tracer))
    film = Film(64, 36)
    tracer.expose(film, compiler.compile(moment(project, 1), 64, 36), 64)
    return project, intake, film.radiance


@pytest.mark.parametrize("size", [1e-4, 1.5e-3, 20.0, 300.0, 1000.0])
def test_any_size_gives_the_same_picture(tracer: Tracer, size: float) -> None:
    usual, _, wanted = shown(tracer, USUAL)
    project, intake, seen = shown(tracer, size)
    scale = size / USUAL
    assert project.look.tone.ev100 == pytest.approx(usual.look.tone.ev100, abs=0.05)
    assert project.camera.distance_m == pytest.approx(usual.camera.distance_m * scale, rel=1e-3)
    assert project.set.sweep.width_m == pytest.approx(usual.set.sweep.width_m * scale, rel=1e-3)
    assert seen.mean() == pytest.approx(wanted.mean(), rel=0.02)
    assert np.abs(seen - wanted).mean() < 0.12 * wanted.mean()  # noise of 64 samples
    sheet = {s.key: s for s in stations(review(project, intake.measures))}
    assert not sheet["subject"].hints + sheet["set"].hints + sheet["camera"].hints
    assert " 0 × " not in sheet["subject"].sentence
