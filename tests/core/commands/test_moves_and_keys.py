"""Keys, stretches, ready moves and the mending of loops as changes."""

import json
import struct
from itertools import pairwise
from typing import get_args

import numpy as np
import pytest
from scipy.spatial.transform import Rotation
from tests.core.review.test_call_sheet import Blind

from cyclorama.core.commands import Command
from cyclorama.core.commands.camera import AddCamera, FitSubject
from cyclorama.core.commands.keys import (
    CopyKeys,
    RemoveKey,
    ScaleKeys,
    SetKey,
    ShiftKeys,
    StretchKeys,
    channel_of,
    is_in_use,
    value_in_frame,
)
from cyclorama.core.commands.lists import Copy, Remove
from cyclorama.core.commands.made_items import AddItem
from cyclorama.core.commands.moves import AddSegment, ApplyMove, CloseGap, HoldEnds
from cyclorama.core.commands.paths import AddPath, AddPoint, BendPoint, DrawPath, SpeedCurve
from cyclorama.core.commands.perform import perform
from cyclorama.core.commands.saved_moves import UseMove, move_from_shot
from cyclorama.core.commands.shots import AddShot, Reframe, SetLength, SetRate
from cyclorama.core.commands.values import SetValue
from cyclorama.core.errors import ChangeError
from cyclorama.core.framing import View, frame_margins
from cyclorama.core.geometry.measure import Measures, measure, placed_hull
from cyclorama.core.geometry.primitives import build_made
from cyclorama.core.motion import aim_point, gaps, loops, moment, poses_at, values_at
from cyclorama.core.motion.curve import handles_of
from cyclorama.core.motion.move_glb import move_glb
from cyclorama.core.motion.paths import along
from cyclorama.core.scene import Aim, Channel, Item, Key, Project, load_project, new_project, put_all, value_at
from cyclorama.core.scene.delivery import Format
from cyclorama.core.scene.shot import MoveKind

STRENGTH = "look/lights/key/strength_stops"


def measures_of(item: Item | None) -> Measures | None:
    return measure(build_made(item.made)) if item is not None and item.made is not None else None


def done(project: Project, *changes: Command) -> Project:
    for change in changes:
        project, label = perform(project, change, measures_of, Blind())
        assert label
        assert load_project(project.model_dump_json()) == project
    return project


def with_box() -> Project:
    project = done(new_project("Moves"), AddItem(form="box"))
    return put_all(project, {"subject_id": project.items[0].id, "shot/frames": 48})


def keys_of(project: Project, path: str) -> list[tuple[int, float]]:
    channel = channel_of(project.shot, path)
    return [] if channel is None else [(k.frame, k.value[0]) for k in channel.keys]


def test_keys_are_set_moved_and_taken_away() -> None:
    project = new_project("Keys")
    full = f"looks/{project.look.id}/lights/key/strength_stops"
    project = done(project, SetKey(path=STRENGTH, frame=1, value=-2.0), SetKey(path=STRENGTH, frame=25, value=1.0))
    assert keys_of(project, full) == [(0, -2.0), (24, 1.0)]
    between = value_in_frame(project, full, 13)
    assert between == pytest.approx(-0.5)
    project = done(project, SetKey(path=STRENGTH, frame=13), SetKey(path=STRENGTH, frame=25, value=2.0))
    assert keys_of(project, full) == [(0, -2.0), (12, pytest.approx(-0.5)), (24, 2.0)]
    project = done(project, ShiftKeys(path=STRENGTH, frames=(13, 25), by=12))
    assert [n for n, _ in keys_of(project, full)] == [0, 24, 36]
    project = done(project, ShiftKeys(path=STRENGTH, frames=(1,), by=36))  # it comes to lie on another
    assert keys_of(project, full) == [(24, pytest.approx(-0.5)), (36, -2.0)]
    with pytest.raises(ChangeError, match="before the first frame"):
        done(project, ShiftKeys(path=STRENGTH, frames=(25,), by=-30))
    with pytest.raises(ChangeError, match="has no key in frame 7"):
        done(project, RemoveKey(path=STRENGTH, frame=7))
    project = done(project, RemoveKey(path=STRENGTH, frame=25), RemoveKey(path=STRENGTH, frame=37))
    assert keys_of(project, full) == []
    assert value_at(project, STRENGTH) == -2.0  # the last key leaves its value
    with pytest.raises(ChangeError, match="is not keyed"):
        done(project, RemoveKey(path=STRENGTH))
    with pytest.raises(ChangeError, match="must be at most"):
        done(project, SetKey(path=STRENGTH, frame=1, value=99))
    for path, said in {"shot/frames": "cannot change during", "camera/f_number": "is off"}.items():
        with pytest.raises(ChangeError, match=said):
            done(project, SetKey(path=path, frame=1))


