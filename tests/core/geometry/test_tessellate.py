"""Finer triangles, and surfaces moved along their normals."""

import numpy as np
import pytest
from tests.core.geometry.test_letters import is_closed, volume

from cyclorama.core.geometry.mesh import Mesh, face_normals
from cyclorama.core.geometry.primitives import build_made
from cyclorama.core.geometry.tessellate import displace, tessellate
from cyclorama.core.scene import Made

NOTHING = np.zeros((0, 1), np.float32)


def ball(radius: float) -> Mesh:
    return build_made(Made(form="ball", width_m=2 * radius, depth_m=2 * radius, height_m=2 * radius))


def box() -> Mesh:
    return build_made(Made(form="box", width_m=0.3, depth_m=0.2, height_m=0.1, edge_m=0.0))


def edges_of(mesh: Mesh) -> np.ndarray:
    """Lengths (t, 3) of the edges of all triangles."""
    points = mesh.vertices[mesh.triangles].astype(np.float64)
    return np.asarray(np.linalg.norm(np.roll(points, -1, axis=1) - points, axis=2))


def drawn_length(mesh: Mesh) -> float:
    """Length of all edges that a wireframe draws, from both sides."""
    drawn = (mesh.inner_bits[:, None] >> np.arange(3)) & 1 == 0
    return float(edges_of(mesh)[drawn].sum())


@pytest.mark.parametrize("longest", [0.09, 0.031, 0.0107])
def test_finer_triangles_lie_on_the_coarse_ones(longest: float) -> None:
    """No edge is too long, none is far too short, nothing opens, and the wireframe draws the same lines."""
    mesh = box()
    fine, carried = tessellate(mesh, longest, 10**6, mesh.vertices[:, :1])
    assert edges_of(fine).max() <= longest
    assert np.median(edges_of(fine)) > 0.3 * longest
    assert is_closed(fine)
    assert volume(fine) == pytest.approx(0.3 * 0.2 * 0.1, rel=1e-5)
    assert drawn_length(fine) == pytest.approx(drawn_length(mesh), rel=1e-5)
    np.testing.assert_allclose(carried[:, 0], fine.vertices[:, 0], atol=1e-7)
    facing = np.einsum("ij,ij->i", face_normals(fine.vertices, fine.triangles), fine.normals[fine.triangles[:, 0]])
    assert (facing > 0).all()


def test_tessellating_ends_at_the_number_that_is_allowed() -> None:
    fine, _ = tessellate(box(), 1e-5, 3000, np.zeros((len(box().vertices), 1), np.float32))
    assert 3000 <= len(fine.triangles) <= 4 * 3000


def test_a_ball_that_is_raised_evenly_is_a_larger_ball() -> None:
    mesh = ball(0.1)
    fine, _ = tessellate(mesh, 0.004, 10**6, mesh.vertices[:, :1])
    raised = displace(fine, np.full(len(fine.vertices), 0.02), np.zeros(len(fine.vertices), bool))
    middle = np.array([0.0, 0.1, 0.0])
    away = np.linalg.norm(raised.vertices - middle, axis=1)
    assert is_closed(raised)
    # the ball's own facets are flat: their middles lie a little within
    np.testing.assert_allclose(away, 0.12, atol=1e-4)
    outwards = (raised.vertices - middle) / away[:, None]
    assert np.einsum("ij,ij->i", outwards, raised.normals).min() > 0.999


def test_hard_edges_stay_closed_and_hard_and_what_is_held_stays() -> None:
    """Corners of a box go out along the mean of its sides; its faces keep their own normals."""
    mesh = box()
    held = mesh.vertices[:, 1] < 1e-6
    fine, stays = tessellate(mesh, 0.02, 10**6, held[:, None].astype(np.float32))
    raised = displace(fine, np.full(len(fine.vertices), 0.01), stays[:, 0] > 0.999)
    assert is_closed(raised)
    np.testing.assert_array_equal(raised.vertices[stays[:, 0] > 0.999], fine.vertices[stays[:, 0] > 0.999])
    top = (fine.normals[:, 1] > 0.99) & (np.abs(fine.vertices[:, [0, 2]]) < [0.13, 0.08]).all(axis=1)
    assert top.any()
    np.testing.assert_allclose(raised.vertices[top, 1], 0.11, atol=1e-6)
    np.testing.assert_allclose(raised.normals[top], [[0, 1, 0]] * int(top.sum()), atol=1e-4)
