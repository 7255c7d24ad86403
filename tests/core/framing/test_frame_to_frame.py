"""How a move looks from frame to frame, against geometry."""

import math

import numpy as np
import pytest

from cyclorama.core.framing import Projection, SubjectTravel, View, travel_of
from cyclorama.core.scene import Project, Row, Segment, new_project, put_all


def shot(kind: str, frames: int = 48, **more: object) -> Project:
    segment = Segment(id="a", kind=kind, **more)  # type: ignore[arg-type]
    return put_all(
        new_project("Travel"),
        {
            "shot/frames": frames,
            "shot/rows": (Row(id="disc" if kind == "spin" else "camera", segments=(segment,)),),
            "camera/elevation_deg": 0.0,
            "camera/distance_m": 2.0,
            "camera/aim/y_m": 0.5,
        },
    )


def travelled(project: Project, points: np.ndarray) -> SubjectTravel:
    return travel_of(project, View.of(project), points)


AIM = np.array([[0.0, 0.5, 0.0]])


def test_an_orbit_goes_and_turns_as_fast_as_its_circle() -> None:
    project = shot("orbit")
    travel = travelled(project, AIM)
    assert travel.camera_m_s == pytest.approx(np.full(48, 2 * 2.0 * math.sin(math.pi / 48) * 24))  # chords
    assert travel.turn_deg_s == pytest.approx(np.full(48, 360 / 48 * 24))
    assert travel.px == pytest.approx(np.zeros(48), abs=1e-9)  # what it looks at stays where it is
    assert travel.most_px == pytest.approx(project.shot.shoot.width / 7 / 24)


def test_a_pan_takes_the_subject_through_the_picture() -> None:
    project = shot("pan", frames=10, by_deg=10.0)
    lens = Projection.of_project(project)
    travel = travelled(project, AIM)
    across = np.tan(np.radians(np.arange(11))) / lens.half_w * project.shot.shoot.width / 2
    assert travel.px[:9] == pytest.approx(np.diff(across)[:9])
    assert travel.camera_m_s == pytest.approx(np.zeros(10), abs=1e-9)


def test_a_spin_moves_the_rim_and_a_box_fills_its_share() -> None:
    project = put_all(shot("spin"), {"camera/focal_mm": 36.0, "shot/shoot/width": 1000, "shot/shoot/height": 1000})
    r = 0.5
    rim = np.array(
        [[r * math.sin(a), 0.5 + y, r * math.cos(a)] for a in np.radians(np.arange(0, 360, 7.5)) for y in (-0.25, 0.25)]
    )
    standing = travelled(put_all(project, {"shot/rows": ()}), rim)
    assert standing.px == pytest.approx(np.zeros(48))
    # a long side of 36 mm at 36 mm: half extent 0.5 at a distance of 1
    angles = np.radians(np.arange(0, 360, 7.5))
    wide = (r * np.sin(angles) / (2 - r * np.cos(angles))).max() / 0.5
    high = 0.25 / (2 - r) / 0.5
    assert standing.filled == pytest.approx(np.full(48, wide * high))


def test_points_behind_the_camera_count_for_nothing() -> None:
    travel = travelled(shot("orbit"), np.array([[0.0, 0.5, 5.0], [0.0, 0.5, 0.0]]))
    assert np.isfinite(travel.px).all()
    assert np.isfinite(travel.filled).all()
    assert travelled(shot("orbit"), np.zeros((0, 3))).filled == pytest.approx(np.zeros(48))