@pytest.mark.parametrize("path", ["nothing", "looks", "camera/nothing", "E\u00b2/\u0010", "shots/a/b/c/d"])
def test_keys_of_what_is_no_value_are_refused(path: str) -> None:
    asked: list[Command] = [
        SetKey(path=path, frame=1),
        RemoveKey(path=path),
        ShiftKeys(path=path, frames=(1,), by=2),
        ScaleKeys(path=path, frames=(1,), about=0.0, factor=2.0),
        StretchKeys(path=path, frames=(1,), about=1, factor=2.0),
        CopyKeys(path=path, frames=(1,), by=2),
    ]
    for change in asked:
        with pytest.raises(ChangeError):
            done(with_box(), change)


def test_switches_colours_and_what_travels_are_keyed_as_they_are() -> None:
    project = done(
        new_project("Keys"),
        SetKey(path="look/lights/key/on", frame=1, value=False),
        SetKey(path="look/lights/key/on", frame=25, value=True),
    )
    assert [moment(project, n).look.lights[0].power > 0 for n in (1, 24, 25)] == [False, False, True]
    project = done(
        project,
        SetKey(path="look/lights/key/colour", frame=1, value=[1, 0, 0]),
        SetKey(path="look/lights/key/colour", frame=3, value=[0, 0, 1]),
    )
    assert moment(project, 2).look.lights[0].colour == (0.5, 0.0, 0.5)
    azimuth = f"cameras/{project.camera.id}/azimuth_deg"
    orbiting = value_in_frame(project, azimuth, 61)
    assert orbiting == pytest.approx(90)  # a quarter of 240 frames
    keyed = done(project, SetKey(path="camera/azimuth_deg", frame=61))
    assert keys_of(keyed, azimuth) == [(60, pytest.approx(90))]


def test_keys_go_with_removed_things_and_come_along_with_copies() -> None:
    project = done(new_project("Keys"), SetKey(path=STRENGTH, frame=1), Copy(path="shot"))
    assert len(project.shots) == 2
    assert all(len(shot.channels) == 1 for shot in project.shots)
    project = done(project, Remove(path="look/lights/key"))
    assert all(shot.channels == () for shot in project.shots)


@pytest.mark.parametrize("kind", [k for k in get_args(MoveKind) if k != "spin"])
def test_every_stretch_can_be_added_and_taken_away(kind: MoveKind) -> None:
    project = done(with_box(), AddSegment(move=kind))
    row = project.shot.rows[0]
    assert row.segments[-1].kind == kind
    assert moment(project, project.shot.first_frame + 47).camera.focal_mm > 0
    project = done(project, Remove(path=f"shot/rows/camera/segments/{row.segments[-1].id}"))
    assert len(project.shot.rows[0].segments) == 1
    project = done(project, Remove(path=f"shot/rows/camera/segments/{project.shot.rows[0].segments[0].id}"))
    assert project.shot.rows == ()


def test_a_change_of_rate_keeps_seconds_or_frames() -> None:
    project = done(
        new_project("Rates"),
        SetKey(path=STRENGTH, frame=1, value=0.0),
        SetKey(path=STRENGTH, frame=49, value=2.0),
        SetValue(path="shot/move/frames", value=96),
        SetValue(path="shot/shoot/to_frame", value=49),
    )
    seconds = done(project, SetRate(num=60))
    shot = seconds.shot
    assert (shot.frames, shot.rows[0].segments[0].frames, shot.shoot.to_frame) == (600, 240, 121)
    assert [k.frame for k in shot.channels[0].keys] == [0, 120]
    frames = done(project, SetRate(num=60, keep="frames"))
    assert frames.shots == project.shots
    ntsc = done(project, SetRate(num=24000, den=1001))
    assert ntsc.shots == project.shots  # a thousandth of 240 frames is less than half of one
    slow = done(project, SetRate(num=1))
    assert [k.frame for k in slow.shot.channels[0].keys] == [0, 2]
    assert done(slow, SetRate(num=24)).shot.frames == 240


