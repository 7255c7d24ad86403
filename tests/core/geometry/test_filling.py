"""Hollows of vessels, and the bodies of liquids in them, against volumes in closed form."""

import math

import numpy as np
import pytest
from tests.conftest import sphere

from cyclorama.core.geometry.build import lathe
from cyclorama.core.geometry.filling import CAPILLARY_M, Hollow, fill, find_hollow, volume_m3
from cyclorama.core.geometry.mesh import Mesh, join
from cyclorama.core.geometry.normals import weld
from cyclorama.core.geometry.primitives import build_made
from cyclorama.core.scene.made import Made

ROUND = 256
POLYGON = ROUND / (2 * math.pi) * math.sin(2 * math.pi / ROUND)
"""Area of the polygon in a circle, as a share."""


def tumbler(radius: float = 0.04, wall: float = 0.002, height: float = 0.1, floor: float = 0.005) -> Mesh:
    inner = radius - wall
    outline = [(0, floor), (inner, floor), (inner, height), (radius, height), (radius, 0), (0, 0)]
    return lathe(np.array(outline, float), ROUND)


def hollow_of(mesh: Mesh) -> Hollow:
    found = find_hollow(mesh)
    assert found is not None
    return found


def is_closed(mesh: Mesh) -> bool:
    """Every edge is gone along once in each direction."""
    group, _ = weld(mesh.vertices)
    t = group[mesh.triangles].astype(np.int64)
    t = t[(t[:, 0] != t[:, 1]) & (t[:, 1] != t[:, 2]) & (t[:, 2] != t[:, 0])]
    a, b = t.ravel(), t[:, [1, 2, 0]].ravel()
    there, back = np.sort(a * len(group) + b), np.sort(b * len(group) + a)
    return bool((there == back).all() and (np.diff(there) > 0).all())


@pytest.mark.parametrize("share", [0.005, 0.3, 0.77, 1.0])
def test_a_tumbler_is_filled_to_its_level(share: float) -> None:
    hollow = hollow_of(tumbler())
    assert (hollow.bottom, hollow.brim) == pytest.approx((0.005, 0.1), abs=1e-6)
    liquid = fill(hollow, share, 0.0)
    level = 0.005 + share * 0.095
    assert liquid.vertices[:, 1].max() == pytest.approx(level, abs=1e-5)
    reach = 0.038 + hollow.grown  # it reaches into the wall and the floor
    assert volume_m3(liquid) == pytest.approx(
        POLYGON * math.pi * reach**2 * (level - 0.005 + hollow.grown), rel=0.02, abs=3e-7
    )
    assert hollow.grown == pytest.approx(1e-4)
    assert is_closed(liquid)


def test_meniscus_is_drawn_up_at_the_wall_alone() -> None:
    """Its height at the wall as told, a third of it or less a capillary length away, flat beyond; the normals of the
    surface point up and inwards."""
    hollow = hollow_of(tumbler())
    liquid = fill(hollow, 0.5, 0.002)
    level = hollow.level(0.5)
    top = liquid.vertices[liquid.vertices[:, 1] >= level - 1e-6]
    away = 0.038 - np.hypot(top[:, 0], top[:, 2])
    risen = top[:, 1] - level
    assert risen[away < 1e-5].min() == pytest.approx(0.002, abs=1e-6)
    near = risen[np.abs(away - CAPILLARY_M) < 2e-4]
    assert len(near) > 0
    assert near.max() == pytest.approx(0.002 * math.exp(-1), rel=0.1)
    assert risen[away > 4.01 * CAPILLARY_M].max(initial=0.0) == pytest.approx(0.0, abs=1e-6)
    assert is_closed(liquid)


def test_a_bottle_with_a_punt_and_a_neck_is_filled_to_the_brim() -> None:
    outline = [
        (0, 0.02), (0.02, 0.012), (0.033, 0.01), (0.034, 0.12), (0.012, 0.2), (0.012, 0.28), (0.015, 0.28),
        (0.015, 0.2), (0.037, 0.12), (0.036, 0.004), (0.03, 0), (0.02, 0.004), (0, 0.01),
    ]  # fmt: skip
    hollow = hollow_of(lathe(np.array(outline, float), ROUND))
    assert (hollow.bottom, hollow.brim) == pytest.approx((0.01, 0.28), abs=1e-6)
    for share in (0.02, 0.5, 0.9):
        assert is_closed(fill(hollow, share, 0.001))
    low = fill(hollow, 0.02, 0.0)  # a ring of liquid round the punt
    assert np.hypot(low.vertices[:, 0], low.vertices[:, 2]).min() > 0.01


def test_a_sealed_flask_and_the_largest_of_two_hollows() -> None:
    flask = join([sphere(0.05, ROUND), sphere(0.045, ROUND).reversed()])
    assert volume_m3(fill(hollow_of(flask), 1.0, 0.001)) == pytest.approx(4 / 3 * math.pi * 0.0451**3, rel=0.01)
    lift = np.eye(4)
    lift[0, 3] = 0.2
    pair = join([tumbler(), tumbler(0.02, 0.002, 0.05).transformed(lift)])
    assert fill(hollow_of(pair), 0.5, 0.0).vertices[:, 0].max() < 0.05


def test_solids_and_tubes_hold_nothing() -> None:
    tube = lathe(np.array([(0.03, 0.0), (0.03, 0.1), (0.04, 0.1), (0.04, 0.0), (0.03, 0.0)]), ROUND)
    for mesh in (sphere(0.05), tube, build_made(Made(form="box")), join([])):
        assert find_hollow(mesh) is None
