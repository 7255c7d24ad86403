"""The call sheet says what is true, and the readiness list finds what is odd."""

import numpy as np
import pytest
from tests.conftest import always, diffuse, edited, project_of, sphere
from tests.moving_models import still

from cyclorama.core.colour_temperature import white_balance_rgb
from cyclorama.core.commands import perform
from cyclorama.core.commands.camera import FitSubject, FocusOn, GreyAt, MeterSubject
from cyclorama.core.commands.place_model import put_on_set
from cyclorama.core.commands.standing import Centre, StandOnFloor
from cyclorama.core.commands.sweeps import WidenSweep
from cyclorama.core.commands.values import SetValue
from cyclorama.core.errors import ChangeError
from cyclorama.core.framing import SurfacePoint, View, set_edges
from cyclorama.core.geometry.cache_keys import Intake
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.measure import Measures, gap_m, measure
from cyclorama.core.light.balance import Apart
from cyclorama.core.light.placement import Surface
from cyclorama.core.motion import Moment, moment
from cyclorama.core.review import readiness, review, stations
from cyclorama.core.review.phrases import data_size
from cyclorama.core.review.stations import animation_sentence
from cyclorama.core.scene import Animation, Play, Project, new_project
from cyclorama.core.sequence.names import frame_name
from cyclorama.core.sequence.size import frame_bytes, reserve_bytes


class SomeEye:
    """Sees the top of the ball, lit by a warm lamp."""

    def meter(self, moments: list[Moment]) -> float | None:
        return 9.123

    def point(self, moment: Moment, x: float, y: float) -> SurfacePoint | None:
        return SurfacePoint(np.array([0.1, 0.2, 0.3]), "item-1" if y < 0.5 else None)

    def apart(self, moment: Moment, lights: tuple[str, ...]) -> Apart | None:
        """The first light reaches one side of the move, the second the other, half as strong."""
        side = 0.5 + 0.5 * np.cos(2 * np.pi * moment.since_first / 48)
        each = np.array([[0.3 * side] * 4, [0.15 * (1 - side)] * 4])[: len(lights)]
        return Apart(each, np.full(4, 0.02))

    def surface(self, moment: Moment, x: float, y: float) -> Surface | None:
        camera = moment.around.cameras[0][:3, 3]
        return Surface(np.array([0.0, 0.05, 0.05]), np.array([0.0, 0.0, 1.0]), camera) if y < 0.5 else None

    def colour(self, moment: Moment, x: float, y: float) -> np.ndarray | None:
        return 3 / white_balance_rgb(3000, 0.2)


class Blind:
    """Sees nothing."""

    def meter(self, moments: list[Moment]) -> float | None:
        return None

    def point(self, moment: Moment, x: float, y: float) -> SurfacePoint | None:
        return None

    def apart(self, moment: Moment, lights: tuple[str, ...]) -> Apart | None:
        return None

    def surface(self, moment: Moment, x: float, y: float) -> Surface | None:
        return None

    def colour(self, moment: Moment, x: float, y: float) -> np.ndarray | None:
        return None


def arrival(size: float) -> Intake:
    """A ball of a diameter, as it comes in."""
    return take_in({"ball.glb": still(sphere(size / 2, 32))})


BALL = sphere(0.2, 48)
MEASURES = measure(BALL.transformed(np.array([[1, 0, 0, 0.1], [0, 1, 0, 0.5], [0, 0, 1, 0], [0, 0, 0, 1.0]])))


def with_ball(**values: object) -> Project:
    bare, _ = project_of(BALL, diffuse())
    there = {"items": bare.items, "materials": bare.materials, "subject_id": bare.subject_id}
    return edited(edited(new_project("Test"), there), **values)


def sheet(project: Project, measures: Measures | None = MEASURES) -> dict:
    return {s.key: s for s in stations(review(project, measures))}


def odd(project: Project) -> str:
    return " ".join(readiness(review(project, MEASURES)).odd)


def done(project: Project, change) -> Project:  # type: ignore[no-untyped-def]
    return perform(project, change, always(MEASURES), SomeEye())[0]


def test_an_empty_studio() -> None:
    lines = sheet(new_project("Test"), None)
    assert lines["subject"].mark == "missing"
    assert lines["camera"].sentence.startswith("Orbit, 240 frames at 24/s = 10 s, closes exactly.")
    assert lines["light"].sentence == "Key, Fill and Rim; the rig stays on the set."