def test_another_shot_is_opened_and_another_camera_shot_through() -> None:
    project = done(with_box(), AddShot(), AddCamera())
    first, second = project.shots
    assert project.shot_id == second.id
    assert (second.rows, second.frames) == (first.rows, first.frames)
    assert [c.id for c in project.cameras] == [first.camera_id, second.camera_id]
    moved = done(project, SetValue(path="camera/distance_m", value=7.0))
    assert [c.distance_m for c in moved.cameras] == [project.cameras[0].distance_m, 7.0]


def test_a_new_camera_begins_with_what_is_seen_in_the_frame() -> None:
    """Focal length and height are keyed; the camera made in frame 13 has what they are there, and no keys."""
    project = done(
        new_project("Cameras"),
        SetKey(path="camera/elevation_deg", frame=13, value=31.0),
        SetKey(path="camera/focal_mm", frame=1, value=50.0),
        SetKey(path="camera/focal_mm", frame=25, value=100.0),
    )
    seen = [value_in_frame(project, path, 13) for path in ("camera/focal_mm", "camera/elevation_deg")]
    assert seen[1] == 31.0
    assert 60 < seen[0] < 90
    other = done(project, AddCamera(frame=13))
    assert other.camera.id != project.camera.id
    assert [other.camera.focal_mm, other.camera.elevation_deg] == seen
    assert not any(c.path.startswith(f"cameras/{other.camera.id}/") for c in other.shot.channels)


def test_disc_and_items_only_turn() -> None:
    project = done(with_box(), AddSegment(move="spin", traveller="disc"))
    assert {row.id for row in project.shot.rows} == {"camera", "disc"}
    with pytest.raises(ChangeError, match="only spin and hold"):
        done(project, AddSegment(move="push", traveller="disc"))


@pytest.mark.parametrize("move", get_args(ApplyMove.model_fields["move"].annotation))
def test_ready_moves_keep_the_subject_inside_the_margin(move: str) -> None:
    project = done(with_box(), ApplyMove(move=move))  # type: ignore[arg-type]
    subject = project.subject
    assert subject is not None
    measures = measures_of(subject)
    assert measures is not None
    margins = frame_margins(View.of(project), placed_hull(measures, subject.placement))
    if move == "figure-eight ride":  # it lies where the camera stood
        assert len(project.paths) == 1
        return
    assert margins.worst == pytest.approx(project.shot.shoot.margin, abs=1e-6)
    assert np.isfinite(margins.per_frame).all()


@pytest.mark.parametrize("shape", get_args(AddPath.model_fields["shape"].annotation))
def test_paths_of_ready_shapes_are_ridden(shape: str) -> None:
    project = with_box()
    if shape == "camera to camera":
        project = done(project, AddCamera(), SetValue(path="camera/azimuth_deg", value=70.0))
    project = done(project, AddPath(shape=shape), AddSegment(move="ride"))  # type: ignore[arg-type]
    assert project.shot.rows[0].segments[-1].path_id == project.paths[0].id
    with pytest.raises(ChangeError, match="rides along a path"):
        done(project, Remove(path=f"paths/{project.paths[0].id}"))
    if len(project.paths[0].points) > 2:
        project = done(project, Remove(path=f"paths/{project.paths[0].id}/points/point-1"))
    assert np.isfinite(moment(project, 40).shutter.cameras).all()


def test_everything_on_the_set_is_brought_into_the_picture() -> None:
    project = done(with_box(), AddItem(form="ball"), SetValue(path="camera/distance_m", value=0.5))

    def least(project: Project) -> list[float]:
        hulls = [placed_hull(measure(build_made(x.made)), x.placement) for x in project.items if x.made]
        view = View.of(project)
        return [float(frame_margins(view, hull).per_frame.min()) for hull in (*hulls, np.concatenate(hulls))]

    assert least(project)[-1] < 0
    subject, whole = least(done(project, FitSubject())), least(done(project, FitSubject(keep="everything")))
    wanted = project.shot.shoot.margin
    assert subject[0] == pytest.approx(wanted, abs=2e-3)
    assert whole[-1] == pytest.approx(wanted, abs=2e-3)
    assert min(whole) > wanted - 2e-3 > subject[1]


