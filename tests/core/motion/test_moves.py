"""Moves against closed forms: curves, easing, paths, segments of a camera's row, and what closes."""

import math
import re
from itertools import pairwise
from typing import get_args

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cyclorama.core.errors import ChangeError
from cyclorama.core.motion import gaps, loops, moment, most_turned_deg, moves_nothing, poses_at, values_at
from cyclorama.core.motion.easing import ease
from cyclorama.core.motion.paths import along, length_m
from cyclorama.core.motion.segments import SEGMENTS
from cyclorama.core.scene import (
    Channel,
    Key,
    Path,
    PathPoint,
    Project,
    Row,
    Segment,
    load_project,
    new_project,
    put,
    put_all,
)
from cyclorama.core.scene.shot import MoveKind

CAMERA = "camera"
numbers = st.floats(-1000, 1000)


def channel(*keys: tuple[int, float], goes: str = "smooth", **more: object) -> Channel:
    made = tuple(Key(id=f"k{n}", frame=n, value=(v,), goes=goes) for n, v in keys)  # type: ignore[arg-type]
    return Channel(id="c", path="looks/a/tone/ev100", keys=made, **more)  # type: ignore[arg-type]


def at(c: Channel, *frames: float, length: int = 48) -> list[float]:
    return values_at(c, np.array(frames, float), length)[:, 0].tolist()


def moved(*segments: Segment, frames: int = 48, **values: object) -> Project:
    """A shot whose camera goes through some segments."""
    rows = (Row(id=CAMERA, segments=segments),)
    more = {f"camera/{name}": value for name, value in values.items()}
    return put_all(new_project("Moves"), {"shot/frames": frames, "shot/rows": rows, **more})


def cameras(project: Project, *frames: float) -> np.ndarray:
    return poses_at(project, project.shot, np.array(frames, float)).cameras


def focal(project: Project, *frames: float) -> list[float]:
    return poses_at(project, project.shot, np.array(frames, float)).focal_mm.tolist()


@given(
    st.lists(st.tuples(st.integers(0, 200), numbers), min_size=1, max_size=12, unique_by=lambda k: k[0]),
    st.sampled_from(["linear", "smooth", "hold"]),
    st.sampled_from(["stand", "repeat", "ping-pong"]),
)
@settings(max_examples=60, deadline=None, derandomize=True)
def test_curves_go_through_their_keys_and_not_beyond_them(
    keys: list[tuple[int, float]], goes: str, outside: str
) -> None:
    keys.sort()
    c = channel(*keys, goes=goes, outside=outside)
    inside = [(n, v) for n, v in keys if outside == "stand" or n != keys[-1][0]]
    assert np.allclose(at(c, *(n for n, _ in inside), length=400), [v for _, v in inside], rtol=1e-12, atol=1e-9)
    low, high = min(v for _, v in keys), max(v for _, v in keys)
    found = np.array(at(c, *np.linspace(-300, 900, 500), length=400))
    assert (found >= low - 1e-9 * (1 + abs(low))).all()
    assert (found <= high + 1e-9 * (1 + abs(high))).all()
    for (n, v), (m, w) in pairwise(keys):
        between = np.array(at(c, *np.linspace(n, m, 9)[:-1], length=400))
        assert (np.diff(between) * np.sign(w - v) >= -1e-9 * (1 + abs(v) + abs(w))).all()


def test_curves_against_closed_forms() -> None:
    assert at(channel((0, 2.0), (10, 12.0), goes="linear"), 2.5, -5, 50) == [4.5, 2.0, 12.0]
    assert at(channel((0, 2.0), (10, 12.0), goes="hold"), 9.99, 10) == [2.0, 12.0]
    # from rest to rest: 3u² − 2u³
    assert at(channel((0, 0.0), (8, 1.0)), 2, 4, 6) == pytest.approx([3 / 16 - 2 / 64, 0.5, 27 / 16 - 54 / 64])
    # handles of no length at both ends: cubic Bézier through 0, 0, 1, 1 in time, and in value: they cancel
    custom = Key(id="a", frame=0, value=(0.0,), goes="custom", leaves=(0.0, 0.0), arrives=(0.0, 0.0))
    c = channel((9, 1.0)).model_copy(update={"keys": (custom, Key(id="b", frame=9, value=(1.0,)))})
    assert at(c, 3, 6) == pytest.approx([1 / 3, 2 / 3])
    # a handle that reaches out makes a curve overshoot: at half its time it is (3·0.5 + 1) / 8 + 3·1.5 / 8
    out = custom.model_copy(update={"leaves": (1 / 3, 0.5), "arrives": (1 / 3, 0.5)})
    assert at(c.model_copy(update={"keys": (out, c.keys[1])}), 4.5) == pytest.approx([(1.5 + 4.5 + 1) / 8])
    # round: from the last key to the first of the next round, which is 48 frames after it
    turn = channel((8, 1.0), (40, 5.0), goes="linear", outside="repeat")
    assert at(turn, 48, 0, 52, 100) == pytest.approx([3.0, 3.0, 2.0, 2.0])
    assert at(channel((0, 0.0), (10, 1.0), goes="linear", outside="ping-pong"), 13, 20, 27, -3) == pytest.approx(
        [0.7, 0.0, 0.7, 0.3]
    )


