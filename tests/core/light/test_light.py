"""Photometry: colour temperature, flux, and environment sampling."""

import numpy as np
import pytest

from cyclorama.core.kernel import kernel
from cyclorama.core.light.environment import build_environment, environment_towards, sample_environment
from cyclorama.core.light.rect import flux_lm, luminance_nit, rect_row
from cyclorama.core.light.temperature import planckian_xy, temperature_to_rgb
from cyclorama.core.scene import RectLight


@pytest.mark.parametrize(
    ("kelvin", "x", "y"),
    [(2856, 0.4476, 0.4074), (4000, 0.3805, 0.3768), (6500, 0.3135, 0.3237), (10000, 0.2807, 0.2884)],
)
def test_black_body_chromaticities(kelvin: float, x: float, y: float) -> None:
    """Published chromaticities of the Planckian locus (Wyszecki and Stiles, table 1(3.3.8))."""
    assert planckian_xy(kelvin) == pytest.approx((x, y), abs=1.5e-3)


def test_temperature_at_the_white_balance_is_white() -> None:
    assert temperature_to_rgb(5600) == pytest.approx([1, 1, 1], abs=1e-9)
    warm, cold = temperature_to_rgb(3200), temperature_to_rgb(9000)
    assert warm[0] > warm[1] > warm[2]
    assert cold[0] < cold[1] < cold[2]
    assert float(warm @ (0.2126, 0.7152, 0.0722)) == pytest.approx(1)


def test_a_stop_doubles_and_size_keeps_the_flux() -> None:
    one = RectLight(id="a", name="A", role="key", width_m=0.5, height_m=0.5)
    more = one.model_copy(update={"strength_stops": 1.0})
    wide = one.model_copy(update={"width_m": 1.0})
    assert flux_lm(more) == 2 * flux_lm(one)
    assert luminance_nit(wide) == pytest.approx(luminance_nit(one) / 2)
    row = rect_row(one, np.array([0, 0.5, 0]), 90.0)
    assert row[9:12] @ (row[0:3] - [0, 0.5, 0]) == pytest.approx(-one.distance_m, rel=1e-5)


@kernel
def _estimate(env, numbers, rotation):
    """∫ L dω by the sampler, and the largest mismatch between sampled and looked-up density."""
    total, worst = 0.0, 0.0
    for i in range(numbers.shape[0]):
        d, rgb, pdf = sample_environment(env, numbers[i, 0], numbers[i, 1], rotation)
        _, looked_up = environment_towards(env, d[0], d[1], d[2], rotation)
        worst = max(worst, abs(looked_up / pdf - 1.0))
        total += rgb[0] / pdf
    return total / numbers.shape[0], worst


def test_environment_sampling_integrates_the_sphere() -> None:
    rng = np.random.default_rng(2)
    picture = np.zeros((64, 128, 3), np.float32) + 0.1
    picture[10:14, 20:26] = 500.0
    env = build_environment(picture)
    polar = (np.arange(64) + 0.5) / 64 * np.pi
    exact = float((picture[..., 0] * np.sin(polar)[:, None]).sum() * (np.pi / 64) * (2 * np.pi / 128))
    total, mismatch = _estimate(env, rng.random((200_000, 2)), 0.7)
    assert total == pytest.approx(exact, rel=0.01)
    assert mismatch < 0.02  # directions on a cell's border may fall into the next