def test_ends_are_held_while_the_move_stays_as_it_was() -> None:
    project = done(with_box(), SetKey(path=STRENGTH, frame=1, value=-2.0), SetKey(path=STRENGTH, frame=25, value=1.0))
    longer = done(project, HoldEnds(before=10, after=6))
    assert longer.shot.frames == project.shot.frames + 16
    times = np.arange(project.shot.frames, dtype=float)
    before, after = (poses_at(p, p.shot, times + by).cameras for p, by in ((project, 0), (longer, 10)))
    assert after == pytest.approx(before, abs=1e-9)
    (was,), (channel,) = project.shot.channels, longer.shot.channels
    assert values_at(channel, times + 10, 64) == pytest.approx(values_at(was, times, 48), abs=1e-12)
    ends = poses_at(longer, longer.shot, np.array([0.0, 9.0, 10.0, 58.0, 60.0, 63.0])).cameras
    assert ends[0] == pytest.approx(ends[2], abs=1e-12)
    assert ends[5] == pytest.approx(ends[3], abs=1e-12)
    assert [s.frames for s in done(longer, HoldEnds(before=2)).shot.rows[0].segments] == [12, None, 6]
    with pytest.raises(ChangeError, match="Frames"):
        done(put_all(project, {"shot/frames": 99_999}), HoldEnds(after=10_000))


def mended(project: Project) -> Project:
    """The project after the first fix that is offered, until none is needed."""
    for _ in range(6):
        found = gaps(project, project.shot)
        if not found:
            return project
        project = done(project, CloseGap(where=found[0].where, fix=found[0].fixes[0]))
    raise AssertionError(found)


def test_a_path_is_drawn_gets_points_and_handles() -> None:
    project = done(with_box(), DrawPath(points=((0, 0.5, 1), (1, 0.5, 1), (1, 0.5, 0))))
    path = project.paths[-1]
    before = along(path, np.linspace(0, 1, 50))[0]
    more = done(project, AddPoint(path=path.id, at=(1.0, 0.5, 0.4))).paths[-1]
    assert [(p.x_m, p.z_m) for p in more.points] == [(0, 1), (1, 1), (1, 0.4), (1, 0)]
    for point in path.points:
        for bends in ("free", "even", "smooth"):
            bent = done(project, BendPoint(path=path.id, point=point.id, bends=bends)).paths[-1]
            # it goes where it went; only handles that are even on both sides may differ a little
            assert along(bent, np.linspace(0, 1, 50))[0] == pytest.approx(before, abs=1e-3 if bends != "even" else 0.1)
    with pytest.raises(ChangeError, match="not there any more"):
        done(project, BendPoint(path=path.id, point="point-9", bends="free"))
    with pytest.raises(ChangeError, match="in one place"):
        done(project, DrawPath(points=((1, 1, 1), (1, 1, 1))))
    with pytest.raises(ChangeError, match="only one camera"):
        done(project, AddPath(shape="camera to camera"))


def test_the_speed_of_a_ride_is_drawn_as_a_curve() -> None:
    """Keyed evenly it is where it was; held back to a quarter in the middle it is there at a quarter of the path."""
    project = done(with_box(), AddPath(shape="circle"), AddSegment(move="ride"))
    row = next(r for r in project.shot.rows if r.id == "camera")
    ride = row.segments[-1]
    paced = done(project, SpeedCurve(segment=ride.id))
    (channel,) = paced.shot.channels
    frames = np.arange(project.shot.frames + 1.0)
    begins = channel.keys[0].frame
    there, paths = (poses_at(p, p.shot, frames).cameras[:, :3, 3] for p in (project, paced))
    assert paths[begins:] == pytest.approx(there[begins:], abs=1e-6)
    middle = (begins + channel.keys[1].frame) // 2
    late = done(paced, SetKey(path=channel.path, frame=middle + project.shot.first_frame, value=25.0))
    place = along(late.paths[-1], np.array([0.25]))[0][0]
    assert poses_at(late, late.shot, np.array([float(middle)])).cameras[0, :3, 3] == pytest.approx(place, abs=1e-6)
    assert not any("Along" in gap.what for gap in gaps(late, late.shot))
    with pytest.raises(ChangeError, match="Only a ride"):
        done(project, SpeedCurve(segment=row.segments[0].id))


