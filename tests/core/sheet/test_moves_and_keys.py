"""Keys, stretches, ready moves and the mending of loops as changes."""

from typing import get_args

import numpy as np
import pytest
from tests.core.sheet.test_sheet import Blind

from cyclorama.core.errors import ChangeError
from cyclorama.core.framing import View, frame_margins
from cyclorama.core.geometry.made import build_made
from cyclorama.core.geometry.measure import Measures, measure, placed_hull
from cyclorama.core.motion import gaps, moment
from cyclorama.core.scene import Item, Project, load_project, new_project, put_all, value_at
from cyclorama.core.scene.changes import (
    AddCamera,
    AddItem,
    AddPath,
    AddShot,
    AddStretch,
    ApplyMove,
    Change,
    CloseGap,
    Copy,
    Remove,
    RemoveKey,
    SetKey,
    SetRate,
    SetValue,
    ShiftKeys,
)
from cyclorama.core.scene.shot import MoveKind
from cyclorama.core.sheet.keys import channel_of, shown
from cyclorama.core.sheet.perform import perform

STRENGTH = "look/lights/key/strength_stops"


def measures_of(item: Item | None) -> Measures | None:
    return measure(build_made(item.made)) if item is not None and item.made is not None else None


def done(project: Project, *changes: Change) -> Project:
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
    between = shown(project, full, 13)
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


def test_switches_colours_and_what_travels_are_keyed_as_they_are() -> None:
    project = done(new_project("Keys"), SetKey(path="look/lights/key/on", frame=1, value=False),
                   SetKey(path="look/lights/key/on", frame=25, value=True))  # fmt: skip
    assert [moment(project, n).look.lights[0].power > 0 for n in (1, 24, 25)] == [False, False, True]
    project = done(project, SetKey(path="look/lights/key/colour", frame=1, value=[1, 0, 0]),
                   SetKey(path="look/lights/key/colour", frame=3, value=[0, 0, 1]))  # fmt: skip
    assert moment(project, 2).look.lights[0].colour == (0.5, 0.0, 0.5)
    azimuth = f"cameras/{project.camera.id}/azimuth_deg"
    orbiting = shown(project, azimuth, 61)
    assert orbiting == pytest.approx(90)  # a quarter of 240 frames
    keyed = done(project, SetKey(path="camera/azimuth_deg", frame=61))
    assert keys_of(keyed, azimuth) == [(60, pytest.approx(90))]


def test_what_is_keyed_goes_with_what_is_removed_and_comes_along_with_copies() -> None:
    project = done(new_project("Keys"), SetKey(path=STRENGTH, frame=1), Copy(path="shot"))
    assert len(project.shots) == 2
    assert all(len(shot.channels) == 1 for shot in project.shots)
    project = done(project, Remove(path="look/lights/key"))
    assert all(shot.channels == () for shot in project.shots)


@pytest.mark.parametrize("kind", [k for k in get_args(MoveKind) if k != "spin"])
def test_every_stretch_can_be_added_and_taken_away(kind: MoveKind) -> None:
    project = done(with_box(), AddStretch(move=kind))
    row = project.shot.rows[0]
    assert row.segments[-1].kind == kind
    assert moment(project, project.shot.first_frame + 47).camera.focal_mm > 0
    project = done(project, Remove(path=f"shot/rows/camera/segments/{row.segments[-1].id}"))
    assert len(project.shot.rows[0].segments) == 1
    project = done(project, Remove(path=f"shot/rows/camera/segments/{project.shot.rows[0].segments[0].id}"))
    assert project.shot.rows == ()


def test_a_change_of_rate_keeps_seconds_or_frames() -> None:
    project = done(
        new_project("Rates"), SetKey(path=STRENGTH, frame=1, value=0.0), SetKey(path=STRENGTH, frame=49, value=2.0),
        SetValue(path="shot/move/frames", value=96), SetValue(path="shot/shoot/to_frame", value=49),
    )  # fmt: skip
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


def test_disc_and_items_only_turn() -> None:
    project = done(with_box(), AddStretch(move="spin", traveller="disc"))
    assert {row.id for row in project.shot.rows} == {"camera", "disc"}
    with pytest.raises(ChangeError, match="only spin and hold"):
        done(project, AddStretch(move="push", traveller="disc"))


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
    project = done(with_box(), AddPath(shape=shape), AddStretch(move="ride"))  # type: ignore[arg-type]
    assert project.shot.rows[0].segments[-1].path_id == project.paths[0].id
    with pytest.raises(ChangeError, match="rides along a path"):
        done(project, Remove(path=f"paths/{project.paths[0].id}"))
    if len(project.paths[0].points) > 2:
        project = done(project, Remove(path=f"paths/{project.paths[0].id}/points/point-1"))
    assert np.isfinite(moment(project, 40).shutter.cameras).all()


def mended(project: Project) -> Project:
    """The project after the first fix that is offered, until none is needed."""
    for _ in range(6):
        found = gaps(project, project.shot)
        if not found:
            return project
        project = done(project, CloseGap(where=found[0].where, fix=found[0].fixes[0]))
    raise AssertionError(found)


def test_the_doctor_mends_what_does_not_close() -> None:
    project = with_box()
    part = done(project, SetValue(path="shot/move/turns", value=1.75), SetValue(path="shot/move/ease_in", value=0.5))
    assert [g.fixes for g in gaps(part, part.shot)] == [("whole turns",)]
    closed = mended(part)
    assert (closed.shot.rows[0].segments[0].turns, closed.shot.rows[0].segments[0].ease_in) == (2.0, 0.0)
    push = done(project, AddStretch(move="push"), AddStretch(move="zoom"))
    assert {g.unit for g in gaps(push, push.shot)} == {"m", "mm"}
    assert [s.kind for s in mended(push).shot.rows[0].segments] == ["orbit", "push", "zoom", "zoom", "push", "orbit"]
    lit = done(project, SetKey(path=STRENGTH, frame=1, value=0.0), SetKey(path=STRENGTH, frame=20, value=2.0))
    assert mended(lit).shot.channels[0].outside == "repeat"
    doubled = done(lit, SetKey(path=STRENGTH, frame=48, value=0.0))
    assert gaps(doubled, doubled.shot) == []
    with pytest.raises(ChangeError, match="closes already"):
        done(doubled, CloseGap(where="shots/x/rows/camera", fix="whole turns"))
