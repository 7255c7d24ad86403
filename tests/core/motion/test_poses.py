"""Loops close exactly, at constant speed, with N distinct poses; what rides goes along."""

from fractions import Fraction

import numpy as np
import pytest
from tests.conftest import diffuse, edited, item_of

from cyclorama.core.motion import (
    FrameRate,
    Poses,
    acting_at,
    carriage_of,
    closes,
    loops,
    moment,
    poses_at,
    programme_of,
    rounds,
    rows_close,
    sampled_frames,
    stand_height_m,
    turned_deg,
)
from cyclorama.core.scene import Animation, AnimationPiece, Made, Play, Project, Row, Segment, new_project


def with_values(**values: object) -> Project:
    return edited(new_project("Test"), **values)


def all_poses(project: Project) -> Poses:
    return poses_at(project, project.shot, np.arange(project.shot.frames, dtype=float))


@pytest.mark.parametrize("frames", [1, 7, 48, 240, 1000])
def test_angles_are_exact(frames: int) -> None:
    shot = with_values(shot__frames=frames).shot
    angles = turned_deg(shot, "camera", np.arange(frames, dtype=float))
    assert [Fraction(a) for a in angles] == [Fraction(i * 360.0 / frames) for i in range(frames)]
    assert len(set(angles)) == frames
    assert angles.max() < 360


def test_loop_has_constant_speed_over_the_seam() -> None:
    """From every frame to the next, and from the last to the first, the camera goes one 240th of a turn."""
    project = with_values(shot__frames=240)
    cameras = all_poses(project).cameras
    azimuth = np.degrees(np.arctan2(cameras[:, 0, 3], cameras[:, 2, 3]))
    steps = (np.diff(azimuth, append=azimuth[:1]) + 180) % 360 - 180
    assert steps == pytest.approx(np.full(240, 1.5), abs=1e-9)
    assert moment(project, 241).around.cameras[0].tolist() == cameras[0].tolist()
    assert moment(project, 0).around.cameras[0].tolist() == cameras[239].tolist()
    assert [c.tolist() for c in moment(project, 240).around.cameras] == [cameras[i].tolist() for i in (239, 0, 238)]


def test_segments_follow_each_other() -> None:
    """Half a turn in 12 frames, a hold of 6, then what is left: a whole turn the other way round."""
    stretches = (
        Segment(id="a", kind="orbit", turns=0.5, frames=12),
        Segment(id="b", kind="hold", frames=6),
        Segment(id="c", kind="orbit", turns=-1.0),
    )
    project = with_values(shot__frames=36, shot__rows=(Row(id="camera", segments=stretches),))
    angles = turned_deg(project.shot, "camera", np.array([-1.0, 0, 6, 12, 15, 18, 27, 36, 37.5]))
    assert angles.tolist() == [-15.0, 0.0, 90.0, 180.0, 180.0, 180.0, 0.0, -180.0, -210.0]
    assert not rows_close(project, project.shot)
    # what does not close goes on instead of beginning again
    apart = moment(project, 36).around.cameras[1] - poses_at(project, project.shot, np.array([36.0])).cameras[0]
    assert np.abs(apart).max() == 0


def test_orbit_keeps_distance_and_aim() -> None:
    project = with_values(shot__frames=24, camera__azimuth_deg=30, camera__aim__x_m=0.3, camera__aim__z_m=-0.2)
    camera = project.camera
    aim = np.array([0.3, camera.aim.y_m, -0.2])
    for matrix in all_poses(project).cameras:
        assert np.linalg.norm(matrix[:3, 3] - aim) == pytest.approx(camera.distance_m)
        assert matrix[:3, :3] @ matrix[:3, :3].T == pytest.approx(np.eye(3), abs=1e-12)
        seen = (aim - matrix[:3, 3]) @ matrix[:3, :3]
        assert seen == pytest.approx([0, 0, -camera.distance_m], abs=1e-12)


def test_orbit_one_way_is_spin_the_other_way() -> None:
    """The camera in the disc's own space is the same for both."""
    orbit = all_poses(with_values(shot__frames=12, move="orbit"))
    spin = all_poses(with_values(shot__frames=12, move="spin", turns=-1))
    for i in range(12):
        a = np.radians(spin.disc_deg[i])
        turn = np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])
        assert turn.T @ spin.cameras[i, :3, :3] == pytest.approx(orbit.cameras[i, :3, :3], abs=1e-12)
        assert turn.T @ spin.cameras[i, :3, 3] == pytest.approx(orbit.cameras[i, :3, 3], abs=1e-12)