def test_the_doctor_mends_what_does_not_close() -> None:
    project = with_box()
    part = done(project, SetValue(path="shot/move/turns", value=1.75), SetValue(path="shot/move/ease_in", value=0.5))
    assert [g.fixes for g in gaps(part, part.shot)] == [("whole turns",)]
    closed = mended(part)
    assert (closed.shot.rows[0].segments[0].turns, closed.shot.rows[0].segments[0].ease_in) == (2.0, 0.0)
    push = done(project, AddSegment(move="push"), AddSegment(move="zoom"))
    assert {g.unit for g in gaps(push, push.shot)} == {"m", "mm"}
    assert [s.kind for s in mended(push).shot.rows[0].segments] == ["orbit", "push", "zoom", "zoom", "push", "orbit"]
    lit = done(project, SetKey(path=STRENGTH, frame=1, value=0.0), SetKey(path=STRENGTH, frame=20, value=2.0))
    assert mended(lit).shot.channels[0].outside == "repeat"
    doubled = done(lit, SetKey(path=STRENGTH, frame=48, value=0.0))
    assert gaps(doubled, doubled.shot) == []
    with pytest.raises(ChangeError, match="closes already"):
        done(doubled, CloseGap(where="shots/x/rows/camera", fix="whole turns"))


def test_keys_are_copied_stretched_and_scaled() -> None:
    project = new_project("Keys")
    full = f"looks/{project.look.id}/lights/key/strength_stops"
    keys = ((1, -2.0), (11, 1.0), (21, 2.0))
    project = done(project, *(SetKey(path=STRENGTH, frame=n, value=v) for n, v in keys))
    copied = done(project, CopyKeys(path=STRENGTH, frames=(1, 11), by=30))
    assert keys_of(copied, full) == [(0, -2.0), (10, 1.0), (20, 2.0), (30, -2.0), (40, 1.0)]
    wider = done(project, StretchKeys(path=STRENGTH, frames=(1, 11, 21), about=1, factor=1.5))
    assert keys_of(wider, full) == [(0, -2.0), (15, 1.0), (30, 2.0)]
    together = done(project, StretchKeys(path=STRENGTH, frames=(1, 11, 21), about=1, factor=0.01))
    assert keys_of(together, full) == [(0, 2.0)]  # of those in one frame the last stays
    halved = done(project, ScaleKeys(path=STRENGTH, frames=(1, 21), about=1.0, factor=0.5))
    assert keys_of(halved, full) == [(0, -0.5), (10, 1.0), (20, 1.5)]
    beyond = done(project, ScaleKeys(path=STRENGTH, frames=(1,), factor=100))
    assert keys_of(beyond, full)[0] == (0, -12.0)  # as far as the value may go
    with pytest.raises(ChangeError, match="before the first frame"):
        done(project, StretchKeys(path=STRENGTH, frames=(1,), about=11, factor=2.0))
    with pytest.raises(ChangeError, match="has no key there"):
        done(project, CopyKeys(path=STRENGTH, frames=(5,), by=1))


def test_handles_lie_on_the_curve_that_is_drawn_through_them() -> None:
    """A stretch bent by hand to the handles that it had goes on as before."""
    project = new_project("Keys")
    keys = ((1, -2.0), (11, 1.0), (31, 2.0), (41, 0.0))
    project = done(project, *(SetKey(path=STRENGTH, frame=n, value=v) for n, v in keys))
    (channel,) = project.shot.channels
    frames = np.linspace(0, 40, 81)
    before = values_at(channel, frames, 240)
    handles = handles_of(channel, 240)
    at = f"shot/channels/{channel.id}/keys"
    for i, (key, after) in enumerate(pairwise(channel.keys)):
        span = after.frame - key.frame
        leaves = ((handles[i, 0, 0] - key.frame) / span, handles[i, 0, 1] - key.value[0])
        arrives = ((after.frame - handles[i, 1, 0]) / span, handles[i, 1, 1] - after.value[0])
        for name, value in (("goes", "custom"), ("leaves", list(leaves)), ("arrives", list(arrives))):
            project = done(project, SetValue(path=f"{at}/{key.id}/{name}", value=value))
    (bent,) = project.shot.channels
    assert values_at(bent, frames, 240) == pytest.approx(before, abs=1e-9)
    assert handles_of(bent, 240) == pytest.approx(handles, abs=1e-9)


def test_length_is_told_as_timecode() -> None:
    project = done(new_project("Length"), SetLength(path="shot/frames", timecode="00:00:08:12"))
    assert project.shot.frames == 204
    dropped = done(project, SetRate(num=30000, den=1001), SetLength(path="shot/frames", timecode="00:01:00;02"))
    assert dropped.shot.frames == 1800
    with pytest.raises(ChangeError, match="must be at least"):
        done(project, SetLength(path="shot/frames", timecode="00:00:00:00"))