@given(st.floats(0, 1), st.floats(0, 1))
@settings(max_examples=40, deadline=None, derandomize=True)
def test_eased_segments_end_where_they_should_and_never_jump(a: float, b: float) -> None:
    a, b = (a, b) if a + b <= 1 else (a / 2, b / 2)
    u = np.linspace(0, 1, 400)
    done = np.asarray(ease(u, a, b), float)
    assert done[0] == pytest.approx(0, abs=1e-12)
    assert done[-1] == pytest.approx(1)
    top = 1 / (1 - (a + b) / 2)
    speed = np.diff(done) * 399
    assert (speed >= -1e-9).all()
    assert (speed <= top + 1e-6).all()
    if a > 0.05:
        assert ease(a, a, b) == pytest.approx(top * a / 2)  # half the way of even speed


CIRCLE = [(math.sin(2 * math.pi * i / 32), 0.5, math.cos(2 * math.pi * i / 32)) for i in range(32)]


def path(points: list[tuple[float, float, float]], closed: bool = False) -> Path:
    made = tuple(PathPoint(id=f"p{i}", x_m=x, y_m=y, z_m=z) for i, (x, y, z) in enumerate(points))
    return Path(id="path-1", name="Path", closed=closed, points=made)


@given(st.lists(st.tuples(*[st.floats(-5, 5)] * 3), min_size=2, max_size=8), st.booleans())
@settings(max_examples=25, deadline=None, derandomize=True)
def test_paths_are_ridden_at_even_speed(points: list[tuple[float, float, float]], closed: bool) -> None:
    """Steps as fine as 1/2000 of the length are chords almost as long as their arcs."""
    ridden = path(points, closed)
    length = length_m(ridden)
    places, directions = along(ridden, np.linspace(0, 1, 2001))
    assert np.isfinite(places).all()
    assert np.isfinite(directions).all()
    if length < 1e-3:
        return
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1) * 2000 / length
    assert np.median(steps) == pytest.approx(1, abs=1e-3)
    assert steps.max() <= 1 + 1e-3
    assert np.allclose(np.linalg.norm(directions, axis=1), 1)
    assert np.allclose(places[0], points[0], atol=1e-9)


def test_paths_against_a_straight_line_and_a_circle() -> None:
    straight = path([(0, 0, 0), (1, 0, 0), (4, 0, 0)])
    assert length_m(straight) == pytest.approx(4)
    assert along(straight, np.array([0.5]))[0][0] == pytest.approx([2, 0, 0], abs=1e-9)
    round_ = path(CIRCLE, closed=True)
    assert length_m(round_) == pytest.approx(2 * math.pi, rel=1e-4)
    places, _ = along(round_, np.array([0.25, 1.25]))
    assert places == pytest.approx(np.array([[1, 0.5, 0]] * 2), abs=1e-9)
    same = path([(1, 2, 3), (1, 2, 3)], closed=True)
    assert along(same, np.array([0.3]))[0][0] == pytest.approx([1, 2, 3])


