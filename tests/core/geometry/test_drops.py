"""Drops that condense and merge."""

import numpy as np
import pytest
import scipy
from tests.core.geometry.test_scattering import FOOT, slope

from cyclorama.core.geometry.copies import Ground, arrange, fractions
from cyclorama.core.geometry.drops import SMALLEST, condensed_radii, merge_drops
from cyclorama.core.geometry.natural import DROP_CONTACT_DEG, build_natural
from cyclorama.core.scene import Made
from cyclorama.core.scene.copies import Copies

DROP = Made(form="drop", width_m=0.01, depth_m=0.01, height_m=0.0046)


def test_radii_go_by_their_third_power() -> None:
    radii = condensed_radii(fractions(1, 200_000, 0))
    assert (radii.min(), radii.max()) == (pytest.approx(SMALLEST, rel=1e-3), pytest.approx(1.0, rel=0.05))
    for low, high in ((0.1, 0.2), (0.2, 0.4), (0.4, 0.8)):
        share = np.mean((radii > low) & (radii < high))
        expected = (low**-2 - high**-2) / (SMALLEST**-2 - 1)
        assert share == pytest.approx(expected, rel=0.05)


def test_drops_that_touch_merge_and_keep_their_water() -> None:
    rng = np.random.default_rng(2)
    places = np.column_stack([rng.uniform(0, 1, (4000, 2)), np.zeros(4000)])
    normals = np.tile([0.0, 0.0, 1.0], (4000, 1))
    radii = 0.03 * condensed_radii(rng.uniform(size=4000))
    left, grown = merge_drops(places, normals, radii)
    assert 200 < len(left) < 3000
    assert np.sum(grown**3) == pytest.approx(np.sum(radii**3), rel=1e-9)
    gaps = scipy.spatial.distance.cdist(places[left], places[left]) - grown[:, None] - grown[None, :]
    np.fill_diagonal(gaps, 1.0)
    assert gaps.min() >= -1e-12
    # on the two sides of a thin wall they stay apart
    apart, _ = merge_drops(np.zeros((2, 3)), np.array([[0, 0, 1.0], [0, 0, -1.0]]), np.array([1.0, 0.5]))
    assert len(apart) == 2


def test_drops_lie_with_their_foot_in_the_surface_and_only_where_it_is_open() -> None:
    m = np.eye(4)
    m[:3, 3] = FOOT
    mesh = build_natural(DROP).transformed(m)
    rise = 1.0
    ground = Ground(slope(0.3, rise), is_open=lambda places, normals: places[:, 0] < FOOT[0])
    copies = Copies(arrangement="drops", count=2000, radius_m=0.3)
    poses = arrange(copies, [mesh], FOOT, ground, None)[0].reshape(-1, 4, 3).astype(np.float64)
    assert 100 < len(poses) < 2000
    normal = np.array([-rise, 1.0, 0.0]) / np.hypot(rise, 1.0)
    for pose in poses[::20]:
        size = float(np.linalg.norm(pose[0]))
        up = (mesh.vertices.astype(np.float64) @ pose[:3] + pose[3] - FOOT) @ normal
        # the cap is (1 − cos θ) / sin θ of its radius high
        edge = np.radians(DROP_CONTACT_DEG)
        assert up.max() == pytest.approx(size * 0.005 * (1 - np.cos(edge)) / np.sin(edge), rel=0.02)
        assert up.min() < 0
        at = FOOT @ pose[:3] + pose[3]
        assert at[0] < FOOT[0] + 0.01
