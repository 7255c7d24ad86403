"""Lights that reach through the set where the picture shows it are told of; those that stand freely are not."""

import numpy as np
import pytest
from tests.conftest import edited
from tests.core.review.test_call_sheet import MEASURES, done, odd, sheet, with_ball

from cyclorama.core.commands.camera import FitSubject
from cyclorama.core.commands.keys import SetKey
from cyclorama.core.commands.standing import Centre, StandOnFloor
from cyclorama.core.framing import cuts, hides
from cyclorama.core.light.rows import light_row
from cyclorama.core.light.standing import outline
from cyclorama.core.review import review
from cyclorama.core.scene import Aim, Light, Project, Sweep

AIM = Aim(x_m=0.0, y_m=0.1, z_m=0.0)
PANEL = {"azimuth_deg": 180.0, "elevation_deg": 0.0, "distance_m": 0.8, "width_m": 0.3, "height_m": 0.6}


def lit_by(move: str = "hold", **values: object) -> Project:
    """A ball on a round sweep, seen from azimuth 0; one light behind it."""
    project = done(done(done(with_ball(move=move), Centre()), StandOnFloor()), FitSubject())
    light = Light(id="panel", name="Panel", aim=AIM, **values)  # type: ignore[arg-type]
    return edited(project, look__lights=(light,), look__environment__on=False)


def stances(project: Project) -> dict[str, str]:
    return dict(review(project, MEASURES).stances)


def test_a_panel_goes_through_the_floor_in_a_line_as_wide_as_it_is() -> None:
    light = Light(id="panel", name="Panel", aim=AIM, **PANEL)  # type: ignore[arg-type]
    points = outline(light_row(light, np.array([0.0, 0.1, 0.0]), 0.0))
    floor, wall = cuts(Sweep(form="round", width_m=6, depth_m=6), points)
    assert np.abs(floor[:, 1:] - [0.0, -0.8]).max() < 1e-6
    assert [floor[:, 0].min(), floor[:, 0].max()] == pytest.approx([-0.15, 0.15], abs=1e-6)
    assert len(wall) == 0
    floor, wall = cuts(Sweep(form="straight", width_m=0.2, depth_m=6), points)
    assert np.abs(floor[:, 0]).max() <= 0.1  # only where there is floor


@pytest.mark.parametrize("form", ["round", "straight"])
def test_a_wall_hides_what_is_lower_than_its_edge_seen_from_the_subject(form: str) -> None:
    """From half a metre up, an edge 2.5 m high and 3 m off hides what is 9 m off up to 6.5 m."""
    sweep = Sweep(form=form, width_m=6, depth_m=6, height_m=2.5)  # type: ignore[arg-type]
    eye = np.array([0.0, 0.5, 0.0])
    for y, hidden in ((6.45, True), (6.55, False), (-0.1, True)):
        points = np.array([[-0.1, y, -9.0], [0.1, y, -9.0]])
        assert hides(sweep, points, eye) == hidden
        assert hides(sweep, points * [1, 1, -1], eye) == (hidden and form == "round")
    assert not hides(sweep, np.array([[0.0, 0.1, -2.9], [0.0, -0.1, -2.9]]), eye)  # some of it is before the wall


@pytest.mark.parametrize("shape", ["disc", "sphere", "tube"])
def test_round_lights_reach_as_far_as_they_are_large(shape: str) -> None:
    light = Light(id="round", name="Round", shape=shape, elevation_deg=0.0, distance_m=2.0, width_m=0.5, height_m=0.1)  # type: ignore[arg-type]
    points = outline(light_row(light, np.array([0.0, 1.0, 0.0]), 0.0))
    half_m = 0.05 if shape == "tube" else 0.25
    assert points[:, 1].min() == pytest.approx(1.0 - half_m, abs=1e-6)
    assert points[:, 0].max() == pytest.approx(0.25, abs=1e-6)


@pytest.mark.parametrize(
    ("values", "expected"),
    [
        (PANEL, {"Panel": "floor"}),
        (PANEL | {"elevation_deg": 30.0}, {}),
        (PANEL | {"azimuth_deg": 0.0, "distance_m": 3.0}, {}),  # behind the camera
        (PANEL | {"excluded_parts": ("sweep",)}, {}),
        (PANEL | {"on": False}, {}),
        (PANEL | {"rides": "set"}, {"Panel": "floor"}),
        ({"azimuth_deg": 180.0, "elevation_deg": 10.0, "distance_m": 30.0}, {"Panel": "hidden"}),
        ({"azimuth_deg": 180.0, "elevation_deg": 10.0, "distance_m": 30.0, "shape": "sun"}, {}),
    ],
)
def test_a_light_in_the_set_is_told_of_where_it_is_seen(values: dict, expected: dict) -> None:
    project = lit_by(**values)
    assert stances(project) == expected
    told = sheet(project)["light"].hints if project.look.lit_lights else ()
    assert len(told) == len(expected)
    assert all(sentence in odd(project) for sentence in told)


def test_a_light_in_the_wall_is_told_of() -> None:
    project = edited(lit_by(), set__sweep__fillet_m=0.2)
    r = project.set.sweep.depth_m / 2
    ball = Light(
        id="ball", name="Ball", shape="sphere", aim=AIM, azimuth_deg=180.0, elevation_deg=0.0, distance_m=r, width_m=0.1
    )
    assert stances(edited(project, look__lights=(ball,), camera__elevation_deg=0.0)) == {"Ball": "wall"}


def test_lights_of_one_name_are_each_told_of() -> None:
    project = lit_by(**PANEL)
    (light,) = project.look.lights
    twins = edited(project, look__lights=(light, light.model_copy(update={"id": "twin"})))
    assert review(twins, MEASURES).stances == (("Panel", "floor"),) * 2


def test_it_is_told_of_when_it_is_seen_later() -> None:
    beside = PANEL | {"azimuth_deg": 90.0}
    assert stances(lit_by(**beside)) == {}
    assert stances(lit_by("orbit", **beside)) == {"Panel": "floor"}  # the camera comes round to it
    sinking = done(
        lit_by(**PANEL | {"elevation_deg": 30.0}), SetKey(path="look/lights/panel/elevation_deg", frame=1, value=30.0)
    )
    sinking = done(sinking, SetKey(path="look/lights/panel/elevation_deg", frame=200, value=0.0))
    assert stances(sinking) == {"Panel": "floor"}