def test_a_format_is_reframed_and_goes_with_its_keys() -> None:
    tall = Format(id="9x16", wide=9, high=16)
    project = with_box()
    beside = Aim(x_m=project.items[0].placement.x_m + 0.2, y_m=0.15)
    project = put_all(project, {"shot/formats": (tall,), "camera/aim": beside, "shot/rows": ()})
    project = done(project, SetKey(path="shot/formats/9x16/across", frame=1, value=0.5), Reframe(format="9x16"))
    assert project.shot.channels == ()
    assert project.shot.formats[0].across < -0.05  # the box stands to the left of the middle
    keyed = done(project, SetKey(path="shot/formats/9x16/across", frame=1, value=0.5), AddShot())
    assert keyed.shot.channels[0].path == f"shots/{keyed.shot.id}/formats/9x16/across"
    assert done(keyed, Remove(path="shot/formats/9x16")).shot.channels == ()


@pytest.mark.parametrize("name", ["three-quarter arc", "figure-eight ride", "hero push"])
def test_a_kept_move_is_the_same_again_and_grows_with_the_subject(name: str) -> None:
    """Where everything is twice as large, the camera goes the same way, twice as far."""
    project = done(
        with_box(),
        ApplyMove(move=name),
        SetKey(path="camera/focus_m", frame=1, value=1.0),  # type: ignore[arg-type]
        SetKey(path="camera/focus_m", frame=24, value=2.0),
    )
    move = move_from_shot(project, "Mine")
    frames = np.arange(48.0)
    before = poses_at(project, project.shot, frames).cameras
    again = done(put_all(project, {"shot/rows": (), "shot/channels": ()}), UseMove(move=move))
    assert poses_at(again, again.shot, frames).cameras == pytest.approx(before, abs=1e-9)
    aim = aim_point(project.camera.aim, project)
    twice = put_all(
        with_box(),
        {
            "camera/distance_m": 2 * project.camera.distance_m,
            "camera/aim": Aim(x_m=1.0, y_m=float(aim[1])),
            "camera/elevation_deg": project.camera.elevation_deg,
            "rate_num": 48,
            "shot/name": "Orbit",
        },
    )
    twice = done(twice, UseMove(move=move))
    assert (twice.shot.frames, twice.shot.name) == (96, "Mine")
    found = poses_at(twice, twice.shot, 2 * frames).cameras
    assert found[:, :3, 3] - [1.0, aim[1], 0.0] == pytest.approx(2 * (before[:, :3, 3] - aim), abs=1e-6)
    assert found[:, :3, :3] == pytest.approx(before[:, :3, :3], abs=1e-9)
    assert keys_of(twice, f"cameras/{twice.camera.id}/focus_m") == [(0, 2.0), (46, 4.0)]
    with pytest.raises(ChangeError, match="no move to keep"):
        move_from_shot(put_all(project, {"shot/rows": (), "shot/channels": ()}), "Nothing")


def test_a_move_as_gltf_holds_every_pose() -> None:
    """Read by the specification: chunks, accessors, and quaternions that go the short way."""
    project = done(with_box(), ApplyMove(move="three-quarter arc"))
    data = move_glb(project, 0.2, 16 / 9)
    size = struct.unpack("<4sII", data[:12])[2]
    assert size == len(data)
    text = struct.unpack("<I", data[12:16])[0]
    document, binary = json.loads(data[20 : 20 + text]), data[28 + text :]

    def column(index: int) -> np.ndarray:
        accessor = document["accessors"][index]
        view = document["bufferViews"][accessor["bufferView"]]
        values = np.frombuffer(binary[view["byteOffset"] :][: view["byteLength"]], "<f4")
        return values.reshape(accessor["count"], -1)

    (animation,) = document["animations"]
    times = column(animation["samplers"][0]["input"])[:, 0]
    assert times == pytest.approx(np.arange(48) / 24)
    tracks = {
        (c["target"]["node"], c["target"]["path"]): column(animation["samplers"][c["sampler"]]["output"])
        for c in animation["channels"]
    }
    cameras = poses_at(project, project.shot, np.arange(48.0)).cameras
    assert tracks[0, "translation"] == pytest.approx(cameras[:, :3, 3], abs=1e-6)
    turns = tracks[0, "rotation"]
    assert Rotation.from_quat(turns).as_matrix() == pytest.approx(cameras[:, :3, :3], abs=1e-6)
    assert (np.sum(turns[1:] * turns[:-1], axis=1) > 0).all()
    assert document["cameras"][0]["perspective"]["yfov"] == pytest.approx(2 * np.arctan(0.2))
    assert document["nodes"][0]["camera"] == 0


