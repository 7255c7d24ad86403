"""The BSDF against closed forms: Fresnel, energy, reciprocity, sampling against evaluation."""

import math

import numpy as np
import pytest

from cyclorama.core.kernel import kernel
from cyclorama.core.material.bsdf import evaluate, prepare, sample
from cyclorama.core.material.microfacet import fresnel_dielectric
from cyclorama.core.material.tables import compute_tables, load_tables

FURNACE_TOLERANCE = 0.005
"""What the product promises: energy within half a percent."""


@kernel
def _albedo(base, metal, rough, ior, transmission, diffuse_rough, mu, inside, tables, numbers):
    s = prepare((base, base, base), metal, rough, ior, transmission, (1.0, 1.0, 1.0), diffuse_rough, mu, inside, tables)
    wo = (math.sqrt(1.0 - mu * mu), 0.0, mu)
    total = 0.0
    for i in range(numbers.shape[0]):
        _, _, w, _ = sample(s, wo, numbers[i, 0], numbers[i, 1], numbers[i, 2], tables)
        total += w[0]
    return total / numbers.shape[0]


@kernel
def _histogram(metal, rough, transmission, mu, tables, numbers, bins):
    """Sampled directions counted over cos θ × φ."""
    s = prepare((0.7, 0.5, 0.3), metal, rough, 1.5, transmission, (1.0, 1.0, 1.0), 0.0, mu, False, tables)
    wo = (math.sqrt(1.0 - mu * mu), 0.0, mu)
    for i in range(numbers.shape[0]):
        kind, wi, _, _ = sample(s, wo, numbers[i, 0], numbers[i, 1], numbers[i, 2], tables)
        if kind:
            a = min(int((wi[2] * 0.5 + 0.5) * bins.shape[0]), bins.shape[0] - 1)
            b = min(int((math.atan2(wi[1], wi[0]) / (2.0 * math.pi) + 0.5) * bins.shape[1]), bins.shape[1] - 1)
            bins[a, b] += 1.0


