"""Skins, shapes and animations against closed forms and SciPy."""

import struct

import numpy as np
import pytest
from scipy.interpolate import CubicHermiteSpline
from scipy.spatial.transform import Rotation, Slerp
from tests.conftest import plane, sphere
from tests.moving_models import Glb, bending_bar, turning

from cyclorama.core.errors import IntakeError
from cyclorama.core.geometry.cache_keys import rig_key
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.mesh import Mesh, face_normals
from cyclorama.core.geometry.rig import Rig, bend, bound_normals
from cyclorama.core.geometry.skeleton import CUBIC, LINEAR, MOVE, STEP, TURN, Track

HALF = np.sqrt(0.5)


def rig_of(data: bytes) -> tuple[Rig, Mesh]:
    intake = take_in({"moving.glb": data})
    asset = intake.item.asset
    return Rig.from_bytes(intake.assets[rig_key(asset)]), Mesh.from_bytes(intake.assets[asset])


def test_tracks_go_from_key_to_key_as_the_standard_says() -> None:
    rng = np.random.default_rng(3)
    times = np.array([0.5, 1.0, 2.5, 3.0])
    turns = Rotation.random(4, random_state=5)
    track = Track(TURN, 0, LINEAR, times, turns.as_quat())
    expected = Slerp(times, turns)
    values = rng.normal(size=(4, 3, 3))
    cubic = Track(MOVE, 0, CUBIC, times, values)
    spline = CubicHermiteSpline  # one a span, because tangents may differ on both sides of a key
    step = Track(MOVE, 0, STEP, times, values[:, 1])
    for t in rng.uniform(0.5, 3.0, 20):
        i = int(np.searchsorted(times, t)) - 1
        assert abs(track.at(t) @ expected(t).as_quat()) == pytest.approx(1, abs=1e-9)
        ends = spline(times[i : i + 2], values[i : i + 2, 1], [values[i, 2], values[i + 1, 0]])
        assert cubic.at(t) == pytest.approx(ends(t))
        assert np.array_equal(step.at(t), values[i, 1])
    for one in (track, cubic, step):
        keys = one.values[:, 1] if one.mode == CUBIC else one.values
        assert np.array_equal(one.at(-9.0), keys[0])
        assert np.array_equal(one.at(99.0), keys[-1])


def test_skin_blends_its_joints() -> None:
    """Below the overlap nothing moves, above it everything turns, in the middle half of each."""
    glb, _ = bending_bar()
    rig, mesh = rig_of(glb.to_bytes())
    height = mesh.vertices[:, 1]
    moved, normals = rig.at(((0, 1.0, 1.0),))
    assert moved[height < 0.49] == pytest.approx(mesh.vertices[height < 0.49], abs=1e-6)
    upper = height > 1.51
    turned = (mesh.vertices - [0, 1, 0])[:, [1, 0, 2]] * [-1, 1, 1] + [0, 1, 0]
    assert moved[upper] == pytest.approx(turned[upper], abs=1e-6)
    assert normals[upper] == pytest.approx((mesh.normals[:, [1, 0, 2]] * [-1, 1, 1])[upper], abs=1e-6)
    middle = np.abs(height - 1) < 1e-6
    assert middle.sum() >= 4
    assert moved[middle] == pytest.approx((mesh.vertices[middle] + turned[middle]) / 2, abs=1e-6)


def test_normals_stay_upright_under_uneven_scale() -> None:
    """Against the normals of the faces as they have moved; and binding them is the way back."""
    ball = sphere(0.5, 96)
    bones = np.eye(4)[None] * [3.0, 0.4, 1.0, 1.0]
    bones[0, :3, :3] = Rotation.from_euler("xyz", [20, 50, -70], degrees=True).as_matrix() @ bones[0, :3, :3]
    bone, weight = np.zeros((len(ball.vertices), 1), np.int32), np.ones((len(ball.vertices), 1), np.float32)
    moved, normals = bend(ball.vertices, ball.normals, bone, weight, bones)
    flat = face_normals(moved, ball.triangles)
    flat /= np.linalg.norm(flat, axis=1, keepdims=True)
    mean = normals[ball.triangles].mean(axis=1)
    mean /= np.linalg.norm(mean, axis=1, keepdims=True)
    assert np.median((flat * mean).sum(axis=1)) > 0.9999
    for mirrored in (bones, bones * np.array([-1.0, 1, 1, 1])):
        _, there = bend(ball.vertices, ball.normals, bone, weight, mirrored)
        assert bound_normals(there, bone, weight, mirrored) == pytest.approx(ball.normals, abs=2e-5)


