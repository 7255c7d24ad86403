"""Heavy meshes made lighter: nothing that was taken out strays farther than was allowed."""

import numpy as np
import pytest
import trimesh
from tests.conftest import sphere

from cyclorama.core.geometry.lighten import LEAN, SLIP, TINT, reduce_mesh
from cyclorama.core.geometry.mesh import Mesh, face_normals, unit_rows
from cyclorama.core.geometry.normals import weld


def grid(n: int, colours: np.ndarray | None = None) -> Mesh:
    """A flat square of n × n cells with coordinates that are its own."""
    x, y = np.meshgrid(np.linspace(0, 1, n + 1), np.linspace(0, 1, n + 1))
    flat = np.column_stack([x.ravel(), y.ravel()]).astype(np.float32)
    i = (np.arange(n)[:, None] * (n + 1) + np.arange(n)).ravel()
    quads = np.column_stack([i, i + 1, i + n + 2, i + n + 1]).astype(np.int32)
    triangles = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
    vertices = np.column_stack([flat, np.zeros(len(flat))]).astype(np.float32)
    return Mesh(
        vertices,
        np.tile(np.float32([0, 0, 1]), (len(flat), 1)),
        flat,
        triangles,
        np.zeros(len(triangles), np.int32),
        colours=np.zeros((0, 4), np.float32) if colours is None else colours,
    )


def bumpy() -> Mesh:
    """A ball with waves: its map has a seam, and its normals are those of its shape."""
    ball = sphere(1.0, 192)
    x, y, z = ball.vertices.T.astype(np.float64)
    r = 1 + 0.04 * np.sin(11 * x) * np.sin(9 * y + 1) * np.cos(7 * z)
    vertices = (ball.vertices * r[:, None]).astype(np.float32)
    place, count = weld(vertices)
    total = np.zeros((count, 3))
    for c in range(3):
        np.add.at(total, place[ball.triangles[:, c]], face_normals(vertices, ball.triangles))
    return Mesh(vertices, unit_rows(total)[place], ball.uvs, ball.triangles, ball.part)


def free(mesh: Mesh, tolerance: float) -> tuple[Mesh, np.ndarray]:
    return reduce_mesh(mesh, tolerance, np.zeros(len(mesh.vertices), np.int32), np.zeros(len(mesh.triangles), bool))


def open_edges(mesh: Mesh) -> int:
    place, _ = weld(mesh.vertices)
    corners = place[mesh.triangles]
    edges = np.sort(np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]], corners[:, [2, 0]]]), axis=1)
    _, many = np.unique(edges, axis=0, return_counts=True)
    return int((many != 2).sum())


@pytest.mark.parametrize("tolerance", [0.01, 0.003])
def test_everything_taken_out_lies_within_the_tolerance(tolerance: float) -> None:
    """Against an independent search for nearest points; and at those points texture and normals are what they were."""
    mesh = bumpy()
    light, vertex = free(mesh, tolerance)
    assert len(light.triangles) < len(mesh.triangles) * {0.01: 0.06, 0.003: 0.2}[tolerance]
    assert open_edges(light) == open_edges(mesh) == 0
    for name in ("vertices", "normals", "uvs"):
        assert np.array_equal(getattr(light, name), getattr(mesh, name)[vertex])
    solid = trimesh.Trimesh(light.vertices, light.triangles, process=False)
    some = np.random.default_rng(3).choice(len(mesh.vertices), 1500, replace=False)
    points = mesh.vertices[some].astype(np.float64)
    nearest, distance, triangle = trimesh.proximity.closest_point_naive(solid, points)
    assert distance.max() <= tolerance * 1.001
    assert distance.max() > tolerance * 0.3
    weights = trimesh.triangles.points_to_barycentric(solid.triangles[triangle], nearest)
    lean = np.einsum("nk,nkc->nc", weights, light.normals[light.triangles[triangle]]) - mesh.normals[some]
    slip = np.abs(np.einsum("nk,nkc->nc", weights, light.uvs[light.triangles[triangle]]) - mesh.uvs[some])
    inland = (slip < 0.5).all(axis=1)  # not where the seam runs, and both its ends are as near
    assert (np.abs(lean).max(axis=1) <= LEAN * 1.05).mean() > 0.99
    per_unit = np.sqrt(np.linalg.norm(face_normals(mesh.vertices, mesh.triangles), axis=1).sum() / 2)
    assert (slip[inland].max(axis=1) * per_unit <= SLIP * tolerance * 1.5).mean() > 0.97
    # and nothing of the new surface lies off the old one either
    _, back, _ = trimesh.proximity.closest_point_naive(
        trimesh.Trimesh(mesh.vertices, mesh.triangles, process=False), solid.triangles_center[:200]
    )
    assert back.max() <= tolerance * 1.5


def test_a_plane_becomes_two_triangles_unless_it_is_painted() -> None:
    """Its border goes as far as its corners; a stripe of colour stays where it was."""
    light, _ = free(grid(40), 1e-4)
    assert len(light.triangles) == 2
    assert sorted(map(tuple, light.vertices[:, :2].tolist())) == [(0, 0), (0, 1), (1, 0), (1, 1)]
    x = grid(40).vertices[:, 0]
    colours = np.ones((len(x), 4), np.float32)
    colours[(x > 0.31) & (x < 0.69), :2] = 0.1
    light, _ = free(grid(40, colours), 1e-4)
    assert 2 < len(light.triangles) < 200
    for at in (0.05, 0.29, 0.5, 0.71, 0.95):
        triangle = light.vertices[light.triangles][:, :, :2].astype(np.float64)
        for y in (0.23, 0.77):
            local = trimesh.triangles.points_to_barycentric(
                np.pad(triangle, ((0, 0), (0, 0), (0, 1))), np.tile([at, y, 0.0], (len(triangle), 1))
            )
            hit = int(np.argmax(local.min(axis=1)))
            red = float((local[hit] * light.colours[light.triangles[hit], 0]).sum())
            assert np.sqrt(red) == pytest.approx(np.sqrt(0.1) if 0.31 < at < 0.69 else 1.0, abs=TINT * 1.1)


def test_edges_stay_hard_and_what_must_stay_stays() -> None:
    """A box of six grids keeps its twelve edges; triangles that are to be kept are; parts do not grow together."""
    box = trimesh.creation.box((1, 1, 1))
    fine = box.subdivide().subdivide().subdivide()
    flat = fine.triangles.reshape(-1, 3).astype(np.float32)
    normals = np.repeat(fine.face_normals, 3, axis=0).astype(np.float32)
    triangles = np.arange(len(flat), dtype=np.int32).reshape(-1, 3)
    both, index = np.unique(np.column_stack([flat, normals]).round(5), axis=0, return_inverse=True)
    mesh = Mesh(
        both[:, :3].copy(),
        both[:, 3:].copy(),
        np.zeros((len(both), 2), np.float32),
        index.ravel().astype(np.int32)[triangles],
        np.zeros(len(triangles), np.int32),
    )
    light, _ = free(mesh, 1e-3)
    assert len(light.triangles) == 12
    assert open_edges(light) == 0
    assert len(light.vertices) == 24
    keep = mesh.vertices[mesh.triangles].mean(axis=1)[:, 1] > 0.49
    kept, _ = reduce_mesh(mesh, 1e-3, np.zeros(len(mesh.vertices), np.int32), keep)
    assert (kept.vertices[kept.triangles][:, :, 1].min(axis=1) > 0.49).sum() == keep.sum()
