"""A light that was picked out of the surroundings, in the traced picture."""

import math

import numpy as np
import pytest
from tests.conftest import diffuse, exposed, plane, project_of

from cyclorama.core.commands.surroundings import Pick, edit_environment, with_picked_light, with_surroundings
from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.light.studio_environments import directions
from cyclorama.core.motion import moment
from cyclorama.core.picture.exr import encode_exr
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Project, put_all


def _mean(tracer: Tracer, project: Project, assets: dict[str, bytes]) -> np.ndarray:
    """Radiance (3,) of a plane that fills the picture, in its middle, where lights aim."""
    scene = SceneCompiler(assets.__getitem__).compile(moment(project, 1), 9, 5)
    film = exposed(tracer, scene, 30_000)
    return np.asarray(film.radiance, np.float64)[2, 4]


@pytest.mark.parametrize("radius", [4.0, 24.0])
def test_the_light_gives_what_the_picture_gave(tracer: Tracer, radius: float) -> None:
    """A warm disc, from the side, in surroundings that are turned and leant over: a sun, and a panel."""
    project, assets = project_of(plane(y=0.5), diffuse(0.6))
    azimuth, elevation = (np.radians(a) for a in directions(256))
    at = np.radians([35.0, 48.0])
    cosine = np.sin(elevation) * math.sin(at[1]) + np.cos(elevation) * math.cos(at[1]) * np.cos(azimuth - at[0])
    shining = cosine > math.cos(math.radians(radius))
    picture = np.where(shining[..., None], np.array([30.0, 18.0, 7.0]), 0.15).astype(np.float32)
    asset = content_hash(encode_exr(picture))
    project = put_all(
        with_surroundings(project, asset, "Disc"),
        {
            "look/environment/rotation_deg": 70.0,
            "look/environment/tilt_deg": 12.0,
            "look/environment/strength_stops": -1.0,
            "camera/elevation_deg": 60.0,
        },
    )
    assets[asset] = encode_exr(picture)
    before = _mean(tracer, project, assets)
    after, _, region = edit_environment(picture, Pick(x=0.5 + 35.0 / 360.0, y=0.5 - 48.0 / 180.0))
    assert region is not None
    other = content_hash(encode_exr(after))
    picked = with_picked_light(with_surroundings(project, other, "Less"), picture, after, region)
    assert picked.look.lights[0].shape == ("sun" if radius < 15 else "rectangle")
    assets[other] = encode_exr(after)
    assert _mean(tracer, picked, assets) == pytest.approx(before, rel=0.01)
    gone = _mean(tracer, with_surroundings(project, other, "Less"), assets)
    assert (gone[:2] < 0.7 * before[:2]).all()  # it is the light that makes up for it