def test_shapes_move_vertices_and_lean_normals() -> None:
    """A ball that grows into an ellipsoid: normals of x²/a² + y² + z² are (x/a², y, z), unit."""
    ball = sphere(0.5, 96)
    glb = Glb()
    node = glb.node(mesh=glb.mesh(ball, (ball.vertices * np.float32([1, 0, 0]),)), name="Ball")
    glb.animation("Grow", (node, "weights", [0, 2], [0, 1]))
    rig, mesh = rig_of(glb.to_bytes())
    moved, normals = rig.at(((0, 2.0, 1.0),))
    assert moved == pytest.approx(mesh.vertices * [2, 1, 1], abs=1e-6)
    exact = mesh.vertices / np.float32([2, 1, 1])
    exact /= np.linalg.norm(exact, axis=1, keepdims=True)
    assert np.median((normals * exact).sum(axis=1)) > 0.9995
    half, _ = rig.at(((0, 1.0, 1.0),))
    assert half == pytest.approx(mesh.vertices * [1.5, 1, 1], abs=1e-6)
    assert rig.at(())[0] == pytest.approx(mesh.vertices, abs=1e-6)


def test_intake_measures_all_the_room_an_animation_takes() -> None:
    glb, _ = bending_bar()
    intake = take_in({"bar.glb": glb.to_bytes()})
    assert [(a.name, a.seconds) for a in intake.item.animations] == [("Bend", 1.0)]
    assert intake.item.playing is not None
    assert intake.measures.hull[:, 0].min() == pytest.approx(-0.1, abs=1e-6)
    low, high = intake.room.hull.min(axis=0), intake.room.hull.max(axis=0)
    # a corner of the tip, 1 m above the joint and 0.1 m aside, passes farther out than where it ends
    assert low == pytest.approx([-np.sqrt(1.01), 0, -0.1], abs=1.5e-3)
    assert high[1] == pytest.approx(1 + np.sqrt(1.01), abs=1.5e-3)
    assert any("Bend" in f.what for f in intake.report.findings)


def test_a_track_that_moves_nothing_known_is_told_of() -> None:
    """A path that glTF does not have: the animation comes in without it, and the report says so."""
    glb, _ = bending_bar()
    glb.document["animations"][0]["channels"].append({"sampler": 0, "target": {"node": 0, "path": "foo"}})
    intake = take_in({"bar.glb": glb.to_bytes()})
    assert any("animation ‘Bend’ are broken" in f.what for f in intake.report.findings)


def test_a_skin_without_animation_stands_as_it_is_posed() -> None:
    glb, _ = bending_bar()
    glb.document["animations"] = []
    glb.document["nodes"][0]["rotation"] = [0, 0, HALF, HALF]
    intake = take_in({"bar.glb": glb.to_bytes()})
    mesh = Mesh.from_bytes(intake.assets[intake.item.asset])
    assert mesh.vertices[:, 0].min() == pytest.approx(-1.0, abs=1e-6)
    assert intake.item.animations == ()
    assert rig_key(intake.item.asset) not in intake.assets


def test_steps_follow_the_fastest_bone() -> None:
    rig, _ = rig_of(turning(plane(1.0)))

    def steps(seconds: float) -> int:
        return rig.steps(((0, t, 1.0),) for t in np.linspace(0.0, seconds, 9).tolist())

    assert steps(0.0) == rig.steps([(), ()]) == 1
    assert steps(0.05) == 3  # 4.5°
    assert steps(0.5) == 9  # 45° in pieces of 6°


