"""Copies set in order, and scattered over a ground."""

from dataclasses import replace

import numpy as np
import pytest
import scipy

from cyclorama.core.geometry.arrangements import ARRANGEMENTS
from cyclorama.core.geometry.copies import Ground, arrange, footprint, shown_hull
from cyclorama.core.geometry.measure import measure
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.geometry.natural import NATURAL, SHAPES, build_natural
from cyclorama.core.geometry.primitives import build_made
from cyclorama.core.scene import Item, Made, Part, Variant, Worn
from cyclorama.core.scene.copies import Copies

BOX = Made(form="box", width_m=0.04, depth_m=0.02, height_m=0.01, edge_m=0.0)
FOOT = np.array([0.5, 0.0, -0.25])


def box_at_foot() -> Mesh:
    m = np.eye(4)
    m[:3, 3] = FOOT
    return build_made(BOX).transformed(m)


def slope(reach: float, rise: float) -> Mesh:
    """A square of ground around the foot, higher to the right by `rise` for each metre."""
    corners = np.array([[-1.0, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]]) * reach
    corners[:, 1] = rise * corners[:, 0]
    normal = np.array([-rise, 1.0, 0.0]) / np.hypot(rise, 1.0)
    triangles = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    return Mesh(
        (corners + FOOT).astype(np.float32),
        np.tile(normal, (4, 1)).astype(np.float32),
        np.zeros((4, 2), np.float32),
        triangles,
        np.zeros(2, np.int32),
    )


def scattered(ground: Ground, **values: object) -> np.ndarray:
    """Poses (n, 4, 3) of boxes scattered within 0.3 m."""
    copies = Copies(arrangement="scatter", radius_m=0.3, **values)  # type: ignore[arg-type]
    return arrange(copies, [box_at_foot()], FOOT, ground, None)[0].reshape(-1, 4, 3).astype(np.float64)


def placed(pose: np.ndarray, mesh: Mesh) -> np.ndarray:
    return np.asarray(mesh.vertices.astype(np.float64) @ pose[:3] + pose[3])


def feet(poses: np.ndarray) -> np.ndarray:
    """Where the item's own place goes (n, 3)."""
    return np.asarray(np.einsum("nij,i->nj", poses[:, :3], FOOT) + poses[:, 3])


def test_scattered_copies_keep_their_distance_and_fill_the_ground() -> None:
    spacing = 0.02
    poses = scattered(Ground(slope(0.4, 0.3)), count=5000, spacing_m=spacing, turn_spread=1.0)
    at = feet(poses)
    near = scipy.spatial.cKDTree(at).query(at, 2)[0][:, 1]
    assert near.min() >= spacing * (1 - 1e-5)
    assert np.hypot(*(at - FOOT)[:, [0, 2]].T).max() <= 0.3
    np.testing.assert_allclose(at[:, 1], 0.3 * (at[:, 0] - FOOT[0]), atol=1e-6)
    # near to the 0.547 that random packings of discs cover when no more find room (Feder, J. Theor. Biol. 87, 1980)
    covered = len(at) * np.pi * (spacing / 2) ** 2 / (np.pi * 0.3**2 * np.hypot(1, 0.3))
    assert 0.44 < covered < 0.55


def test_more_copies_leave_the_first_where_they_are() -> None:
    ground = Ground(slope(0.4, 0.0))
    values = {"spacing_m": 0.01, "size_spread": 0.5, "turn_spread": 1.0, "lie": "tumbled"}
    few, many = scattered(ground, count=40, **values), scattered(ground, count=90, **values)
    assert len(few), len(many) == (40, 90)
    np.testing.assert_array_equal(few, many[:40])
    assert np.abs(scattered(ground, count=40, **values, seed=2) - few).max() > 0.01
    sizes = np.linalg.norm(many[:, 0], axis=1)
    assert 0.7 < sizes.min() < 0.8
    assert 1.25 < sizes.max() < 1.42