def test_each_segment_does_what_it_says() -> None:
    """A push, an arc, a rise, a pan, a roll, a zoom and a dolly zoom of twelve frames each, against geometry."""
    kinds = [
        Segment(id="a", kind="push", by_m=1.0),
        Segment(id="b", kind="arc", by_deg=90),
        Segment(id="c", kind="rise", by_m=1.0),
        Segment(id="d", kind="roll", by_deg=30),
        Segment(id="e", kind="zoom", to_mm=100),
        Segment(id="f", kind="dolly_zoom", by_m=0.5),
        Segment(id="g", kind="hold"),
    ]
    project = moved(*kinds, frames=84, elevation_deg=0.0, distance_m=2.0, focal_mm=50.0, **{"aim/y_m": 0.0})
    m = cameras(project, 0, 6, 12, 18, 24, 36, 48, 60, 72, 83)
    at_ = m[:, :3, 3]
    assert at_[0] == pytest.approx([0, 0, 2])
    assert at_[1] == pytest.approx([0, 0, math.sqrt(2)])  # by the same factor in the same time
    assert at_[2] == pytest.approx([0, 0, 1])
    assert at_[3] == pytest.approx([math.sqrt(0.5), 0, math.sqrt(0.5)])
    assert at_[4] == pytest.approx([1, 0, 0], abs=1e-12)
    assert at_[5] == pytest.approx([1, 1, 0], abs=1e-12)
    assert -m[5, :3, 2] == pytest.approx([-math.sqrt(0.5), -math.sqrt(0.5), 0], abs=1e-12)  # it looks at its aim
    right = m[6, :3, 0]
    assert right @ m[5, :3, 0] == pytest.approx(math.cos(math.radians(30)))
    assert right[1] > 0  # against the clock
    assert focal(project, 48, 54, 60) == pytest.approx([50, math.sqrt(50 * 100), 100])
    assert focal(project, 72, 83) == pytest.approx([50, 50])  # half as far, half as long: the same size
    assert np.allclose(m[8], m[9])
    for frame in np.linspace(0, 83, 40):
        r = cameras(project, frame)[0, :3, :3]
        assert np.allclose(r @ r.T, np.eye(3), atol=1e-12)
        assert np.linalg.det(r) == pytest.approx(1)
    assert not moves_nothing(project.shot)
    assert {gap.unit for gap in gaps(project, project.shot)} == {"°", "m"}


def test_a_pan_turns_the_camera_where_it_stands() -> None:
    project = moved(Segment(id="a", kind="pan", by_deg=90, tilt_deg=0), frames=10, elevation_deg=0.0)
    m = cameras(project, 0, 10)
    assert np.allclose(m[0, :3, 3], m[1, :3, 3])
    assert -m[1, :3, 2] == pytest.approx([-1, 0, 0], abs=1e-12)  # it looked to the back, then to the left


@given(
    st.lists(st.sampled_from([kind for kind in SEGMENTS if kind not in ("spin", "ride")]), min_size=1, max_size=5),
    st.floats(0, 0.5),
    st.floats(0, 0.5),
)
@settings(max_examples=40, deadline=None, derandomize=True)
def test_segments_join_without_a_jump(kinds: list[str], ease_in: float, ease_out: float) -> None:
    segments = [
        Segment(id=f"s{i}", kind=kind, by_deg=70, by_m=0.3, tilt_deg=20, to_mm=40, ease_in=ease_in, ease_out=ease_out)  # type: ignore[arg-type]
        for i, kind in enumerate(kinds)
    ]
    project = moved(*segments, frames=60)
    joins = np.arange(1, len(kinds)) * 60 / len(kinds)
    if len(joins):
        before, after = cameras(project, *(joins - 1e-9)), cameras(project, *joins)
        assert np.abs(before - after).max() < 1e-6
        assert np.abs(np.subtract(focal(project, *(joins - 1e-9)), focal(project, *joins))).max() < 1e-5


def test_handles_make_a_path_a_bezier_curve() -> None:
    """Through handles a path is the cubic of its four control points, ridden at even speed all the same."""
    first = PathPoint(id="a", bends="even", out_x_m=0.0, out_z_m=2.0)
    last = PathPoint(id="b", x_m=3.0, y_m=1.0, bends="free", in_x_m=1.0, in_y_m=-0.5, in_z_m=0.0)
    path = Path(id="path-1", name="Path", points=(first, last))
    controls = np.array([[0, 0, 0], [0, 0, 2], [4, 0.5, 0], [3, 1, 0]], float)
    t = np.linspace(0, 1, 20_001)[:, None]
    curve = (
        (1 - t) ** 3 * controls[0]
        + 3 * t * (1 - t) ** 2 * controls[1]
        + 3 * t**2 * (1 - t) * controls[2]
        + t**3 * controls[3]
    )
    way = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(curve, axis=0), axis=1))])
    assert length_m(path) == pytest.approx(way[-1], rel=1e-6)
    shares = np.linspace(0, 1, 41)
    expected = np.stack([np.interp(shares * way[-1], way, curve[:, axis]) for axis in range(3)], axis=1)
    assert along(path, shares)[0] == pytest.approx(expected, abs=1e-4)
    # an even point in the middle: no corner, the same direction before and after
    middle = PathPoint(id="m", x_m=2.0, z_m=1.0, bends="even", out_x_m=0.5, out_z_m=-0.5)
    smooth = Path(id="path-1", name="Path", points=(first, middle, last))
    share = length_m(Path(id="p", name="P", points=(first, middle))) / length_m(smooth)
    before, after = along(smooth, np.array([share - 1e-9, share + 1e-9]))[1]
    assert before == pytest.approx(after, abs=1e-4)
    assert before == pytest.approx(np.array([1, 0, -1]) / math.sqrt(2), abs=1e-4)