def test_between_two_animations_bones_turn_the_short_way() -> None:
    rig, _ = rig_of(turning(plane(1.0)))
    start, end = rig.at(((0, 0.0, 1.0),))[0], rig.at(((0, 1.0, 1.0),))[0]
    half = rig.at(((0, 0.0, 0.5), (0, 1.0, 0.5)))[0]
    assert half == pytest.approx(rig.at(((0, 0.5, 1.0),))[0], abs=1e-5)  # it turns evenly
    assert np.linalg.norm(half, axis=1) == pytest.approx(
        np.linalg.norm(start, axis=1), abs=1e-5
    )  # not through its axis
    assert np.abs(half - (start + end) / 2).max() > 0.05
    assert rig.at(((0, 0.0, 0.0), (0, 1.0, 1.0)))[0] == pytest.approx(end, abs=1e-6)


@pytest.mark.parametrize("what", ["joint", "keys", "counts", "endless", "huge"])
def test_broken_rigs(what: str) -> None:
    """What cannot be read is refused in words; what can be left out is, and said."""
    glb, _ = bending_bar()
    sampler = glb.document["animations"][0]["samplers"][0]
    if what == "joint":
        primitive = glb.document["meshes"][0]["primitives"][0]
        primitive["attributes"]["JOINTS_0"] = glb.array(np.full((84, 4), 7), "u2")
        with pytest.raises(IntakeError, match="joints that are not there"):
            take_in({"bar.glb": glb.to_bytes()})
        return
    if what == "keys":
        sampler["input"] = glb.array([0.0, np.nan])
    elif what == "endless":
        sampler["output"] = glb.array([[0, 0, 0, 1], [0, 0, 1e30, 1]])
    elif what == "counts":
        sampler["output"] = glb.array([[0, 0, 0, 1.0]])
    else:
        node = glb.document["animations"][0]["channels"][0]["target"]["node"]
        glb.animation("Away", (node, "translation", [0, 1], [[0, 0, 0], [1e9, 1e9, 0]]))
        glb.animation("Grow", (node, "scale", [0, 1], [[1, 1, 1], [1e9, 0, -1e9]]))
    intake = take_in({"bar.glb": glb.to_bytes()})
    if what == "huge":
        rig = Rig.from_bytes(intake.assets[rig_key(intake.item.asset)])
        assert all(np.isfinite(a).all() for k in (1, 2) for a in rig.at(((k, 1.0, 1.0),)))
    else:
        assert intake.item.animations == ()
        assert any("broken" in f.what and "Bend" in f.what for f in intake.report.findings)


def test_a_rig_is_kept_whole() -> None:
    """Every kind of track and a shape come back from the file as they went in; what stands still is known as such."""
    ball = sphere(0.5, 16)
    glb = Glb()
    node = glb.node(mesh=glb.mesh(ball, (ball.vertices * np.float32([1, 0, 0]), ball.vertices * 0)), name="Ball")
    glb.animation(
        "All",
        (node, "translation", [0, 1, 2], np.arange(27).reshape(9, 3)),
        (node, "scale", [0, 2], [[1] * 3, [2] * 3]),
        (node, "weights", [0, 2], [[0, 0], [1, 0]]),
    )
    glb.animation("Still", (node, "translation", [0, 1], [[0, 0, 0], [0, 0, 0]]))
    samplers = glb.document["animations"][0]["samplers"]
    samplers[0]["interpolation"], samplers[1]["interpolation"] = "CUBICSPLINE", "STEP"
    rig, _ = rig_of(glb.to_bytes())
    again = Rig.from_bytes(rig.to_bytes())
    for t in np.linspace(-0.5, 2.5, 7):
        for one, other in zip(rig.at(((0, t, 1.0),)), again.at(((0, t, 1.0),)), strict=True):
            assert np.array_equal(one, other)
    assert [t.mode for t in again.skeleton.animations[0]] == [CUBIC, STEP, LINEAR]
    assert rig.skeleton.animations[0][0].at(1.0) == pytest.approx([12, 13, 14])
    assert rig.moving([0]).all()
    assert not rig.moving([1]).any()
    assert rig.skeleton.moving(0)[1].tolist() == [True, False]
    assert (rig.skeleton.length_s(0), rig.skeleton.length_s(1)) == (2.0, 1.0)


