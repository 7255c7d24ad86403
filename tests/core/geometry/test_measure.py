"""Measured placement: centres, axes, wobble, contact."""

import numpy as np
import pytest
from tests.conftest import diffuse, edited, project_of, sphere

from cyclorama.core.geometry.build import build_disc, build_sweep, lathe
from cyclorama.core.geometry.measure import (
    axis_lean_deg,
    centre_placement,
    convex_corners,
    gap_m,
    ground_placement,
    measure,
    placed_hull,
    wobble_mm,
)
from cyclorama.core.geometry.mesh import Mesh, face_normals
from cyclorama.core.geometry.normals import smooth_normals
from cyclorama.core.geometry.placement import placement_matrix
from cyclorama.core.geometry.resting_pose import NOMINAL, lay_on_side
from cyclorama.core.motion import stand_height_m
from cyclorama.core.scene import Disc, Placement, Sweep
from cyclorama.core.scene.item import Resting

VASE = lathe(np.array([[0.0, 0.9], [0.1, 0.9], [0.16, 0.6], [0.1, 0.2], [0.2, 0.0], [0.0, 0.0]]), 64)


def moved(mesh: Mesh, matrix: np.ndarray) -> Mesh:
    return mesh.transformed(matrix)


def shift(x: float, y: float, z: float) -> np.ndarray:
    m = np.eye(4)
    m[:3, 3] = x, y, z
    return m


def test_axis_of_a_leaning_vase() -> None:
    a = np.radians(11)
    lean = np.eye(4)
    lean[:2, :2] = [[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]]
    measures = measure(moved(VASE, shift(3, 2, -1) @ lean))
    assert axis_lean_deg(measures, Placement()) == pytest.approx(11, abs=0.01)
    off = measures.axis_point - [3, 2, -1]
    along = measures.axis_direction
    assert np.linalg.norm(off - along * (off @ along)) < 1e-5
    assert measures.axis_residual < 0.05


@pytest.mark.parametrize("method", ["box", "area", "revolution"])
def test_centring_ends_the_wobble(method: str) -> None:
    measures = measure(moved(VASE, shift(0.03, 0, 0.04)))
    assert wobble_mm(measures, Placement(), method) == pytest.approx(50, abs=0.2)  # 3-4-5 triangle
    assert wobble_mm(measures, centre_placement(measures, Placement(), method), method) < 1e-6


def test_a_handle_pulls_the_box_but_not_the_axis() -> None:
    knob = moved(sphere(0.02, 16), shift(0.4, 0.5, 0))
    both = Mesh(
        *(np.concatenate([getattr(VASE, f), getattr(knob, f)]) for f in ("vertices", "normals", "uvs")),
        np.concatenate([VASE.triangles, knob.triangles + len(VASE.vertices)]),
        np.zeros(len(VASE.triangles) + len(knob.triangles), np.int32),
    )
    measures = measure(both)
    assert wobble_mm(measures, Placement(), "box") > 90
    assert wobble_mm(measures, Placement(), "revolution") < 8


@pytest.mark.parametrize("up", ["y", "z"])
@pytest.mark.parametrize("unit", [1.0, 0.001, 0.0254])
def test_standing_on_disc_and_floor(up: str, unit: float) -> None:
    mesh = moved(VASE, np.diag([1 / unit, 1 / unit, 1 / unit, 1.0]))
    project, _ = project_of(mesh, diffuse())
    measures = measure(mesh)
    placement = ground_placement(measures, Placement(unit_m=unit, up=up), 0.02)
    assert placed_hull(measures, placement)[:, 1].min() == pytest.approx(0.02, abs=1e-9)
    standing = edited(project, subject__placement=placement, set__disc__on=True, set__disc__height_m=0.02)
    for there, gap in ((standing, 0.0), (edited(standing, set__disc__on=False), 0.02)):
        item = there.subject
        assert item is not None
        assert gap_m(measures, item.placement, stand_height_m(there, item)) == pytest.approx(gap, abs=1e-9)


@pytest.mark.parametrize("round_shape", [True, False])
def test_hull_of_very_many_points(round_shape: bool) -> None:
    """Exact along the axes (size, contact), a thousandth of the size in any other direction."""
    rng = np.random.default_rng(1)
    points = rng.normal(size=(250_000, 3))
    if round_shape:
        points /= np.linalg.norm(points, axis=1, keepdims=True)
    points *= [1, 3, 0.2]
    hull = convex_corners(points)
    assert np.array_equal(hull.min(axis=0), points.min(axis=0))
    assert np.array_equal(hull.max(axis=0), points.max(axis=0))
    directions = rng.normal(size=(200, 3))
    reach = (points @ directions.T).max(axis=0)
    assert ((hull @ directions.T).max(axis=0) >= reach * 0.9985).all()
    assert ((hull @ directions.T).max(axis=0) <= reach).all()
    assert len(hull) < 5000


