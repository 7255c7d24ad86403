"""Loops close exactly, at constant speed, with N distinct poses."""

from fractions import Fraction

import numpy as np
import pytest

from cyclorama.core.motion import FrameRate, animation_s, closes, frame_angles_deg, pose_project, rounds
from cyclorama.core.scene import Animation, Play, Project, SetValue, Subject, apply_set, new_project


def with_values(**values: object) -> Project:
    project = new_project("Test")
    for path, value in values.items():
        project = apply_set(project, SetValue(path=path.replace("__", "/"), value=value))  # type: ignore[arg-type]
    return project


@pytest.mark.parametrize("frames", [1, 7, 48, 240, 1000])
def test_angles_are_exact(frames: int) -> None:
    angles = frame_angles_deg(frames)
    assert [Fraction(a) for a in angles] == [Fraction(i * 360.0 / frames) for i in range(frames)]
    assert len(set(angles)) == frames
    assert angles.max() < 360


def test_loop_has_constant_speed_over_the_seam() -> None:
    """From every frame to the next, and from the last to the first, the camera goes one 240th of a turn."""
    poses = pose_project(with_values(move__frames=240))
    azimuth = np.degrees(np.arctan2(poses.cameras[:, 0, 3], poses.cameras[:, 2, 3]))
    steps = (np.diff(azimuth, append=azimuth[:1]) + 180) % 360 - 180
    assert steps == pytest.approx(np.full(240, 1.5), abs=1e-9)
    assert poses.at(241).camera.tolist() == poses.cameras[0].tolist()
    assert poses.at(0).camera.tolist() == poses.cameras[239].tolist()


def test_orbit_keeps_distance_and_aim() -> None:
    project = with_values(move__frames=24, move__start_azimuth_deg=30)
    camera = project.camera
    aim = np.array([0, camera.target_height_m, 0])
    for matrix in pose_project(project).cameras:
        assert np.linalg.norm(matrix[:3, 3] - aim) == pytest.approx(camera.distance_m)
        assert matrix[:3, :3] @ matrix[:3, :3].T == pytest.approx(np.eye(3), abs=1e-12)
        seen = (aim - matrix[:3, 3]) @ matrix[:3, :3]
        assert seen == pytest.approx([0, 0, -camera.distance_m], abs=1e-12)


def test_orbit_one_way_is_spin_the_other_way() -> None:
    """The camera in the subject's own space is the same for both."""
    orbit = pose_project(with_values(move__frames=12, move__kind="orbit"))
    spin = pose_project(with_values(move__frames=12, move__kind="spin", move__direction="clockwise"))
    for i in range(12):
        a = np.radians(spin.subject_deg[i])
        turn = np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])
        assert turn.T @ spin.cameras[i, :3, :3] == pytest.approx(orbit.cameras[i, :3, :3], abs=1e-12)
        assert turn.T @ spin.cameras[i, :3, 3] == pytest.approx(orbit.cameras[i, :3, 3], abs=1e-12)


def test_azimuth_grows_counter_clockwise_seen_from_above() -> None:
    poses = pose_project(with_values(move__frames=4))
    assert poses.cameras[0, :3, 3][2] > 0
    assert poses.cameras[1, :3, 3][0] > 0


@pytest.mark.parametrize(("what", "kind", "moves"), [("camera", "orbit", True), ("set", "orbit", False),
                                                     ("subject", "spin", True), ("camera", "spin", False)])  # fmt: skip
def test_lights_travel_with(what: str, kind: str, moves: bool) -> None:
    poses = pose_project(with_values(move__kind=kind, move__lights_travel_with=what, move__frames=8))
    assert (np.ptp(poses.lights_deg) > 0) == moves


def test_rates() -> None:
    assert FrameRate(30000, 1001).seconds(30000) == Fraction(1001)
    assert str(FrameRate(24)) == "24"
    assert str(FrameRate(30000, 1001)) == "29.97"


def test_an_animation_runs_through_the_shot_as_it_is_told() -> None:
    """2 s of animation in a shot of 9 s at double speed: 9 rounds; at speed 0.75 exactly 3.375, or 3 whole ones."""
    moving = Subject(
        asset="a" * 32, source_name="x.glb", parts=(), animations=(Animation(id="a", name="A", seconds=2),)
    )

    def project(**play: object) -> Project:
        subject = moving.model_copy(update={"play": Play(animation="a", **play)})  # type: ignore[arg-type]
        move = new_project("x").move.model_copy(update={"frames": 216})
        return new_project("x").model_copy(update={"subject": subject, "move": move})

    frames = np.arange(217.0)
    fast = animation_s(project(speed=2.0), frames)
    assert fast[:4] == pytest.approx(np.arange(4) / 12)
    assert fast[216] == fast[24] == fast[0] == 0
    assert closes(project(speed=2.0))
    whole = project(speed=0.75)
    assert rounds(whole) == 3
    assert animation_s(whole, frames)[216] == 0
    loop = project(speed=0.75, repeat="loop", start_s=0.5)
    assert rounds(loop) == pytest.approx(3.375)
    assert animation_s(loop, frames) == pytest.approx((0.5 + frames / 24 * 0.75) % 2)
    assert not closes(loop)
    assert closes(project(speed=2.0, repeat="loop"))
    once = project(repeat="once")
    assert animation_s(once, np.array([-3, 0, 24, 48, 216.0])) == pytest.approx([0, 0, 1, 2, 2])
    assert not closes(once)
    slow = animation_s(project(speed=0.01), frames)
    assert slow[216] == 0
    assert slow.max() < 2