TENT = "v 0 0 0\nv 2 0 0\nv 1 1 0\nv 1 0 2\nv 9 9 9\nf 3 2 1\nf 1 2 4\nf 2 3 4\nf 3 1 4\n"


def mdd(places: np.ndarray, times: list[float]) -> bytes:
    head = struct.pack(">2i", *places.shape[:2]) + np.array(times, ">f4").tobytes()
    return head + places.astype(">f4").tobytes()


def pc2(places: np.ndarray, start: float, between: float) -> bytes:
    head = b"POINTCACHE2\0" + struct.pack("<2i2fi", 1, places.shape[1], start, between, len(places))
    return head + places.astype("<f4").tobytes()


def test_point_caches_move_every_vertex() -> None:
    """Vertex k of the OBJ goes where the cache says, straight between its samples, and normals follow the faces."""
    rest = np.array([line.split()[1:] for line in TENT.splitlines() if line[0] == "v"], float)
    spin = Rotation.from_euler("y", [[0], [40], [80]], degrees=True).as_matrix()
    spun = np.einsum("fij,vj->fvi", spin, rest)
    files = {"tent.obj": TENT.encode(), "spin.mdd": mdd(spun, [0.5, 1.0, 2.0]), "rise.PC2": pc2(spun + 1, 10, 12)}
    intake = take_in(files)
    assert [(a.name, round(a.seconds, 6)) for a in intake.item.animations] == [("spin", 1.5), ("rise", 1.0)]
    rig = Rig.from_bytes(intake.assets[rig_key(intake.item.asset)])
    mesh = Mesh.from_bytes(intake.assets[intake.item.asset])
    at = np.argmin(np.linalg.norm(mesh.vertices[:, None] - rest[None], axis=2), axis=1)
    for seconds, expected in ((0.0, spun[0]), (0.25, (spun[0] + spun[1]) / 2), (1.5, spun[2])):
        moved, normals = rig.at(((0, seconds, 1.0),))
        assert moved == pytest.approx(expected[at], abs=1e-5)
    assert normals == pytest.approx(mesh.normals @ spin[2].T, abs=0.02)
    assert rig.at(((1, 0.5, 1.0),))[0] == pytest.approx(spun[1][at] + 1, abs=1e-5)
    assert any("24 a second" in f.what for f in intake.report.findings)


@pytest.mark.parametrize(
    ("name", "data", "says"),
    [
        ("a.mdd", mdd(np.zeros((2, 7, 3)), [0, 1]), "moves 7 vertices, but ‘tent.obj’ has 5"),
        ("a.mdd", mdd(np.zeros((2, 5, 3)), [0, 1])[:-4], "ends too early"),
        ("a.mdd", mdd(np.zeros((2, 5, 3)), [1, 1]), "does not go forward"),
        ("a.mdd", mdd(np.full((2, 5, 3), np.nan), [0, 1]), "are no numbers"),
        ("a.mdd", b"\x7f\xff\xff\xff\x00\x00\x00\x05", "damaged or not a point cache"),
        ("a.pc2", pc2(np.zeros((2, 4, 3)), 0, 1), "moves 4 vertices, but ‘tent.obj’ has 5"),
        ("a.pc2", b"POINTCACHE1\0" + bytes(40), "damaged or not a point cache"),
        ("a.pc2", b"POINTCACHE2\0" + struct.pack("<2i2fi", 1, 5, 0, 1, 1 << 30), "ends too early"),
    ],
)
def test_point_caches_that_do_not_fit(name: str, data: bytes, says: str) -> None:
    with pytest.raises(IntakeError, match=says):
        take_in({"tent.obj": TENT.encode(), name: data})