def test_flat_and_single_point_models_have_a_hull() -> None:
    flat = np.array([[0, 0, 0], [1, 0, 0], [1, 0, 1], [0, 0, 1], [0.5, 0, 0.5]], float)
    assert np.ptp(convex_corners(flat), axis=0).tolist() == [1, 0, 1]
    assert convex_corners(flat[:1]).shape[1] == 3


def test_generated_set_looks_inwards_and_up() -> None:
    for sweep in (Sweep(form="round"), Sweep(form="straight")):
        mesh = build_sweep(sweep)
        middle = mesh.vertices[mesh.triangles].mean(axis=1)
        towards = np.array([0, 2.0, 0]) - middle
        assert (np.einsum("ij,ij->i", face_normals(mesh.vertices, mesh.triangles), towards) > 0).all()
        assert mesh.vertices[:, 1].max() == pytest.approx(sweep.height_m)
    disc = build_disc(Disc(radius_m=0.3, height_m=0.02, edge_m=0.005))
    radius = np.hypot(disc.vertices[:, 0], disc.vertices[:, 2])
    assert radius.max() == pytest.approx(0.3)
    rim = (disc.vertices[:, 1] > 0.0151) & (radius > 0.2951)
    arc_distance = np.hypot(radius[rim] - 0.295, disc.vertices[rim, 1] - 0.015)
    assert arc_distance == pytest.approx(0.005, abs=1e-5)


def test_creases() -> None:
    """Of a cube all edges are hard at 35°, of a fine ball none."""
    v = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], float)
    quads = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    t = np.array([tri for a, b, c, d in quads for tri in ((a, b, c), (a, c, d))])
    normals = smooth_normals(v, t)
    assert (np.abs(normals).max(axis=2) > 0.9999).all()
    ball = sphere(1.0, 64)
    smooth = smooth_normals(ball.vertices, ball.triangles)
    radial = ball.vertices[ball.triangles]
    assert np.einsum("tci,tci->tc", smooth, radial).min() > 0.995


def wedge() -> Mesh:
    """A wedge 4 wide (x), 2 high (y), 3 deep (z) whose front leans back by atan(1/2): it has a face to lie on there."""
    v = np.float32([[x, y, z] for x in (0, 4) for y, z in ((0, 0), (0, 3), (2, 2), (2, 0))])
    faces = [[0, 1, 2, 3], [4, 7, 6, 5], [0, 4, 5, 1], [1, 5, 6, 2], [2, 6, 7, 3], [3, 7, 4, 0]]
    t = np.int32([[f[0], f[k], f[k + 1]] for f in faces for k in (1, 2)])
    return Mesh(v, np.zeros_like(v), np.zeros((8, 2), np.float32), t, np.zeros(len(t), np.int32))


@pytest.mark.parametrize(
    ("on", "height"),
    # what is across the face that it lies on: the leaning front is 4 × √5, and the far edge (0, 0, 0) 6/√5 from it
    [("as it came", 2), ("face", 6 / 5**0.5), ("back", 3), ("left", 4), ("right", 4), ("head", 2)],
)
@pytest.mark.parametrize("turn", [0.0, 130.0])
def test_a_subject_settles_on_the_side_it_is_laid_on(on: Resting, height: float, turn: float) -> None:
    measures = measure(wedge())
    lying = lay_on_side(measures, Placement(turn_deg=turn), on)
    hull = placed_hull(measures, lying)
    assert np.ptp(hull[:, 1]) == pytest.approx(height, abs=1e-4)
    assert (hull[:, 1] < hull[:, 1].min() + 1e-4).sum() == 4  # all four corners of a face touch
    upright = placement_matrix(lying)[:3, :3] @ np.array([0, 1, 0])
    side = {"as it came": 0.0, "head": 180.0}.get(on, 90.0)
    assert np.degrees(np.arccos(np.clip(upright[1], -1, 1))) == pytest.approx(side, abs=27)
    assert lay_on_side(measures, lying, "as it came").model_copy(update={"turn_deg": turn}) == Placement(turn_deg=turn)


@pytest.mark.parametrize("on", ["face", "back", "left", "right", "head"])
def test_settling_hardly_turns_a_subject(on: Resting) -> None:
    """A vase leans by a few degrees when it lies; it does so on the side it was laid on, not after half a turn."""
    vase = measure(VASE)
    lying = lay_on_side(vase, Placement(), on)
    assert abs(lying.turn_deg) < 45
    nominal = NOMINAL[on]
    apart = [(a - b + 180) % 360 - 180 for a, b in zip((lying.tip_deg, lying.roll_deg), nominal, strict=True)]
    assert np.abs(apart).max() < 50


def test_a_ball_that_rests_nowhere_lies_as_it_was_put() -> None:
    ball = measure(sphere(0.5, 24))
    lying = lay_on_side(ball, Placement(), "face")
    assert abs(lying.tip_deg - 90) < 15