def test_what_stands_there_is_kept_clear() -> None:
    post = build_made(Made(form="plinth", width_m=0.1, depth_m=0.1, height_m=0.5, edge_m=0.0))
    m = np.eye(4)
    m[:3, 3] = FOOT
    points = footprint(post.transformed(m), 0.02, 0.6 / 512)
    ground = Ground(slope(0.4, 0.0), (points,), limit=lambda x, z: x < 0.6 + 0 * z)
    poses = scattered(ground, count=4000, spacing_m=0.004, clear_m=0.03, turn_spread=1.0)
    away = np.hypot(*(feet(poses) - FOOT)[:, [0, 2]].T)
    # half the post, what is to be kept clear, and seven tenths of half a box; the grid is a millimetre wide
    assert away.min() == pytest.approx(0.05 + 0.03 + 0.7 * 0.02, abs=0.004)
    assert feet(poses)[:, 0].max() < 0.6
    assert len(poses) > 1000


@pytest.mark.parametrize("upright", [True, False])
def test_copies_lie_on_stable_faces_of_their_hull(upright: bool) -> None:
    rise = 0.3
    ground = Ground(slope(0.4, rise))
    poses = scattered(ground, count=200, spacing_m=0.0, turn_spread=1.0, lie="settled", upright=upright)
    normal = np.array([0.0, 1.0, 0.0]) if upright else np.array([-rise, 1.0, 0.0]) / np.hypot(rise, 1.0)
    mesh = box_at_foot()
    heights = []
    for pose in poses:
        up = (placed(pose, mesh) - FOOT) @ normal
        lying = up[up < up.min() + 1e-6]
        assert len(lying) >= 4  # a whole face touches
        heights.append(np.ptp(up))
    # flat, on its long side or on end, oftener the lower it lies
    found, counts = np.unique(np.round(heights, 4), return_counts=True)
    assert set(found) <= {0.01, 0.02, 0.04}
    assert counts[0] == counts.max()


def test_density_follows_what_is_told() -> None:
    ground = Ground(slope(0.4, 0.5), picture=np.repeat([[1.0, 0.0]], 2, axis=0).astype(np.float32))
    share = {
        denser: np.mean(feet(scattered(ground, count=3000, spacing_m=0.0, denser=denser))[:, 0] > FOOT[0])
        for denser in ("even", "high", "low", "picture")
    }
    assert share["even"] == pytest.approx(0.5, abs=0.03)
    assert share["picture"] == 0.0
    assert share["high"] > 0.75
    assert share["low"] == pytest.approx(1 - share["high"], abs=0.04)
    away = [
        np.hypot(*(feet(scattered(ground, count=3000, spacing_m=0.0, denser=d)) - FOOT)[:, [0, 2]].T).mean()
        for d in ("middle", "even", "rim")
    ]
    assert away[0] < 0.9 * away[1] < 0.9 * away[2]


def test_a_painted_mask_lies_by_texture_coordinates_and_edges_are_sought() -> None:
    """Half of a mask is black: nothing lies on that half of the surface. Along edges, all lie within their reach."""
    ground = slope(0.4, 0.0)
    painted = replace(ground, uvs=((ground.vertices[:, [0, 2]] - FOOT[[0, 2]]) / 0.8 + 0.5).astype(np.float32))
    mask = np.zeros((8, 8))
    mask[:, 4:] = 1.0
    at = feet(scattered(Ground(painted, picture=mask), count=400, spacing_m=0.0, denser="painted"))
    assert len(at) == 400
    assert (at[:, 0] > FOOT[0]).all()
    block = build_made(Made(form="box", width_m=0.4, depth_m=0.4, height_m=0.1, edge_m=0.0))
    m = np.eye(4)
    m[:3, 3] = FOOT
    found = scattered(Ground(block.transformed(m)), count=300, spacing_m=0.0, denser="edges", upright=False)
    assert len(found) == 300
    away = np.sort(_to_sides(feet(found) - FOOT), axis=1)
    assert away[:, 1].max() < 0.03  # an edge is where two sides meet
    assert away[:, 1].mean() < 0.01
    assert not len(scattered(Ground(ground), count=50, spacing_m=0.0, denser="edges"))


def _to_sides(at: np.ndarray) -> np.ndarray:
    """Distances (n, 3) of places on a box 0.4 × 0.1 × 0.4 m on its base to its nearest sides."""
    across = 0.2 - np.abs(at[:, [0, 2]])
    return np.column_stack([across, np.minimum(at[:, 1], 0.1 - at[:, 1])])