def test_an_end_is_blended_into_the_beginning_and_a_rest_at_the_seam_is_taken_out() -> None:
    project = put_all(new_project("Loop"), {"shot/frames": 100})
    keys = ((1, 0.0), (41, 2.0), (97, 1.0))
    project = done(project, *(SetKey(path=STRENGTH, frame=n, value=v) for n, v in keys))
    (gap,) = gaps(project, project.shot)
    assert (gap.jump, gap.fixes) == (pytest.approx(1.0), ("blend",))
    blended = done(project, CloseGap(where=gap.where, fix="blend"))
    assert [k.frame for k in blended.shot.channels[0].keys] == [0, 31, 75]
    assert gaps(blended, blended.shot) == []
    values = values_at(blended.shot.channels[0], np.array([0.0, 75, 87.5, 99.999, 100]), 100)[:, 0]
    assert values[[0, 1, 4]] == pytest.approx([0.0, 1.0, 0.0])
    assert 0.2 < values[2] < 0.8  # there is time to go back
    whole = put_all(new_project("Loop"), {"shot/frames": 100})
    whole = done(
        whole, *(SetKey(path=STRENGTH, frame=n, value=v) for n, v in ((1, 0.0), (34, 1.0), (67, -1.0), (101, 0.0)))
    )
    (gap,) = gaps(whole, whole.shot)
    assert (gap.jump, gap.fixes) == (0.0, ("drop last",))
    mended = done(whole, CloseGap(where=gap.where, fix="drop last"))
    assert gaps(mended, mended.shot) == []
    before, after = np.diff(values_at(mended.shot.channels[0], np.array([-0.01, 0.0, 0.01]), 100)[:, 0]) / 0.01
    assert before == pytest.approx(after, rel=0.02)  # it goes through the seam at its pace
    assert abs(before) > 1e-3


def test_going_on_to_the_first_key_needs_time_and_a_jump_over_the_seam_is_named() -> None:
    """8° in the first frame, 40° in the last: what repeats ends where it began, and jumps by 32° in one frame."""
    path = "cameras/camera-1/azimuth_deg"
    project = new_project("Seam")
    path = f"cameras/{project.camera.id}/azimuth_deg"

    def keyed(last: int, outside: str) -> Project:
        keys = (Key(id="a", frame=0, value=(8.0,)), Key(id="b", frame=last, value=(40.0,)))
        return put_all(
            project,
            {
                "shot/rows": (),
                "shot/frames": 240,
                "shot/channels": (Channel(id="c", path=path, keys=keys, outside=outside),),  # type: ignore[arg-type]
            },
        )

    late = keyed(239, "stand")
    (gap,) = gaps(late, late.shot)
    assert (gap.jump, gap.fixes) == (pytest.approx(32.0), ("blend",))
    repeated = keyed(239, "repeat")
    assert not loops(repeated, repeated.shot)
    (gap,) = gaps(repeated, repeated.shot)
    assert "jumps from the last frame to the first" in gap.what
    assert (gap.jump, gap.fixes) == (pytest.approx(32.0), ("blend",))
    mended = done(repeated, CloseGap(where=gap.where, fix="blend"))
    assert gaps(mended, mended.shot) == []
    steps = np.diff(values_at(mended.shot.channels[0], np.arange(241.0), 240)[:, 0])
    assert np.abs(steps).max() < 2.0
    early = keyed(150, "stand")
    (gap,) = gaps(early, early.shot)
    assert gap.fixes == ("end at start",)
    closed = done(early, CloseGap(where=gap.where, fix="end at start"))
    assert gaps(closed, closed.shot) == []


def test_keys_of_a_camera_or_look_count_in_shots_that_have_it() -> None:
    shot = new_project("Keys").shot
    used = [f"cameras/{shot.camera_id}/focal_mm", f"looks/{shot.look_id}/tone/ev100", "set/disc/color"]
    assert all(is_in_use(shot, path) for path in used)
    assert not any(is_in_use(shot, path) for path in ("cameras/other/focal_mm", "looks/other/tone/ev100"))