def test_wobble_and_gap_are_said_and_mended() -> None:
    project = with_ball()
    hints = sheet(project)["subject"].hints
    assert hints[0] == "Its centre lies 100 mm off the axis of the turn: it will wobble."
    assert hints[1] == "It floats 280 mm above the disc."
    project = done(done(project, Centre(method="box")), StandOnFloor())
    assert sheet(project)["subject"].mark == "ready"
    lower = edited(project, subject__placement__lift_m=project.subject.placement.lift_m - 0.004)
    assert sheet(lower)["subject"].hints == ("It cuts 4 mm into the disc.",)


def test_subject_stays_on_the_disc_when_the_disc_changes() -> None:
    project = done(done(with_ball(), Centre()), StandOnFloor())
    for path, value in (("set/disc/height_m", 0.08), ("set/disc/on", False)):
        project = done(project, SetValue(path=path, value=value))
        assert sheet(project)["subject"].mark == "ready"


def test_unit_and_axis_keep_it_standing_in_the_middle() -> None:
    project = with_ball()
    for name, value in (("unit_m", 0.001), ("up", "z")):
        project = done(project, SetValue(path=f"subject/placement/{name}", value=value))
    r = review(project, MEASURES)
    assert r.subject is not None
    assert r.subject.size_m == pytest.approx((0.0004,) * 3, rel=1e-2)
    assert abs(r.subject.gap_mm) < 1e-6
    assert r.subject.wobble_mm["box"] < 1e-9


def test_fit_and_meter() -> None:
    project = done(done(done(with_ball(), Centre()), StandOnFloor()), FitSubject())
    assert review(project, MEASURES).margins.worst == pytest.approx(project.shot.shoot.margin, abs=1e-4)
    assert done(project, MeterSubject()).look.tone.ev100 == 9.12
    with pytest.raises(ChangeError, match="no light on the subject"):
        perform(project, MeterSubject(), always(MEASURES), Blind())
    with pytest.raises(ChangeError, match="no subject yet"):
        perform(new_project("Test"), FitSubject(), always(None), Blind())


def test_a_small_subject_is_said() -> None:
    """Eight times as far away, a ball that filled 80 % of the height has about a tenth."""
    project = done(done(done(with_ball(), Centre()), StandOnFloor()), FitSubject())
    assert sheet(project)["camera"].hints == ()
    far = edited(project, camera__distance_m=project.camera.distance_m * 8)
    (said,) = [h for h in sheet(far)["camera"].hints if "is small" in h]
    assert said in [f"The subject is small: at most {n}% of the picture high or wide. Fit it." for n in (10, 11)]


def test_picking_in_the_picture() -> None:
    subject = done(with_ball(), FocusOn(frame=1, x=0.5, y=0.2))
    assert (subject.camera.focus_point_m, subject.camera.focus_m) == ((0.1, 0.2, 0.3), None)
    # what stands is focused by distance, along the axis of the lens
    floor = done(subject, FocusOn(frame=1, x=0.5, y=0.8)).camera
    pose = moment(subject, 1).around.cameras[0]
    assert floor.focus_point_m is None
    assert floor.focus_m == pytest.approx((pose[:3, 3] - [0.1, 0.2, 0.3]) @ pose[:3, 2], abs=1e-4)
    look = done(with_ball(), GreyAt(frame=1, x=0.5, y=0.5)).look.tone
    assert (look.white_k, look.white_tint) == (pytest.approx(3000, abs=5), pytest.approx(0.2, abs=0.01))
    for pick in (FocusOn(frame=1, x=0, y=0), GreyAt(frame=1, x=0, y=0)):
        with pytest.raises(ChangeError, match="nothing"):
            perform(with_ball(), pick, always(MEASURES), Blind())


def test_darkness_is_said() -> None:
    dark = with_ball(look__lights__key__on=False, look__lights__fill__on=False, look__lights__rim__on=False)
    assert sheet(dark)["light"].sentence == "Nothing shines: the picture will be black."
    assert sheet(dark)["light"].mark == "missing"
    assert "Every frame will be black" in odd(dark)
    assert "solo" in sheet(with_ball(look__lights__key__solo=True))["light"].hints[0]