def test_orders_stand_where_their_numbers_say() -> None:
    def at(**values: object) -> tuple[np.ndarray, np.ndarray]:
        copies = Copies(**values)  # type: ignore[arg-type]
        poses = arrange(copies, [box_at_foot()], FOOT, None, None)[0].reshape(-1, 4, 3).astype(np.float64)
        ahead = poses[:, 2]  # where the front goes
        return feet(poses) - FOOT, np.degrees(np.arctan2(ahead[:, 0], ahead[:, 2]))

    places, turns = at(arrangement="row", count=4, spacing_m=0.1, stagger_m=0.02, step_deg=10)
    np.testing.assert_allclose(places, [[-0.15, 0, 0], [-0.05, 0, 0.02], [0.05, 0, 0], [0.15, 0, 0.02]], atol=1e-6)
    np.testing.assert_allclose(turns, [0, 10, 20, 30], atol=1e-4)
    places, _ = at(arrangement="grid", count=5, columns=2, spacing_m=0.1, rows_m=0.2, direction_deg=90)
    np.testing.assert_allclose(
        places, [[0.2, 0, 0.05], [0.2, 0, -0.05], [0, 0, 0.05], [0, 0, -0.05], [-0.2, 0, 0.05]], atol=1e-6
    )
    places, turns = at(arrangement="circle", count=4, radius_m=0.3)
    np.testing.assert_allclose(places, [[0, 0, 0.3], [0.3, 0, 0], [0, 0, -0.3], [-0.3, 0, 0]], atol=1e-6)
    np.testing.assert_allclose(np.abs(turns), [0, 90, 180, 90], atol=1e-4)
    places, _ = at(arrangement="stack", count=3, spacing_m=0.01)
    np.testing.assert_allclose(places, [[0, 0, 0], [0, 0.01, 0], [0, 0.02, 0]], atol=1e-6)


def test_colourways_come_in_order_and_shapes_by_chance() -> None:
    meshes = [box_at_foot()] * 3
    row = arrange(Copies(count=7, colourways=True), meshes, FOOT, None, None)
    assert [len(poses) for poses in row] == [3, 2, 2]
    assert [len(p) for p in arrange(Copies(count=3000), meshes, FOOT, None, None)] == pytest.approx([1000] * 3, abs=90)


def test_the_hull_of_an_item_is_that_of_all_its_copies() -> None:
    measures = measure(build_made(BOX))
    item = Item(
        id="i",
        name="Box",
        made=BOX,
        parts=(Part(id="p", name="Box", triangles=12),),
        variants=(Variant(id="v", name="As made", parts=(Worn(id="p", material="m"),)),),
        variant_id="v",
        copies=Copies(arrangement="row", count=3, spacing_m=0.1),
    )
    low, high = shown_hull(measures, item).min(axis=0), shown_hull(measures, item).max(axis=0)
    np.testing.assert_allclose([low, high], [[-0.12, 0, -0.01], [0.12, 0.01, 0.01]], atol=1e-6)
    assert {kind for kind in ARRANGEMENTS} == set(Copies.model_fields["arrangement"].annotation.__args__)  # type: ignore[union-attr]


@pytest.mark.parametrize("form", list(NATURAL))
def test_natural_forms_fill_their_box_in_different_shapes(form: str) -> None:
    shapes = [
        build_natural(Made(form=form, width_m=0.3, depth_m=0.2, height_m=0.1, shape=k))  # type: ignore[arg-type]
        for k in range(SHAPES)
    ]
    for mesh in shapes:
        np.testing.assert_allclose(mesh.vertices.min(axis=0), [-0.15, 0, -0.1], atol=1e-6)
        np.testing.assert_allclose(mesh.vertices.max(axis=0), [0.15, 0.1, 0.1], atol=1e-6)
        np.testing.assert_allclose(np.linalg.norm(mesh.normals, axis=1), 1, atol=1e-5)
    assert len({mesh.vertices.tobytes() for mesh in shapes}) == SHAPES