def test_a_ride_along_a_closed_path_closes_and_looks_where_it_should() -> None:
    ring = [(3 * x, 1.0, 3 * z) for x, _, z in CIRCLE]
    project = put(new_project("Ride"), "paths", (path(ring, closed=True),))
    for looks in ("aim", "ahead"):
        ride = Segment(id="a", kind="ride", path_id="path-1", looks=looks)  # type: ignore[arg-type]
        project = put_all(project, {"shot/frames": 40, "shot/rows": (Row(id=CAMERA, segments=(ride,)),)})
        m = cameras(project, 0, 10)
        assert m[1, :3, 3] == pytest.approx([3, 1, 0], abs=1e-6)
        assert loops(project, project.shot)
        forward = -m[1, :3, 2]
        if looks == "ahead":
            assert forward == pytest.approx([0, 0, -1], abs=1e-3)
        else:
            to_aim = np.array([0, project.camera.aim.y_m, 0]) - m[1, :3, 3]
            assert forward == pytest.approx(to_aim / np.linalg.norm(to_aim), abs=1e-6)
    with pytest.raises(ChangeError, match="rides along a path that is not in this project"):
        put(project, "paths", ())


@given(st.integers(-5, 5).filter(bool), st.integers(1, 5000), st.floats(-360, 360), st.floats(0, 0.5))
@settings(max_examples=40, deadline=None, derandomize=True)
def test_whole_turns_close_whatever_their_length_and_easing(turns: int, frames: int, start: float, ease: float) -> None:
    orbit = Segment(id="a", kind="orbit", turns=turns, ease_in=ease, ease_out=ease)
    project = moved(orbit, frames=frames, azimuth_deg=start)
    assert loops(project, project.shot)
    m = cameras(project, 0, frames)
    assert np.abs(m[0] - m[1]).max() < 1e-9
    assert moment(project, project.shot.first_frame + frames).since_first == frames


def keyed(project: Project, path_: str, *keys: tuple[int, float], **more: object) -> Project:
    made = tuple(Key(id=f"k{n}", frame=n, value=(v,), goes="linear") for n, v in keys)
    return put(project, "shot/channels", (*project.shot.channels, Channel(id="c", path=path_, keys=made, **more)))  # type: ignore[arg-type]


def test_keyed_values_are_what_a_moment_shows() -> None:
    project = put(new_project("Keys"), "shot/rows", ())
    look, camera = project.look.id, project.camera.id
    lit = keyed(project, f"looks/{look}/lights/key/strength_stops", (0, -4.0), (100, 1.0))
    first = lit.shot.first_frame
    assert [moment(lit, first + n).look.lights[0].strength_stops for n in (0, 50, 200)] == pytest.approx([-4, -1.5, 1])
    off = keyed(project, f"looks/{look}/lights/key/on", (0, 0.0), (24, 1.0))
    # a light that is switched off keeps its layer, without light
    assert [moment(off, first + n).look.lights[0].power > 0 for n in (0, 11, 12, 24)] == [False, False, True, True]
    assert {len(moment(off, first + n).look.lit_lights) for n in (0, 24)} == {3}
    far = keyed(project, f"cameras/{camera}/distance_m", (0, 1.0), (10, 3.0))
    at_ = cameras(far, 0, 5, 10)[:, :3, 3] - far.camera.aim.y_m * np.array([0, 1, 0])
    assert np.linalg.norm(at_, axis=1) == pytest.approx([1, 2, 3])
    # a key beats the row that travels
    orbit = put(new_project("Both"), "shot/frames", 48)
    still = keyed(orbit, f"cameras/{orbit.camera.id}/azimuth_deg", (0, 30.0))
    assert np.allclose(cameras(still, 0)[0], cameras(still, 24)[0])