@pytest.mark.parametrize(
    ("values", "expected"),
    [
        ({"move": "hold"}, "The camera does not move: all 240 frames will show the same."),
        ({"shot__shoot__to_frame": 241}, "Frame 241 is frame 1 again"),
        ({"shot__shoot__background": "transparent", "shot__shoot__file_format": "jpeg"}, "JPEG cannot hold alpha"),
        ({"shot__shoot__to_frame": 48}, "Only 48 of 240 frames"),
        ({"shot__shoot__width": 1281}, "1281×720 is odd-sized"),
        ({"camera__distance_m": 0.6}, "leaves the frame in"),
        ({"camera__elevation_deg": 0, "set__sweep__height_m": 0.3}, "The sweep ends inside the picture"),
    ],
)
def test_odd_shots_are_pointed_out(values: dict, expected: str) -> None:
    project = done(done(done(with_ball(), Centre()), StandOnFloor()), FitSubject())
    assert expected in odd(edited(project, **values))


def test_a_proper_shot_has_nothing_odd() -> None:
    project = done(done(done(with_ball(), Centre()), StandOnFloor()), FitSubject())
    ready = readiness(review(project, MEASURES), (6600, 900))
    assert ready.odd == ()
    assert ready.sentence == (
        "Will shoot 240 frames of ‘Orbit’ through ‘Camera 1’, 1280×720, PNG, 128 samples a pixel, about 1 h 50 min "
        "± 15 min, about "
        f"{data_size(240 * frame_bytes(project))} on disk."
    )
    empty = edited(project, shot__shoot__from_frame=9, shot__shoot__to_frame=3)
    assert readiness(review(empty, MEASURES)).blocking


def test_room_on_the_disk_is_part_of_readiness() -> None:
    project = done(done(done(with_ball(), Centre()), StandOnFloor()), FitSubject())
    r = review(project, MEASURES)
    need = 240 * frame_bytes(project) + reserve_bytes(project)
    assert readiness(r, free_bytes=need).odd == ()
    assert "wait for room" in " ".join(readiness(r, free_bytes=need - 1).odd)
    more = edited(project, shot__shoot__passes__wanted=["lights", "position"])
    assert frame_bytes(more) > 3 * frame_bytes(project)
    small = edited(project, shot__shoot__height=16)
    assert reserve_bytes(small) < reserve_bytes(project)
    assert reserve_bytes(edited(more, shot__shoot__width=8192)) == 10**9


def test_names_that_no_file_system_takes_are_said_before_the_first_frame() -> None:
    long = with_ball(name="x" * 80, shot__shoot__name_pattern="{project}{project}{project}_{shot}")
    (sentence,) = readiness(review(long, MEASURES)).blocking
    assert "Shorten" in sentence
    wide = with_ball(name="x", shot__shoot__name_pattern="帆" * 80)  # 240 bytes: fits, with number and ending
    assert readiness(review(wide, MEASURES)).blocking == ()
    wider = with_ball(name="x" * 20, shot__shoot__name_pattern="帆" * 71 + "{project}")
    assert readiness(review(wider, MEASURES)).blocking == ()
    assert readiness(review(with_ball(shot__shoot__name_pattern="{nobody}"), MEASURES)).blocking


def test_file_names() -> None:
    project = with_ball(
        name="Störm Gläss / No. 4", shot__shoot__padding=5, shot__shoot__name_pattern="{project}_{shot}_{width}"
    )
    assert frame_name(project, 7) == "storm-glass-no-4_orbit_1280.00007.png"
    with pytest.raises(ChangeError, match="field that is not known"):
        frame_name(edited(project, shot__shoot__name_pattern="{nobody}"), 1)
    with pytest.raises(ChangeError):
        frame_name(edited(project, shot__shoot__name_pattern="{project.__class__}"), 1)


@pytest.mark.parametrize(("size", "eye", "ev100"), [(0.04, SomeEye(), 9.12), (4.0, Blind(), 9.0)])
def test_the_first_model_decides_how_large_everything_is(size: float, eye: SomeEye | Blind, ev100: float) -> None:
    """Set, lights and camera grow with it; the exposure is metered where there is light."""
    placed = put_on_set(new_project("Test"), arrival(size), eye)
    assert placed.set.disc.radius_m == pytest.approx(0.75 * size, rel=0.02)
    assert placed.set.sweep.width_m == pytest.approx(12 * size, rel=0.02)
    assert [x.distance_m / size for x in placed.look.lights] == pytest.approx([3.2] * 3, rel=0.02)
    assert placed.look.tone.ev100 == ev100
    measures = arrival(size).room
    assert all(s.mark == "ready" for s in stations(review(placed, measures)) if s.key in ("subject", "set", "camera"))