@kernel
def _expected(metal, rough, transmission, mu, tables, bins, fine):
    """Density of `evaluate` integrated over the same bins."""
    s = prepare((0.7, 0.5, 0.3), metal, rough, 1.5, transmission, (1.0, 1.0, 1.0), 0.0, mu, False, tables)
    wo = (math.sqrt(1.0 - mu * mu), 0.0, mu)
    rows, columns = bins.shape[0] * fine, bins.shape[1] * fine
    for i in range(rows):
        z = (i + 0.5) / rows * 2.0 - 1.0
        r = math.sqrt(1.0 - z * z)
        for j in range(columns):
            phi = ((j + 0.5) / columns - 0.5) * 2.0 * math.pi
            _, _, _, pdf = evaluate(s, wo, (r * math.cos(phi), r * math.sin(phi), z), tables)
            bins[i // fine, j // fine] += pdf * 4.0 * math.pi / (rows * columns)


@kernel
def _value(metal, rough, mu_o, mu_i, phi, tables):
    s = prepare((0.7, 0.7, 0.7), metal, rough, 1.5, 0.0, (1.0, 1.0, 1.0), 0.0, mu_o, False, tables)
    r = math.sqrt(1.0 - mu_i * mu_i)
    f, _, _, _ = evaluate(
        s, (math.sqrt(1.0 - mu_o * mu_o), 0.0, mu_o), (r * math.cos(phi), r * math.sin(phi), mu_i), tables
    )
    return f / mu_i


NUMBERS = np.random.default_rng(5).random((400_000, 3))


@pytest.mark.parametrize("angle_deg", [0, 30, 56.309932, 75, 89])
def test_fresnel_closed_form(angle_deg: float) -> None:
    """Against Fresnel's equations written with angles; at Brewster's angle the parallel part vanishes."""
    i = math.radians(angle_deg)
    t = math.asin(math.sin(i) / 1.5)
    if angle_deg == 0:
        expected = (0.5 / 2.5) ** 2
    else:
        s = (math.sin(i - t) / math.sin(i + t)) ** 2
        p = (math.tan(i - t) / math.tan(i + t)) ** 2
        expected = (s + p) / 2
    assert fresnel_dielectric(math.cos(i), 1.5) == pytest.approx(expected, rel=1e-9)


def test_total_internal_reflection() -> None:
    critical = math.asin(1 / 1.5)
    assert fresnel_dielectric(math.cos(critical + 1e-4), 1 / 1.5) == 1.0
    assert fresnel_dielectric(math.cos(critical - 0.05), 1 / 1.5) < 0.6


@pytest.mark.parametrize("rough", [0.0, 0.1, 0.3, 0.6, 1.0])
@pytest.mark.parametrize(
    ("metal", "transmission"), [(1.0, 0.0), (0.0, 0.0), (0.0, 1.0)], ids=["metal", "plastic", "glass"]
)
def test_white_furnace(metal: float, transmission: float, rough: float) -> None:
    tables = load_tables()
    for mu in (0.1, 0.4, 0.9):
        energy = _albedo(1.0, metal, rough, 1.5, transmission, 0.0, mu, False, tables, NUMBERS)
        assert energy == pytest.approx(1.0, abs=FURNACE_TOLERANCE)
    if transmission:
        within = _albedo(1.0, 0.0, rough, 1.5, 1.0, 0.0, 0.4, True, tables, NUMBERS)
        assert within == pytest.approx(1.0, abs=FURNACE_TOLERANCE)


@pytest.mark.parametrize(
    ("metal", "transmission", "diffuse_rough"), [(0.5, 0.0, 0.0), (0.5, 0.5, 0.0), (0.0, 0.5, 0.5), (0.0, 0.0, 1.0)]
)
def test_mixtures_gain_no_energy(metal: float, transmission: float, diffuse_rough: float) -> None:
    for rough in (0.0, 0.4, 1.0):
        for mu in (0.1, 0.5, 0.95):
            energy = _albedo(1.0, metal, rough, 1.5, transmission, diffuse_rough, mu, False, load_tables(), NUMBERS)
            assert 0.97 < energy < 1.006


@pytest.mark.parametrize(
    ("metal", "rough", "transmission"), [(1.0, 0.5, 0.0), (0.0, 0.5, 0.0), (0.0, 0.6, 1.0), (0.4, 0.7, 0.3)]
)
def test_sampled_directions_follow_the_density(metal: float, rough: float, transmission: float) -> None:
    """Chi-square of counts against the integrated density (Wilson–Hilferty for the 99.9 % point)."""
    observed, expected = np.zeros((20, 24)), np.zeros((20, 24))
    _histogram(metal, rough, transmission, 0.6, load_tables(), NUMBERS, observed)
    _expected(metal, rough, transmission, 0.6, load_tables(), expected, 24)
    assert 0.9 < expected.sum() < 1.002
    expected *= len(NUMBERS)
    used = expected > 20
    chi = float(((observed[used] - expected[used]) ** 2 / expected[used]).sum())
    freedom = int(used.sum()) - 1
    limit = freedom * (1 - 2 / (9 * freedom) + 3.09 * math.sqrt(2 / (9 * freedom))) ** 3
    assert freedom > 100
    assert chi < limit * 1.25  # the bins are integrated with 24² points each


def test_reciprocity_of_plastic() -> None:
    tables = load_tables()
    for rough in (0.2, 0.7):
        for mu_o, mu_i, phi in ((0.3, 0.8, 1.0), (0.5, 0.9, 3.0), (0.15, 0.6, 0.2)):
            there, back = _value(0.0, rough, mu_o, mu_i, phi, tables), _value(0.0, rough, mu_i, mu_o, phi, tables)
            assert there == pytest.approx(back, rel=2e-3)


def test_shipped_tables_are_what_the_program_computes(monkeypatch: pytest.MonkeyPatch) -> None:
    from cyclorama.core.material import tables as module

    for name, value in (("MU", 8), ("ROUGH", 8), ("IOR", 5)):
        monkeypatch.setattr(module, name, value)
    fresh, shipped = compute_tables(10), load_tables()
    # nodes that both grids share: the ends of every axis
    for a, b in (
        (fresh.metal, shipped.metal),
        (fresh.dielectric, shipped.dielectric),
        (fresh.glass_in, shipped.glass_in),
    ):
        corners = np.ix_(*[[0, n - 1] for n in a.shape]), np.ix_(*[[0, n - 1] for n in b.shape])
        assert a[corners[0]] == pytest.approx(b[corners[1]], abs=0.004)
