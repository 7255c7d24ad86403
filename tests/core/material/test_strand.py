"""Strands: energy, sampling, and closed forms of the fibre."""

import math

import numpy as np
import pytest
from tests.core.material.test_bsdf import NO_FILMS, NUMBERS, rows

from cyclorama.core.kernel import kernel
from cyclorama.core.material.bsdf import evaluate, sample
from cyclorama.core.material.record import prepare
from cyclorama.core.material.strand import CHANCE, GAIN, GAMMA_O, GAMMA_T, bessel_i0
from cyclorama.core.material.tables import load_tables

WHITE = (1.0, 1.0, 1.0)
ETA = 1.55


@kernel
def _energy(v, s, wo, films, tables, numbers, out):
    prepare(v, s, wo, (0.0, 0.0, 1.0), False, tables)
    for i in range(numbers.shape[0]):
        _, _, w, _ = sample(v, s, wo, numbers[i, 0], numbers[i, 1], numbers[i, 2], films, tables)
        for c in range(3):
            out[c] += w[c] / numbers.shape[0]


@kernel
def _counted(v, s, wo, films, tables, numbers, bins):
    prepare(v, s, wo, (0.0, 0.0, 1.0), False, tables)
    for i in range(numbers.shape[0]):
        _, wi, _, _ = sample(v, s, wo, numbers[i, 0], numbers[i, 1], numbers[i, 2], films, tables)
        a = min(int((wi[0] * 0.5 + 0.5) * bins.shape[0]), bins.shape[0] - 1)
        b = min(int((math.atan2(wi[2], wi[1]) / (2.0 * math.pi) + 0.5) * bins.shape[1]), bins.shape[1] - 1)
        bins[a, b] += 1.0


@kernel
def _density(v, s, wo, films, tables, bins, fine):
    prepare(v, s, wo, (0.0, 0.0, 1.0), False, tables)
    rows_, columns = bins.shape[0] * fine, bins.shape[1] * fine
    for i in range(rows_):
        x = (i + 0.5) / rows_ * 2.0 - 1.0
        r = math.sqrt(1.0 - x * x)
        for j in range(columns):
            phi = ((j + 0.5) / columns - 0.5) * 2.0 * math.pi
            pdf = evaluate(v, s, wo, (x, r * math.cos(phi), r * math.sin(phi)), films, tables)[6]
            bins[i // fine, j // fine] += pdf * 4.0 * math.pi / (rows_ * columns)


@kernel
def _bessel(x):
    return bessel_i0(x)


def viewer(theta: float, h: float) -> tuple[float, float, float]:
    """Direction inclined by theta (radians) to the fibre's cross-section, met at an offset from its middle."""
    return math.sin(theta), -h * math.cos(theta), math.sqrt(1 - h * h) * math.cos(theta)


def strand(**values: object) -> tuple[np.ndarray, np.ndarray]:
    return rows(strand=True, specular_ior=ETA, **values)


@pytest.mark.parametrize("rough", [0.1, 0.3, 0.6, 1.0])
@pytest.mark.parametrize(("theta", "h"), [(0.0, 0.0), (0.3, 0.7), (-0.8, -0.95), (1.2, 0.2)])
def test_a_white_fibre_loses_nothing(rough: float, theta: float, h: float) -> None:
    v, s = strand(base_color=WHITE, specular_roughness=rough)
    out = np.zeros(3)
    _energy(v, s, viewer(theta, h), NO_FILMS, load_tables(), NUMBERS, out)
    np.testing.assert_allclose(out, 1.0, atol=6e-3)


@pytest.mark.parametrize(("rough", "theta", "h"), [(0.3, 0.2, 0.3), (0.6, -0.6, -0.8), (0.9, 0.9, 0.0)])
def test_directions_come_as_often_as_their_density_says(rough: float, theta: float, h: float) -> None:
    v, s = strand(base_color=(0.6, 0.3, 0.1), specular_roughness=rough)
    found, expected = np.zeros((16, 24)), np.zeros((16, 24))
    _counted(v, s, viewer(theta, h), NO_FILMS, load_tables(), NUMBERS, found)
    _density(v, s, viewer(theta, h), NO_FILMS, load_tables(), expected, 24)
    assert expected.sum() == pytest.approx(1.0, abs=5e-3)
    found /= len(NUMBERS)
    np.testing.assert_allclose(found, expected, atol=6 * np.sqrt(expected.max() / len(NUMBERS)) + 3e-3)


def test_light_that_meets_the_middle_is_attenuated_as_by_a_plate() -> None:
    """Straight on, at the middle: Fresnel at both sides and Beer–Lambert over the thickness, two radii."""
    v, s = strand(base_color=(0.5, 0.2, 1.0), specular_roughness=0.4)
    prepare_only(v, s, viewer(0.0, 0.0))
    f = ((ETA - 1) / (ETA + 1)) ** 2
    fit = np.polynomial.polynomial.polyval(0.4, [5.969, -0.215, 2.532, -10.73, 5.574, 0.245])
    passes = np.exp(-2 * (np.log([0.5, 0.2, 1.0]) / fit) ** 2)
    gains = s[GAIN : GAIN + 12].reshape(4, 3)
    np.testing.assert_allclose(gains[0], f, rtol=1e-6)
    np.testing.assert_allclose(gains[1], (1 - f) ** 2 * passes, rtol=1e-6)
    np.testing.assert_allclose(gains[2], (1 - f) ** 2 * passes**2 * f, rtol=1e-6)
    assert s[CHANCE : CHANCE + 4].sum() == pytest.approx(1.0)


def test_light_is_bent_as_snell_has_it() -> None:
    """At right angles to the fibre, sin γ' = sin γ / η; h is the sine of the angle at which it is met."""
    for h in (-0.9, -0.2, 0.5, 0.99):
        v, s = strand(base_color=WHITE)
        prepare_only(v, s, viewer(0.0, h))
        assert math.sin(s[GAMMA_O]) == pytest.approx(h, abs=1e-7)
        assert math.sin(s[GAMMA_T]) == pytest.approx(h / ETA, abs=1e-7)


def prepare_only(v: np.ndarray, s: np.ndarray, wo: tuple[float, float, float]) -> None:
    _density(v, s, wo, NO_FILMS, load_tables(), np.zeros((1, 1)), 1)


def test_the_bessel_function_is_that_of_the_tables() -> None:
    """Abramowitz and Stegun, table 9.8."""
    for x, expected in ((0.0, 1.0), (1.0, 1.2660658778), (5.0, 27.2398718236), (10.0, 2815.7166284663)):
        assert _bessel(x) == pytest.approx(expected, rel=1e-9)
