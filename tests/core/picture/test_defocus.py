"""Defocus after the shot: discs as large as a thin lens draws them, light that is conserved, edges that stay."""

import numpy as np
import pytest

from cyclorama.core.picture.grade.defocus import apply_defocus, disc_px, disc_spans, spread

H, W = 81, 121


def test_discs_are_as_large_as_a_thin_lens_draws_them() -> None:
    """50 mm at f/2 focused at 2 m, a point at 4 m: 2/4 · 0.0025 / (2 · 1.95) = 0.3205 mm on 36 mm of 1280 px."""
    depth = np.array([[2.0, 4.0, 1.0, np.inf, 0.0]], np.float32)
    at, behind, before, nowhere, nothing = disc_px(depth, 2.0, 2.0, 50.0, 36.0, 1280)[0]
    diameter = 0.5 * 0.0025 / (2 * 1.95) / 0.036 * 1280
    assert at == 0
    assert behind == pytest.approx(diameter / 2, rel=1e-5)
    assert before == pytest.approx(-diameter, rel=1e-5)  # |1 − 2| / 1 is twice as much
    assert nowhere == nothing == pytest.approx(diameter, rel=1e-5)


@pytest.mark.parametrize(("radius", "blades"), [(0.8, 0), (3.3, 0), (9.0, 0), (9.0, 6), (9.0, 5)])
def test_a_point_becomes_a_disc_of_the_same_light(radius: float, blades: int) -> None:
    layer = np.zeros((H, W, 2), np.float32)
    layer[40, 60] = 100.0, 1.0
    out = spread(layer, radius, blades)
    assert out[..., 0].sum() == pytest.approx(100.0, rel=1e-4)
    y, x = np.mgrid[:H, :W]
    far = np.hypot(x - 60, y - 40)
    assert out[far > radius + 1.5].max() == 0
    if blades == 0 and radius > 3:
        inside = out[far < radius - 1.5][:, 0]
        assert inside == pytest.approx(100.0 / (np.pi * radius**2), rel=0.04)
    widths = disc_spans(radius, blades)
    full = np.pi if blades == 0 else blades / 2 * np.sin(2 * np.pi / blades)  # area of a polygon in a circle
    assert (widths[:, 1] - widths[:, 0]).sum() == pytest.approx(full * radius**2, rel=0.25 if radius < 1 else 0.05)


def test_sharp_places_keep_their_edge_before_blurred_ones() -> None:
    rng = np.random.default_rng(1)
    picture = np.zeros((H, W, 3), np.float32)
    picture[..., 2] = rng.random((H, W))
    card = np.zeros((H, W), bool)
    card[20:60, 40:80] = True
    picture[card] = np.stack([rng.random(card.sum()), np.zeros(card.sum()), np.zeros(card.sum())], -1)
    out, none = apply_defocus(picture, None, np.where(card, 0.0, 6.0).astype(np.float32))
    assert none is None
    assert np.array_equal(out[card], picture[card])
    assert out[~card][:, 0].max() < 1e-6  # no red is spread over the ground
    calm = np.s_[5:15, 10:110]
    assert out[calm][..., 2].std() < 0.2 * picture[calm][..., 2].std()
    assert out[calm][..., 2].mean() == pytest.approx(picture[calm][..., 2].mean(), rel=0.05)


def test_blurred_foreground_spreads_over_sharp_background() -> None:
    picture = np.zeros((H, W, 3), np.float32)
    picture[:, 60:] = 1.0  # a bright wall that is near
    out, _ = apply_defocus(picture, None, np.where(picture[..., 0] > 0, -8.0, 0.0).astype(np.float32))
    row = out[40, :, 0]
    assert (np.diff(row[40:75]) >= -1e-6).all()
    assert row[58] == pytest.approx(0.45, abs=0.1)
    assert row[50] == pytest.approx(0.0, abs=0.01)
    assert row[-1] == pytest.approx(1.0, abs=1e-5)  # the picture's edge takes nothing away


def test_nothing_shines_through_a_surface_that_leans_away() -> None:
    picture = np.full((H, W, 3), 50.0, np.float32)  # a bright ground far behind
    radius = np.full((H, W), 12.0, np.float32)
    radius[10:70, 20:100] = np.linspace(-3, 6, 80, dtype=np.float32)  # a dark board before it
    picture[10:70, 20:100] = 0.1
    out, _ = apply_defocus(picture, None, radius)
    assert out[18:62, 28:84].max() - 0.1 < 0.005 * 50  # less than half a hundredth of what is behind


def test_alpha_goes_along() -> None:
    alpha = np.zeros((H, W), np.float32)
    alpha[30:50, 50:70] = 1.0
    picture = np.repeat(alpha[..., None] * 0.5, 3, axis=2)
    out, soft = apply_defocus(picture, alpha, np.full((H, W), 5.0, np.float32))
    assert soft is not None
    assert soft.sum() == pytest.approx(alpha.sum(), rel=1e-4)
    assert out[..., 1] == pytest.approx(0.5 * soft, abs=1e-6)  # stays premultiplied by what covers
    assert soft[40, 49] == pytest.approx(0.45, abs=0.1)
    plain = np.full((H, W, 3), 0.7, np.float32)
    ramp = np.linspace(-6, 9, W, dtype=np.float32)[None].repeat(H, 0)
    assert apply_defocus(plain, None, ramp)[0] == pytest.approx(plain, abs=1e-5)