def test_azimuth_grows_counter_clockwise_seen_from_above() -> None:
    cameras = all_poses(with_values(shot__frames=4)).cameras
    assert cameras[0, :3, 3][2] > 0
    assert cameras[1, :3, 3][0] > 0


@pytest.mark.parametrize(
    ("what", "kind", "moves"),
    [("camera", "orbit", True), ("set", "orbit", False), ("subject", "spin", True), ("camera", "spin", False)],
)
def test_lights_travel_with(what: str, kind: str, moves: bool) -> None:
    poses = all_poses(with_values(move=kind, look__lights_travel_with=what, shot__frames=8))
    assert (np.ptp(poses.lights_deg) > 0) == moves


def test_rates() -> None:
    assert FrameRate(30000, 1001).seconds(30000) == Fraction(1001)
    assert str(FrameRate(24)) == "24"
    assert str(FrameRate(30000, 1001)) == "29.97"


def furnished() -> Project:
    """A plinth on the disc beside its middle, a pot on the plinth and a lamp on the floor."""
    plinth = item_of("", ("Top", "m"), id="plinth", name="Plinth", made=Made(height_m=0.4))
    pot = item_of("a" * 32, ("Pot", "m"), id="pot", name="Pot", rides="plinth")
    lamp = item_of("b" * 32, ("Lamp", "m"), id="lamp", name="Lamp", rides="set")
    project = edited(
        new_project("Test"), {"materials": (diffuse(),), "items": (pot, plinth, lamp), "subject_id": "pot"}
    )
    return edited(project, items__plinth__placement__x_m=0.5, items__pot__placement__x_m=0.6, set__disc__height_m=0.02)


def test_riders_stand_on_their_carrier_and_go_along() -> None:
    project = furnished()
    pot, plinth, lamp = project.items
    assert stand_height_m(project, lamp) == 0
    assert stand_height_m(project, plinth) == 0.02
    assert stand_height_m(project, pot) == 0.4  # the plinth has not been lifted onto the disc yet
    spun = edited(project, move="spin", shot__frames=4)
    assert [carriage_of(x, spun.shot, spun.items) for x in spun.items] == ["disc", "disc", ""]
    own = Row(id="plinth", segments=(Segment(id="s", kind="spin", turns=2.0),))
    both = edited(spun, shot__rows=(*spun.shot.rows, own))
    assert [carriage_of(x, both.shot, both.items) for x in both.items] == ["plinth", "plinth", ""]
    # after a frame of four the disc has turned by 90°, the plinth about its own axis by 180° more
    carried = all_poses(both).carried("plinth", both.items)[1]
    assert carried @ [0.5, 0, 0, 1] == pytest.approx([0, 0, -0.5, 1])
    assert carried @ [0.6, 0, 0, 1] == pytest.approx([0, 0, -0.4, 1])
    assert carried[:3, :3] @ carried[:3, :3].T == pytest.approx(np.eye(3), abs=1e-12)


def test_a_moment_is_what_is_seen() -> None:
    """Items that are on, the subject last, in the one colourway that they wear; lights aim at points."""
    project = furnished()
    night = project.items[0].variant.model_copy(update={"id": "night"})
    project = edited(
        project,
        {
            "subject/variants": (*project.items[0].variants, night),
            "subject/variant_id": "night",
            "items/lamp/on": False,
            "look/lights/key/aim/item": "plinth",
        },
    )
    here = moment(project, 1)
    assert [item.id for item in here.items] == ["plinth", "pot"]
    assert [v.id for v in here.items[1].variants] == ["night"]
    key = here.look.lights[0].aim
    assert (key.item, key.x_m, key.y_m, key.z_m) == (None, 0.5, pytest.approx(0.2 + 0.5), 0.0)
    assert here.camera.focus_m == project.camera.distance_m
    assert len(here.shutter) == 1


def test_a_long_move_is_looked_at_here_and_there() -> None:
    assert len(sampled_frames(with_values(shot__frames=1000).shot)) == 1000
    for frames in (1001, 99_991, 100_000):
        some = sampled_frames(with_values(shot__frames=frames).shot)
        assert len(some) <= 1000
        assert some[0] == 0
        assert len(set(np.diff(some))) == 1
        assert frames - some[-1] <= some[1]


