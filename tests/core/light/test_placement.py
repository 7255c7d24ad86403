"""Lights put where their reflection is wanted, against analytic mirrors."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cyclorama.core.light.placement import (
    GRAZING_DEG,
    LightPosition,
    Surface,
    grazing,
    grazing_direction,
    mirror_position,
    stand_for,
)
from cyclorama.core.light.rows import direction

angles = st.floats(-180.0, 180.0), st.floats(-80.0, 80.0)
EYE = np.array([0.3, 1.2, 4.0])


def place_of(stand: LightPosition, aim: np.ndarray, distance: float) -> np.ndarray:
    return aim + distance * direction(stand.azimuth_deg, stand.elevation_deg)


def test_in_a_level_mirror_a_light_stands_where_the_image_of_the_eye_looks_from() -> None:
    """The eye below the mirror, the point and the light lie on one line."""
    point, aim = np.array([0.2, 0.0, 0.1]), np.array([0.0, 0.4, 0.0])
    surface = Surface(point, np.array([0.0, 1.0, 0.0]), EYE)
    stand = stand_for(point, mirror_position(surface), aim, 2.0, 0.0)
    light = place_of(stand, aim, 2.0)
    image = EYE * [1, -1, 1]
    assert np.cross(light - image, point - image) == pytest.approx(np.zeros(3), abs=1e-9)
    assert stand.off_deg == pytest.approx(0.0, abs=1e-6)


@settings(max_examples=60, deadline=None)
@given(where=st.tuples(*angles), distance=st.floats(0.6, 20.0))
def test_on_a_ball_the_normal_halves_the_angle(where: tuple[float, float], distance: float) -> None:
    """For any place of a ball that the eye sees, the normal lies in the middle between eye and light."""
    normal = direction(*where)
    point, aim = 0.5 * normal, np.zeros(3)
    view = (EYE - point) / np.linalg.norm(EYE - point)
    if normal @ view < 0.02:
        return
    stand = stand_for(point, mirror_position(Surface(point, normal, EYE)), aim, distance, None)
    to_light = place_of(stand, aim, distance) - point
    if stand.off_deg < 1e-6:
        middle = view + to_light / np.linalg.norm(to_light)
        assert np.linalg.norm(np.cross(middle / np.linalg.norm(middle), normal)) == pytest.approx(0.0, abs=1e-6)
    else:  # only where it would have to stand straight above or below
        assert abs(stand.elevation_deg) == pytest.approx(89.0, abs=1e-6)


def test_where_no_place_is_the_nearest_one_is_told() -> None:
    down = np.array([0.6, -0.8, 0.0])
    stand = stand_for(np.array([0.0, 0.3, 0.0]), down, np.array([0.0, 0.3, 0.0]), 1.0, 0.02)
    assert 0.3 + np.sin(np.radians(stand.elevation_deg)) == pytest.approx(0.02)
    assert stand.azimuth_deg == pytest.approx(90.0)
    assert stand.off_deg == pytest.approx(np.degrees(np.arcsin(0.8)) - np.degrees(np.arcsin(0.28)), abs=1e-6)
    # a place of the set too far out for the light to reach the line: as near to it as it comes
    far = stand_for(np.array([5.0, 0.0, 0.0]), np.array([0.0, 1.0, 0.0]), np.zeros(3), 1.0, None)
    assert far.azimuth_deg == pytest.approx(90.0)
    assert far.off_deg == pytest.approx(90.0, abs=1.0)
    sun = stand_for(np.array([5.0, 0.0, 0.0]), direction(40.0, 30.0), np.zeros(3), None, 0.0)
    assert sun == pytest.approx((40.0, 30.0, 0.0), abs=1e-9)


def test_a_light_grazes_from_the_side_on_which_it_stands() -> None:
    normal = np.array([0.0, 0.0, 1.0])
    surface = Surface(np.zeros(3), normal, EYE)
    for light in (np.array([3.0, 0.5, 2.0]), np.array([-1.0, 4.0, 0.1]), np.array([0.0, 0.0, 5.0])):
        towards = grazing(surface, light)
        assert np.degrees(np.arcsin(towards @ normal)) == pytest.approx(GRAZING_DEG)
        assert np.linalg.norm(towards) == pytest.approx(1.0)
        assert towards @ light > 0


def test_the_edge_of_a_shadow_passes_the_hull_and_is_the_nearest_that_does() -> None:
    """Past a ball: the angle between the direction and its middle is asin(r / d), and the light turns least."""
    rng = np.random.default_rng(3)
    ball = rng.normal(size=(6000, 3))
    hull = 0.5 * ball / np.linalg.norm(ball, axis=1, keepdims=True) + [0, 0.5, 0]
    for point, light in (
        ((1.5, 0.0, 0.4), (-2.0, 3.0, 0.0)),
        ((-1.0, 0.0, 2.0), (0.5, 0.9, -2.0)),
        ((2.0, 0.0, 0.0), (3.0, 3.0, 1.0)),
    ):
        towards = grazing_direction(np.array(point), hull, np.array(light))
        assert towards is not None
        middle = np.array([0, 0.5, 0]) - point
        seen = math.asin(0.5 / np.linalg.norm(middle))
        middle = middle / np.linalg.norm(middle)
        assert math.acos(towards @ middle) == pytest.approx(seen, abs=0.02)
        # least turned: it lies in the plane of the light and the ball's middle
        now = (np.array(light) - point) / np.linalg.norm(np.array(light) - point)
        across = np.cross(now, middle)
        assert abs(float(towards @ across) / np.linalg.norm(across)) < 0.05
    assert grazing_direction(np.array([0.1, 0.5, 0.0]), hull, np.array([3.0, 3.0, 3.0])) is None
