"""Transparent bodies of a model in one another."""

import numpy as np
import pytest
from tests.conftest import sphere
from tests.core.geometry.test_filling import tumbler

from cyclorama.core.geometry.build import lathe
from cyclorama.core.geometry.filling import volume_m3
from cyclorama.core.geometry.mesh import Mesh, join
from cyclorama.core.geometry.nesting import Nested, grow, nested_bodies, priorities
from cyclorama.core.geometry.primitives import build_made
from cyclorama.core.scene.made import Made


def drink(reach: float) -> Mesh:
    """A body in the tumbler that reaches so far into its wall and its floor; less than 0: it stops short of them."""
    wide, low = 0.038 + reach, 0.005 - reach
    return lathe(np.array([(0, low), (wide, low), (wide, 0.062), (0, 0.062)][::-1], float), 96)


def at(mesh: Mesh, x: float, y: float) -> Mesh:
    move = np.eye(4)
    move[:2, 3] = x, y
    return mesh.transformed(move)


def told(*bodies: Mesh) -> tuple[list[Nested], list[int]]:
    found = nested_bodies(join(list(bodies)), np.ones(len(bodies), bool))
    return found, priorities(found, len(bodies)).tolist()


def test_a_drink_with_ice_in_a_glass() -> None:
    """The glass before the drink that reaches into it, the ice before the drink it lies in, a bubble in the ice before
    that; and the same in any order."""
    glass, ice, bubble = tumbler(), at(sphere(0.012, 24), 0.005, 0.03), at(sphere(0.004, 24), 0.005, 0.03)
    found, order = told(glass, drink(3e-4), ice, bubble)
    assert {(n.outer, n.inner, n.kind) for n in found} == {
        (0, 1, "overlaps"),
        (1, 2, "inside"),
        (1, 3, "inside"),
        (2, 3, "inside"),
    }
    assert order == [1, 0, 1, 2]
    assert told(bubble, ice, drink(3e-4), glass)[1] == [2, 1, 0, 1]


@pytest.mark.parametrize("gap", [0.0, 2e-4, 1e-3])
def test_a_drink_that_stops_short_of_its_glass(gap: float) -> None:
    found, order = told(tumbler(), drink(-gap))
    assert [(n.outer, n.inner, n.kind) for n in found] == [(0, 1, "apart")]
    assert found[0].gap == pytest.approx(gap, abs=1e-4)
    assert order == [1, 0]
    mended = drink(-gap + found[0].gap + 1.5e-4)
    assert [n.kind for n in told(tumbler(), mended)[0]] == ["overlaps"]


def test_bodies_beside_each_other_are_left_alone() -> None:
    assert told(tumbler(), at(tumbler(), 0.2, 0.0)) == ([], [0, 0])
    assert told(tumbler(), at(sphere(0.01, 24), 0.0, 0.05)) == ([], [0, 0])  # it floats in the air of the glass
    whole = join([tumbler(), drink(1e-4)])
    assert nested_bodies(whole, np.array([True, False])) == []


def test_growing_keeps_edges_sharp() -> None:
    """A box of 0.2 × 0.2 × 0.2 m grows by the same on every side."""
    box = grow(build_made(Made(form="box", width_m=0.2, depth_m=0.2, height_m=0.2, edge_m=0.0)), 0, 0.01)
    assert np.ptp(box.vertices, axis=0) == pytest.approx([0.22] * 3, rel=1e-3)
    assert volume_m3(box) == pytest.approx(0.22**3, rel=3e-3)


def test_growing_moves_one_part_outwards() -> None:
    both = join([sphere(0.1, 64), at(sphere(0.1, 64), 0.5, 0.0)])
    after = grow(both, 1, 0.01)
    assert np.array_equal(after.vertices[both.triangles[both.part == 0]], both.vertices[both.triangles[both.part == 0]])
    ball = after.only(after.part == 1)
    assert volume_m3(ball) / volume_m3(both.only(both.part == 1)) == pytest.approx(1.1**3, rel=0.002)
