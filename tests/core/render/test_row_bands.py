"""A frame in bands is the frame."""

import numpy as np
import pytest
from tests.conftest import diffuse, edited, project_of, sphere

from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film import row_bands as tested
from cyclorama.core.render.film.film import Film
from cyclorama.core.render.film.frame import expose_frame
from cyclorama.core.render.film.row_bands import LEAST_PIXELS, bands_of, expose_band, expose_band_more, missing_of
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.render.trace.camera_rays import TILE
from cyclorama.core.scene import ShootSettings

KINDS = [
    {"shot/shoot/quality": "own", "shot/shoot/samples": 3, "shot/shoot/passes/wanted": ["lights", "objects"]},
    {"shot/shoot/quality": "print"},
    {"shot/shoot/quality": "fine", "shot/shoot/denoise_neighbours": True, "shot/shoot/background": "transparent"},
]


@pytest.mark.parametrize("kind", KINDS)
def test_bands_make_the_same_film(tracer: Tracer, monkeypatch: pytest.MonkeyPatch, kind: dict[str, object]) -> None:
    monkeypatch.setattr(tested, "LEAST_PIXELS", 1)
    project, assets = project_of(sphere(0.3, 32), diffuse(0.6))
    lit = {
        "look/lights": [{"id": "key", "name": "Key"}],
        "shot/shoot/width": 70,
        "shot/shoot/height": 90,
        "look/tone/ev100": 3.0,
    }
    here = moment(edited(project, {**lit, **kind}), 1)
    compiler = SceneCompiler(assets.__getitem__)
    whole = expose_frame(here, compiler, tracer)
    split = bands_of(here.shoot, 4)
    assert len(split) == 4
    films = [expose_band(here, compiler, tracer, band) for band in split]
    if here.shoot.wanted_quality is not None:
        doublings = missing_of(here, films)
        assert doublings.max() > 0
        films = [expose_band_more(here, compiler, tracer, b, f, doublings) for b, f in zip(split, films, strict=True)]
    joined = Film.of_rows(films)
    for name in ("count", "sums", "apart", "places", "ids"):
        assert np.array_equal(getattr(joined, name), getattr(whole, name)), name
    assert (joined.width, joined.height, joined.layers, joined.samples) == (70, 90, whole.layers, whole.samples)
    assert np.array_equal(joined.radiance, whole.radiance)


def test_a_frame_is_shared_out_by_whole_tiles_where_that_pays() -> None:
    large = ShootSettings(width=7680, height=4320)
    for count in (2, 7, 16):
        split = bands_of(large, count)
        assert [b.first for b in split] == [0, *(b.last for b in split[:-1])]
        assert split[-1].last == 4320
        assert len(split) == count
        assert all(b.first % TILE == 0 and b.last > b.first for b in split)
    assert len(bands_of(ShootSettings(width=1280, height=720), 100)) == 1280 * 720 // LEAST_PIXELS
    assert len(bands_of(ShootSettings(width=640, height=360), 100)) == 1
    # which samples come next is known of the whole only
    assert len(bands_of(large.model_copy(update={"noise_threshold": 0.02}), 8)) == 1
    assert bands_of(large, 0) == bands_of(large, 1)
