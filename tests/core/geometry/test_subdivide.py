"""Subdivision surfaces against what is known of them in closed form."""

import numpy as np
import pytest

from cyclorama.core.geometry.subdivide import Cage

CUBE = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], float)
FACES = np.array([[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]])
EDGES = np.array([[a, b] for a in range(8) for b in range(a) if np.abs(CUBE[a] - CUBE[b]).sum() == 2])


def cage(
    points: np.ndarray, faces: list[list[int]] | np.ndarray, edges: np.ndarray | None = None, sharpness: float = 0.0
) -> Cage:
    sizes = np.array([len(f) for f in faces])
    index = np.concatenate([np.asarray(f) for f in faces])
    sharp = np.zeros((0, 2), int) if edges is None else edges
    return Cage(points, index, sizes, points[index], np.ones(len(index), bool), sharp, np.full(len(sharp), sharpness))


def divided(c: Cage, times: int) -> Cage:
    for _ in range(times):
        c, _ = c.divided()
    return c


def test_a_cube_goes_to_its_limit() -> None:
    """A corner of valence n goes to (n² v + 4 Σ neighbours + Σ diagonals) / n(n + 5): halfway to the middle; the middle
    of a face and of an edge to what the B-spline's masks of the level before say."""
    fine = divided(cage(CUBE, FACES), 6)
    assert np.abs(fine.points[:8]) == pytest.approx(0.5, abs=1e-3)
    middles = fine.points[np.abs(fine.points).min(axis=1) < 1e-9]
    once, _ = cage(CUBE, FACES).divided()
    # a face's middle is a point of valence 4 after one division: (16 v + 4 Σ e + Σ f) / 36
    middle = once.points[-6:][np.argmax(once.points[-6:][:, 0])]
    assert middle.tolist() == [1, 0, 0]
    near = once.points[(once.points[:, 0] > 0.5)]
    e = near[(np.abs(near[:, 1:]) > 1e-9).sum(axis=1) == 1]
    f = near[(np.abs(near[:, 1:]) > 1e-9).sum(axis=1) == 2]
    limit = (16 * middle + 4 * e.sum(axis=0) + f.sum(axis=0)) / 36
    assert np.abs(middles[:, 0]).max() == pytest.approx(limit[0], abs=1e-3)


def test_a_plane_stays_and_its_border_is_a_cubic_spline() -> None:
    """A square's border goes as a closed cubic B-spline: its corners b to (a + 4 b + c) / 6."""
    square = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], float)
    fine = divided(cage(square, [[0, 1, 2, 3]]), 7)
    assert np.abs(fine.points[:, 2]).max() == 0
    assert fine.points[0, :2].tolist() == pytest.approx([1 / 6, 1 / 6], abs=1e-3)


def test_infinitely_sharp_edges_keep_the_cube() -> None:
    fine = divided(cage(CUBE, FACES, EDGES, 10.0), 3)
    assert np.abs(fine.points).max(axis=1) == pytest.approx(1.0)
    assert fine.points[:8].tolist() == CUBE.tolist()


def test_semi_sharp_edges_lie_between() -> None:
    corners = [np.abs(divided(cage(CUBE, FACES, EDGES, s), 5).points[:8]).mean() for s in (0.0, 0.5, 1.0, 2.0, 10.0)]
    assert corners == sorted(corners)
    assert corners[0] < corners[1] - 0.02


def test_values_go_straight_and_the_cage_stays_drawn() -> None:
    """Coordinates that are those of the corners stay on the cage; the edges that are drawn add up to the cage's."""
    fine = divided(cage(CUBE, FACES), 2)
    assert np.abs(fine.values).max(axis=1) == pytest.approx(1.0)
    assert len(fine.sizes) == 6 * 4 * 4
    assert fine.drawn.sum() == 24 * 2**2


def test_it_is_divided_until_nothing_shows() -> None:
    """What may still be off is a bound: two more divisions move nothing farther. A sharp cube is not divided at all."""
    for off in (0.1, 0.01, 0.001):
        fine, times, left = cage(CUBE, FACES).until(off, 10_000_000)
        assert left <= off
        exact = divided(fine, 3)
        moved = np.linalg.norm(exact.points[: len(fine.points)] - fine.points, axis=1).max()
        assert moved <= left
        assert moved > left / 8
    sharp, times, left = cage(CUBE, FACES, EDGES, 10.0).until(0.01, 10_000_000)
    assert (times, left, len(sharp.sizes)) == (0, 0.0, 6)
    assert cage(CUBE, FACES).until(1e-9, 6 * 4 * 4**2)[1] == 2