def test_an_animation_runs_through_the_shot_as_it_is_told() -> None:
    """2 s of animation in a shot of 9 s at double speed: 9 rounds; at speed 0.75 exactly 3.375, or 3 whole ones."""
    moving = item_of("a" * 32, ("X", "m"), animations=(Animation(id="a", name="A", seconds=2),))
    still = edited(new_project("x"), {"materials": (diffuse(),), "items": (moving,), "subject_id": moving.id})
    rate = FrameRate(24)

    def project(**play: object) -> Project:
        return edited(still, subject__play=Play(animation="a", **play), shot__frames=216)  # type: ignore[arg-type]

    def at(p: Project, frames: np.ndarray) -> np.ndarray:
        assert p.subject
        acting = acting_at(p.subject, p.shot, rate, frames)
        assert all(len(one) == 1 and one[0][::2] == (0, 1.0) for one in acting)
        return np.array([one[0][1] for one in acting])

    frames = np.arange(217.0)
    fast = at(project(speed=2.0), frames)
    assert fast[:4] == pytest.approx(np.arange(4) / 12)
    assert fast[216] == fast[24] == fast[0] == 0
    assert loops(project(speed=2.0), project(speed=2.0).shot)
    whole = project(speed=0.75)
    assert rounds(whole.subject, whole.shot, rate) == 3
    assert at(whole, frames)[216] == 0
    loop = project(speed=0.75, repeat="loop", start_s=0.5)
    assert rounds(loop.subject, loop.shot, rate) == pytest.approx(3.375)
    assert at(loop, frames) == pytest.approx((0.5 + frames / 24 * 0.75) % 2)
    assert not loops(loop, loop.shot)
    assert closes(project(speed=2.0, repeat="loop").subject, loop.shot, rate)
    once = project(repeat="once")
    assert at(once, np.array([-3, 0, 24, 48, 216.0])) == pytest.approx([0, 0, 1, 2, 2])
    assert not loops(once, once.shot)
    slow = at(project(speed=0.01), frames)
    assert slow[216] == 0
    assert slow.max() < 2
    # while the shutter is open the moment knows the same times
    open_for = edited(loop, camera__shutter_deg=180.0)
    for number in (1, 100, 216):
        times = [one[0][1] for one in moment(open_for, number).playing["item-1"].acting(3)]
        assert times == pytest.approx(at(loop, number - 1 + np.array([-0.25, 0, 0.25])), abs=1e-12)


def test_pieces_follow_on_each_other_and_blend() -> None:
    """A 2 s animation from 0.5 s to 1.5 s, twice; then 3 s of another backwards at double speed, blended for half a
    second; again and again: 2 + 1.5 − 0.5 − 0.5 s a round."""
    moving = item_of(
        "a" * 32,
        ("X", "m"),
        animations=(Animation(id="a", name="A", seconds=2), Animation(id="b", name="B", seconds=3)),
    )
    then = AnimationPiece(id="then", animation="b", speed=2.0, reverse=True, blend_s=0.5)
    play = Play(animation="a", from_s=0.5, to_s=1.5, times=2, blend_s=0.5, then=(then,), repeat="loop")
    item = moving.model_copy(update={"play": play})
    programme = programme_of(item)
    assert programme
    assert programme.length_s == 2.5

    def says(at: float, *expected: tuple[int, float, float]) -> None:
        assert np.array(programme.acting(at)) == pytest.approx(np.array(expected), abs=1e-12)

    says(0.75, (0, 1.25, 1.0))
    says(1.25, (0, 0.75, 1.0))  # for the second time
    says(1.75, (0, 1.25, 0.5), (1, 2.5, 0.5))
    says(2.25, (1, 1.5, 1.0))
    says(2.75, (1, 0.5, 0.5), (0, 0.75, 0.5))  # the end leads into the beginning
    says(2.75 - 2.5, (1, 0.5, 0.5), (0, 0.75, 0.5))
    for seam in (0.0, 0.5, 1.5, 2.0, 2.5):  # nothing jumps: what comes in has no share yet, what goes out none any more
        before, after = (
            {(n, round(s, 6)): w for n, s, w in programme.acting(seam + by) if w > 1e-6} for by in (-1e-9, 1e-9)
        )
        assert before == pytest.approx(after)
    once = programme_of(item.model_copy(update={"play": play.model_copy(update={"repeat": "once"})}))
    assert once
    assert once.length_s == 3.0
    assert once.acting(0.25) == ((0, 0.75, 1.0),)
    assert once.acting(9.0) == ((1, 0.0, 1.0),)
    half = play.model_copy(update={"times": 1.5, "then": (), "repeat": "once"})
    assert programme_of(item.model_copy(update={"play": half})).acting(9.0) == ((0, 1.0, 1.0),)  # type: ignore[union-attr]
    for wrong in ({"animation": "c"}, {"animation": None, "then": (then,)}, {"animation": "a", "then": (then, then)}):
        with pytest.raises(ValueError, match=r"no such|stands at first|same id"):
            item_of("a" * 32, ("X", "m"), animations=moving.animations, play=Play(**wrong))  # type: ignore[arg-type]
