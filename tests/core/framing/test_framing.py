"""Fit and margins against closed forms; where the set ends."""

import math

import numpy as np
import pytest
from tests.conftest import diffuse, edited, item_of, sphere

from cyclorama.core.errors import ChangeError
from cyclorama.core.framing import SetEdges, View, fit_subject, frame_margins, frames_inside, half_extent, set_edges
from cyclorama.core.framing.margins import Margins
from cyclorama.core.scene import Project, new_project


def studio(**values: object) -> Project:
    return edited(new_project("Test"), **values)


def margins_of(project: Project, points: np.ndarray) -> Margins:
    return frame_margins(View.of(project), points)


def edges_of(project: Project) -> SetEdges:
    return set_edges(View.of(project), project.set.sweep)


BALL = sphere(0.5, 128).vertices.astype(float)


def test_margin_of_a_ball() -> None:
    """A ball of radius r at distance d reaches tan(asin(r / d)) from the axis of the lens."""
    project = studio(camera__distance_m=4.0, camera__aim__y_m=0.0, camera__elevation_deg=0.0, shot__frames=16)
    half_w, half_h = half_extent(project.camera, 1280, 720)
    reach = math.tan(math.asin(0.5 / 4.0)) / min(half_w, half_h)
    margins = margins_of(project, BALL)
    assert margins.per_frame == pytest.approx(np.full(16, (1 - reach) / 2), abs=2e-4)


@pytest.mark.parametrize("size", [(1280, 720), (1080, 1080), (1080, 1920)])
@pytest.mark.parametrize("kind", ["orbit", "spin"])
def test_fit_touches_the_margin_in_the_worst_frame(size: tuple[int, int], kind: str) -> None:
    rng = np.random.default_rng(3)
    points = rng.uniform(-1, 1, (60, 3)) * [0.3, 0.6, 0.15] + [0.1, 0.6, 0]
    box = item_of("a" * 32, ("Box", "m"))
    held = {"materials": (diffuse(),), "items": (box,), "subject_id": box.id}  # what spins is an item
    project = studio(
        **held,
        move=kind,
        shot__frames=72,
        shot__shoot__width=size[0],
        shot__shoot__height=size[1],
        shot__shoot__margin=0.1,
        camera__elevation_deg=20.0,
    )
    fitted = fit_subject(project, points)
    margins = margins_of(fitted, points)
    assert margins.worst == pytest.approx(0.1, abs=1e-6)
    assert margins.per_frame.min() >= 0.1 - 1e-6
    nearer = edited(fitted, camera__distance_m=fitted.camera.distance_m * 0.99)
    assert margins_of(nearer, points).worst < 0.1


SIDE_ON = {"camera__distance_m": 3.0, "camera__focal_mm": 60.0, "camera__elevation_deg": 0.0}


def test_cut_off_frames_are_named() -> None:
    ear = np.array([[0.0, 0.5, 0.0], [0.9, 0.5, 0.0]])
    project = studio(**SIDE_ON, shot__frames=36)
    margins = margins_of(project, ear)
    # from azimuth a the ear is 0.9 cos a to the side, 3 − 0.9 sin a away; half the frame is 18/60 of that
    a = np.radians(np.arange(36) * 10.0)
    beside = np.abs(0.9 * np.cos(a)) / (3 - 0.9 * np.sin(a))
    assert margins.cut_frames == [int(i) + 1 for i in np.flatnonzero(beside > 18 / 60)]
    assert margins.per_frame == pytest.approx((1 - beside / 0.3) / 2, abs=1e-9)
    assert margins.worst_frame in (3, 17)  # the two are alike


def test_point_behind_the_camera_is_outside() -> None:
    assert margins_of(studio(camera__distance_m=0.2), np.array([[0.0, 0.5, 5.0]])).worst == -0.5


def test_nothing_to_fit_and_too_large() -> None:
    with pytest.raises(ChangeError, match="no subject"):
        fit_subject(studio(), np.zeros((0, 3)))
    with pytest.raises(ChangeError, match="too large"):
        fit_subject(studio(), BALL * 1e6)


def test_round_sweep_covers_until_the_wall_is_too_low() -> None:
    """From inside, looking level, the upper edge of the picture meets the wall at height h₀ + distance·tan."""
    values = {"camera__distance_m": 3.0, "camera__elevation_deg": 0.0, "camera__aim__y_m": 1.0, "shot__frames": 12}
    _, half_h = half_extent(studio().camera, 1280, 720)
    far = math.hypot(3.0 + 6.0, 0)  # the far wall of a sweep 12 m across
    needed = 1.0 + far * half_h
    assert edges_of(studio(**values, set__sweep__height_m=needed * 1.001)).ends == []
    assert len(edges_of(studio(**values, set__sweep__height_m=needed * 0.98)).ends) == 12


def test_straight_sweep_and_an_orbit_do_not_go_together() -> None:
    project = studio(set__sweep__form="straight", set__sweep__depth_m=3.0, camera__distance_m=2.5, shot__frames=24)
    edges = edges_of(project)
    assert 13 in edges.outside  # half way round, behind the wall
    assert 1 not in edges.outside
    assert edges.ends


def test_a_camera_inside_the_subject_is_noticed() -> None:
    """A long box is entered only where the orbit crosses it; turning the box instead is the same."""
    hull = np.array([[x, y, z] for x in (-1.0, 1.0) for y in (0.0, 1.0) for z in (-0.1, 0.1)])
    found = {}
    for kind in ("orbit", "spin"):
        box = item_of("a" * 32, ("Box", "m"))
        project = edited(new_project("Inside"), {"materials": (diffuse(),), "items": (box,), "subject_id": box.id})
        project = edited(project, move=kind, shot__frames=8, camera__distance_m=0.5, camera__elevation_deg=0.0)
        found[kind] = frames_inside(View.of(project), hull)
    assert found == {"orbit": [3, 7], "spin": [3, 7]}


def test_a_long_move_is_looked_at_here_and_there_and_told_whole() -> None:
    """100 000 frames: what lies between those looked at goes by its neighbours, and every frame is told of."""
    ear = np.array([[0.0, 0.5, 0.0], [0.9, 0.5, 0.0]])
    short, long = (
        margins_of(
            studio(camera__distance_m=3.0, camera__focal_mm=60.0, camera__elevation_deg=0.0, shot__frames=n), ear
        )
        for n in (1000, 100_000)
    )
    assert len(long.per_frame) == 1000
    assert long.per_frame == pytest.approx(short.per_frame, abs=1e-12)
    assert long.cut_frames == [100 * (n - 1) + k for n in short.cut_frames for k in range(1, 101)]