def test_another_model_comes_to_the_set_as_it_is() -> None:
    first = put_on_set(new_project("Test"), arrival(0.5), SomeEye())
    first = edited(first, look__tone__ev100=7.0)
    second = put_on_set(first, arrival(0.3), SomeEye())
    assert (second.set, second.looks) == (first.set, first.looks)
    assert second.camera.distance_m < first.camera.distance_m
    assert gap_m(arrival(0.3).room, second.subject.placement, second.set.disc.height_m) == pytest.approx(0, abs=1e-9)


def test_the_call_sheet_says_how_an_animation_runs() -> None:
    def playing(**play: object) -> Project:
        animations = (Animation(id="a", name="Sway", seconds=3.0), Animation(id="b", name="Pose", seconds=0.0))
        project = edited(with_ball(), subject__animations=animations)
        return edited(project, subject__play=Play(**({"animation": "a"} | play)))  # type: ignore[arg-type]

    assert animation_sentence(playing()) == "Plays 3 times in the shot, at 0.9 × its speed, and closes."
    assert "closes exactly" in sheet(playing(), None)["camera"].sentence
    looped = playing(repeat="loop")
    assert animation_sentence(looped) == "Plays 3.33 times in the shot, at 1 × its speed."
    assert "does not close" in sheet(looped)["camera"].sentence
    assert any("is played 3.33 times" in h for h in sheet(looped)["subject"].hints)
    assert animation_sentence(playing(repeat="once", speed=2.0)) == "Lasts 1.50 s, then stands."
    assert animation_sentence(playing(animation="b")) == "It is a single pose."
    assert animation_sentence(with_ball()) == ""


@pytest.mark.parametrize("focal", [14.0, 35.0, 70.0, 200.0])
@pytest.mark.parametrize("size", [0.05, 2.0])
def test_a_first_model_gets_a_set_of_its_size(size: float, focal: float) -> None:
    """Camera and lights stand within the sweep, which fills every frame and is no wider than that takes."""
    empty = new_project("Test")
    empty = edited(empty, camera__focal_mm=focal)
    project = put_on_set(empty, arrival(size), SomeEye())
    sweep, edges = project.set.sweep, set_edges(View.of(project), project.set.sweep)
    assert edges.outside == []
    assert edges.ends == []
    farthest = max(project.camera.distance_m, *(light.distance_m for light in project.look.lights))
    assert farthest < sweep.width_m / 2 - 0.5 * sweep.fillet_m
    assert sweep.width_m < 2 * max(1.5 * farthest, 6.1 * size)


@pytest.mark.parametrize("form", ["round", "straight"])
def test_fitting_takes_the_camera_through_no_wall(form: str) -> None:
    """A long lens fits from far off: the sweep grows with it, in its proportions, in the same step."""
    project = edited(with_ball(), {"set/sweep/form": form, "camera/azimuth_deg": 180.0, "camera/distance_m": 1.0})
    project = edited(project, {"shot/rows": (), "set/sweep/width_m": 6.0, "set/sweep/depth_m": 6.0})
    assert done(project, FitSubject()).set == project.set  # there is room
    far = edited(project, {"camera/focal_mm": 200.0})
    after = done(far, FitSubject())
    before, now = far.set.sweep, after.set.sweep
    assert after.camera.distance_m > before.depth_m / 2
    assert set_edges(View.of(after), now).outside == []
    assert now.height_m / before.height_m == pytest.approx(now.depth_m / before.depth_m)
    assert now.depth_m / 2 == pytest.approx(1.4 * after.camera.distance_m, rel=0.05)


def test_a_sweep_is_widened_for_a_camera_behind_it() -> None:
    behind = edited(with_ball(), {"camera/distance_m": 40.0, "camera/elevation_deg": 3.0})
    assert "Widen the sweep." in sheet(behind)["set"].hints[-1]
    after = done(behind, WidenSweep())
    assert set_edges(View.of(after), after.set.sweep).outside == []
    with pytest.raises(ChangeError, match="large enough"):
        done(after, WidenSweep())
    with pytest.raises(ChangeError, match="No sweep is large enough"):
        done(edited(with_ball(), {"camera/distance_m": 19_900.0}), WidenSweep())