def test_a_keyed_constant_gives_the_same_as_the_value_itself() -> None:
    project = new_project("Same")
    for path_ in ("strength_stops", "temperature_k", "width_m"):
        full = f"looks/{project.look.id}/lights/key/{path_}"
        value = getattr(project.look.lights[0], path_)
        both = moment(project, 7), moment(keyed(project, full, (0, value), (20, value)), 7)
        assert both[0].look == both[1].look
    camera = keyed(project, f"cameras/{project.camera.id}/elevation_deg", (3, project.camera.elevation_deg))
    assert (moment(camera, 7).shutter.cameras == moment(project, 7).shutter.cameras).all()


def test_keys_on_fixed_or_missing_values_are_refused() -> None:
    project = new_project("Refused")
    for path_, said in {
        "looks/nobody/tone/ev100": "not in this project",
        f"shots/{project.shot_id}/frames": "cannot change during",
        f"looks/{project.look.id}/background/colour": "cannot change during",
        "x/y": "not in this project",
    }.items():
        with pytest.raises(ChangeError, match=said):
            keyed(project, path_, (0, 1.0))
    ev = f"looks/{project.look.id}/tone/ev100"
    for keys in (((3, 1.0), (3, 2.0)), ((5, 1.0), (3, 2.0))):
        with pytest.raises(ValueError, match="same frame, or out of order"):
            keyed(project, ev, *keys)
    saved = keyed(project, ev, (0, 10.0), (12, 11.0))
    assert load_project(saved.model_dump_json()) == saved
    document = saved.model_dump(mode="json")
    document["shots"][0]["channels"][0]["path"] = "materials/none/opacity"
    with pytest.raises(ChangeError, match="not in this project"):
        load_project(document)


def test_a_sway_goes_to_both_sides_and_round_the_seam_without_a_stop() -> None:
    """Azimuth A sin(2π n t / N), against the closed form, over the seam too; the doctor wants it neither turned nor
    eased."""
    project = moved(Segment(id="s", kind="sway", by_deg=30.0, times=2), frames=48)
    times = np.linspace(0.0, 96.0, 97)
    rows = cameras(project, *times)
    seen = np.degrees(np.arctan2(rows[:, 0, 3], rows[:, 2, 3]))
    assert seen == pytest.approx(30.0 * np.sin(2 * np.pi * 2 * times / 48), abs=1e-9)
    assert np.abs(rows[0] - rows[48]).max() < 1e-12
    assert gaps(project, project.shot) == []
    assert loops(project, project.shot)
    assert not moves_nothing(project.shot)
    assert most_turned_deg(project.shot, 180.0) == pytest.approx(0.5 * 30.0 * 2 * math.pi * 2 / 48)
    eased_ = put(project, "shot/move/ease_in", 0.2)
    (gap,) = gaps(eased_, eased_.shot)
    assert (gap.jump, gap.speed, gap.fixes) == (0.0, pytest.approx(30.0 * 2 * math.pi * 2 / 48), ("even speed",))


def test_every_kind_of_segment_is_described_once() -> None:
    assert tuple(SEGMENTS) == get_args(MoveKind)
    for kind in SEGMENTS.values():
        assert set(re.findall(r"{(\w+)", kind.figure)) <= {field.name for field in kind.fields}
        assert all(field.name in Segment.model_fields for field in kind.fields)


def test_the_doctor_says_what_does_not_close_and_by_how_much() -> None:
    project = put_all(new_project("Gaps"), {"shot/frames": 48})
    assert gaps(project, project.shot) == []
    part = put(project, "shot/move/turns", 1.25)
    (gap,) = gaps(part, part.shot)
    assert (gap.jump, gap.unit, gap.fixes) == (pytest.approx(90), "°", ("whole turns",))
    eased_ = put_all(project, {"shot/move/ease_in": 0.2, "shot/move/ease_out": 0.2})
    (gap,) = gaps(eased_, eased_.shot)
    assert (gap.jump, gap.speed, gap.fixes) == (0.0, pytest.approx(7.5), ("even speed",))
    ev = f"looks/{project.look.id}/tone/ev100"
    open_ = keyed(project, ev, (0, 10.0), (24, 12.5))
    (gap,) = gaps(open_, open_.shot)
    assert (gap.jump, gap.unit) == (pytest.approx(2.5), "EV100")
    closed = keyed(project, ev, (0, 10.0), (24, 12.5), outside="repeat")
    assert gaps(closed, closed.shot) == []
    assert loops(closed, closed.shot)
