"""The BSDF against closed forms: Fresnel, energy, reciprocity, sampling against evaluation."""

import math

import numpy as np
import pytest

from cyclorama.core.kernel import kernel
from cyclorama.core.material.bsdf import SUNK, evaluate, sample
from cyclorama.core.material.fresnel import edge_loss, fresnel_dielectric, fresnel_metal
from cyclorama.core.material.plain import evaluate_plain, prepare_plain, sample_plain
from cyclorama.core.material.record import RECORD, prepare
from cyclorama.core.material.row import PLAIN, row_of
from cyclorama.core.material.tables import (
    BASE_ROUGH,
    COATED,
    DIELECTRIC,
    GLASS_IN,
    INDEX,
    METAL,
    MU,
    ROUGH,
    compute_tables,
    load_tables,
)
from cyclorama.core.scene import Material

FURNACE_TOLERANCE = 0.01
"""What the product promises: energy within a percent."""
NUMBERS = np.random.default_rng(5).random((400_000, 3))
NO_FILMS = np.zeros((1, 2, 2, 3), np.float32)
UP = (0.0, 0.0, 1.0)


def rows(**values: object) -> tuple[np.ndarray, np.ndarray]:
    """A material's row and an empty record."""
    return row_of(Material(id="m", name="m", **values)), np.zeros(RECORD)  # type: ignore[arg-type]


@kernel
def _albedo(v, s, mu, inside, films, tables, numbers):
    wo = (math.sqrt(1.0 - mu * mu), 0.0, mu)
    prepare(v, s, wo, (0.0, 0.0, 1.0), inside, tables)
    total = 0.0
    for i in range(numbers.shape[0]):
        _, _, w, _ = sample(v, s, wo, numbers[i, 0], numbers[i, 1], numbers[i, 2], films, tables)
        total += w[0]
    return total / numbers.shape[0]


@kernel
def _histogram(v, s, mu, coat_normal, films, tables, numbers, bins):
    """Sampled directions counted over cos θ × φ."""
    wo = (math.sqrt(1.0 - mu * mu) * 0.8, math.sqrt(1.0 - mu * mu) * 0.6, mu)
    prepare(v, s, wo, coat_normal, False, tables)
    for i in range(numbers.shape[0]):
        kind, wi, _, _ = sample(v, s, wo, numbers[i, 0], numbers[i, 1], numbers[i, 2], films, tables)
        if kind and kind != SUNK:
            a = min(int((wi[2] * 0.5 + 0.5) * bins.shape[0]), bins.shape[0] - 1)
            b = min(int((math.atan2(wi[1], wi[0]) / (2.0 * math.pi) + 0.5) * bins.shape[1]), bins.shape[1] - 1)
            bins[a, b] += 1.0


@kernel
def _expected(v, s, mu, coat_normal, films, tables, bins, fine):
    """Density of `evaluate` integrated over the same bins."""
    wo = (math.sqrt(1.0 - mu * mu) * 0.8, math.sqrt(1.0 - mu * mu) * 0.6, mu)
    prepare(v, s, wo, coat_normal, False, tables)
    rows, columns = bins.shape[0] * fine, bins.shape[1] * fine
    for i in range(rows):
        z = (i + 0.5) / rows * 2.0 - 1.0
        r = math.sqrt(1.0 - z * z)
        for j in range(columns):
            phi = ((j + 0.5) / columns - 0.5) * 2.0 * math.pi
            pdf = evaluate(v, s, wo, (r * math.cos(phi), r * math.sin(phi), z), films, tables)[6]
            bins[i // fine, j // fine] += pdf * 4.0 * math.pi / (rows * columns)


@kernel
def _value(v, s, mu_o, mu_i, phi, films, tables):
    wo = (math.sqrt(1.0 - mu_o * mu_o), 0.0, mu_o)
    prepare(v, s, wo, (0.0, 0.0, 1.0), False, tables)
    r = math.sqrt(1.0 - mu_i * mu_i)
    f = evaluate(v, s, wo, (r * math.cos(phi), r * math.sin(phi), mu_i), films, tables)
    return (f[0] + f[3]) / mu_i


@kernel
def _dielectric(cos_i, eta):
    return fresnel_dielectric(cos_i, eta)


@kernel
def _metal(f0, tint, cos_i):
    return fresnel_metal(f0, edge_loss(f0, tint), cos_i)


def furnace(mu: float, inside: bool = False, **values: object) -> float:
    v, s = rows(**values)
    return float(_albedo(v, s, mu, inside, NO_FILMS, load_tables(), NUMBERS))


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
    assert _dielectric(math.cos(i), 1.5) == pytest.approx(expected, rel=1e-9)


def test_total_internal_reflection() -> None:
    critical = math.asin(1 / 1.5)
    assert _dielectric(math.cos(critical + 1e-4), 1 / 1.5) == 1.0
    assert _dielectric(math.cos(critical - 0.05), 1 / 1.5) < 0.6


def test_metals_pass_through_their_two_measured_colours() -> None:
    """F0 face on, edge tint × Schlick at cos θ = 1/7, white at grazing."""
    f0, tint = 0.6, 0.7
    schlick = f0 + (1 - f0) * (6 / 7) ** 5
    assert _metal(f0, tint, 1.0) == pytest.approx(f0)
    assert _metal(f0, tint, 1 / 7) == pytest.approx(schlick * tint)
    assert _metal(f0, tint, 0.0) == pytest.approx(1.0)


WHITE = {"base_color": (1.0, 1.0, 1.0)}
SUBSTANCES = {
    "metal": {"base_metalness": 1.0},
    "plastic": {},
    "glass": {"transmission_weight": 1.0},
    "coated metal": {"base_metalness": 1.0, "coat_weight": 1.0},
    "rough coat on metal": {"base_metalness": 1.0, "coat_weight": 1.0, "coat_roughness": 0.4},
    "coated plastic": {"coat_weight": 1.0, "coat_roughness": 0.1},
}


@pytest.mark.parametrize("rough", [0.0, 0.1, 0.3, 0.6, 1.0])
@pytest.mark.parametrize("substance", SUBSTANCES)
def test_white_furnace(substance: str, rough: float) -> None:
    for mu in (0.1, 0.4, 0.9):
        energy = furnace(mu, specular_roughness=rough, **WHITE | SUBSTANCES[substance])
        assert energy == pytest.approx(1.0, abs=FURNACE_TOLERANCE), mu
    if substance == "glass":
        assert furnace(0.4, True, specular_roughness=rough, **SUBSTANCES[substance]) == pytest.approx(1.0, abs=0.005)


@pytest.mark.parametrize(
    "values",
    [
        {"base_metalness": 0.5},
        {"base_metalness": 0.5, "transmission_weight": 0.5},
        {"transmission_weight": 0.5, "base_diffuse_roughness": 0.5},
        {"base_diffuse_roughness": 1.0},
        {"fuzz_weight": 1.0},
        {"fuzz_weight": 1.0, "base_metalness": 1.0, "coat_weight": 1.0},
        {"transmission_weight": 1.0, "thin_walled": True},
        {"subsurface_weight": 1.0, "thin_walled": True, "subsurface_color": (1.0, 1.0, 1.0)},
        {"specular_weight": 0.3},
        {"subsurface_weight": 0.6, "coat_weight": 0.5},
    ],
    ids=lambda v: "+".join(v),
)
def test_mixtures_gain_no_energy_and_lose_little(values: dict[str, object]) -> None:
    for rough in (0.0, 0.4, 1.0):
        for mu in (0.1, 0.5, 0.95):
            energy = furnace(mu, specular_roughness=rough, **WHITE | values)
            assert (0.85 if "fuzz_weight" in values else 0.97) < energy < 1.008


SAMPLED = {
    "metal": {"base_metalness": 1.0, "specular_roughness": 0.5},
    "plastic": {"specular_roughness": 0.5},
    "frosted glass": {"transmission_weight": 1.0, "specular_roughness": 0.6},
    "mixture": {"base_metalness": 0.4, "specular_roughness": 0.7, "transmission_weight": 0.3},
    "brushed": {"base_metalness": 1.0, "specular_roughness": 0.6, "specular_roughness_anisotropy": 0.7},
    "rough coat": {"coat_weight": 1.0, "coat_roughness": 0.5, "specular_roughness": 0.5},
    "fuzz": {"fuzz_weight": 1.0, "fuzz_roughness": 0.4, "specular_roughness": 0.5},
    "thin": {"thin_walled": True, "transmission_weight": 0.5, "subsurface_weight": 0.5, "specular_roughness": 0.6},
}


@pytest.mark.parametrize("name", SAMPLED)
def test_sampled_directions_follow_the_density(name: str) -> None:
    """Chi-square of counts against the integrated density (Wilson–Hilferty for the 99.9 % point)."""
    v, s = rows(base_color=(0.7, 0.5, 0.3), **SAMPLED[name])
    observed, expected = np.zeros((20, 24)), np.zeros((20, 24))
    tilted = (0.2, 0.0, math.sqrt(1 - 0.04)) if "coat" in name else UP
    _histogram(v, s, 0.6, tilted, NO_FILMS, load_tables(), NUMBERS, observed)
    _expected(v, s, 0.6, tilted, NO_FILMS, load_tables(), expected, 24)
    assert 0.85 < expected.sum() < 1.002  # facets that would send light below the surface are not used
    expected *= len(NUMBERS)
    used = expected > 20
    chi = float(((observed[used] - expected[used]) ** 2 / expected[used]).sum())
    freedom = int(used.sum()) - 1
    limit = freedom * (1 - 2 / (9 * freedom) + 3.09 * math.sqrt(2 / (9 * freedom))) ** 3
    assert freedom > 100
    assert chi < limit * 1.25  # the bins are integrated with 24² points each


@pytest.mark.parametrize("name", ["metal", "plastic", "brushed", "rough coat", "fuzz"])
def test_reflection_is_reciprocal(name: str) -> None:
    """Exactly, up to the tables' float32."""
    v, s = rows(base_color=(0.7, 0.7, 0.7), coat_color=(0.9, 0.6, 0.6), coat_darkening=0.0, **SAMPLED[name])
    tables = load_tables()
    for mu_o, mu_i, phi in ((0.3, 0.8, 1.0), (0.5, 0.9, 3.0), (0.15, 0.6, 0.2)):
        there = _value(v, s, mu_o, mu_i, phi, NO_FILMS, tables)
        if name == "brushed":  # turning both directions about the normal matters here: swap them as they are
            v_turned = v.copy()
            back = _swapped(v_turned, s, mu_o, mu_i, phi, NO_FILMS, tables)
        else:
            back = _value(v, s, mu_i, mu_o, phi, NO_FILMS, tables)
        assert there == pytest.approx(back, rel=1e-5)


@kernel
def _swapped(v, s, mu_o, mu_i, phi, films, tables):
    r = math.sqrt(1.0 - mu_i * mu_i)
    wi = (r * math.cos(phi), r * math.sin(phi), mu_i)
    prepare(v, s, wi, (0.0, 0.0, 1.0), False, tables)
    f = evaluate(v, s, wi, (math.sqrt(1.0 - mu_o * mu_o), 0.0, mu_o), films, tables)
    return (f[0] + f[3]) / mu_o


def test_a_coat_darkens_and_tints_what_lies_under_it() -> None:
    """Face on, a clear coat over a dark base darkens it; over white it does not; its colour counts twice the depth."""
    bare = furnace(0.95, base_color=(0.2,) * 3, specular_roughness=0.5)
    coated = furnace(0.95, base_color=(0.2,) * 3, specular_roughness=0.5, coat_weight=1.0)
    undarkened = furnace(0.95, base_color=(0.2,) * 3, specular_roughness=0.5, coat_weight=1.0, coat_darkening=0.0)
    assert coated - 0.053 < 0.75 * (bare - 0.04)
    assert undarkened > coated
    mirror = {"base_metalness": 1.0, "base_color": (1, 1, 1), "specular_roughness": 0.0, "coat_weight": 1.0}
    f = ((1.6 - 1) / (1.6 + 1)) ** 2
    tinted = furnace(0.9999, coat_color=(0.5, 0.5, 0.5), **mirror)
    assert tinted == pytest.approx(f + (1 - f) * 0.5, abs=0.01)


def test_shipped_tables_are_what_the_program_computes() -> None:
    fresh, shipped = compute_tables(9), load_tables()
    assert fresh.shape == shipped.shape
    for start, count in ((METAL, ROUGH * MU), (DIELECTRIC, INDEX * ROUGH * MU), (GLASS_IN, INDEX * ROUGH * MU)):
        difference = np.abs(fresh[start : start + count] - shipped[start : start + count])
        assert difference.mean() < 0.004
    coated = np.abs(fresh[COATED:] - shipped[COATED:]).reshape(-1, BASE_ROUGH, MU)
    assert coated[:, :, 4:].mean() < 0.01


@kernel
def _both_ways(v, s, wo, wi, u, films, tables, out):
    prepare(v, s, wo, (0.0, 0.0, 1.0), False, tables)
    a = evaluate(v, s, wo, wi, films, tables)
    kind, d, w, pdf = sample(v, s, wo, u[0], u[1], u[2], films, tables)
    out[0, 0], out[0, 1], out[0, 2], out[0, 3], out[0, 4] = a[0], a[4], a[6], d[0], pdf
    out[0, 5], out[0, 6], out[0, 7] = kind, w[2], d[2]
    prepare_plain(v, s, wo[2], tables)
    b = evaluate_plain(v, s, wo, wi, tables)
    kind, d, w, pdf = sample_plain(v, s, wo, u[0], u[1], u[2], tables)
    out[1, 0], out[1, 1], out[1, 2], out[1, 3], out[1, 4] = b[0], b[4], b[6], d[0], pdf
    out[1, 5], out[1, 6], out[1, 7] = kind, w[2], d[2]


@pytest.mark.parametrize("metal", [0.0, 0.3, 1.0])
@pytest.mark.parametrize("rough", [0.0, 0.15, 0.7])
def test_the_short_way_is_the_long_way(metal: float, rough: float) -> None:
    v, s = rows(base_color=(0.7, 0.5, 0.3), base_metalness=metal, specular_roughness=rough)
    assert v[PLAIN] == 1
    rng = np.random.default_rng(2)
    for _ in range(50):
        z = rng.uniform(0.05, 1, 2)
        phi = rng.uniform(0, 2 * math.pi, 2)
        wo, wi = (
            tuple(float(x) for x in (math.sqrt(1 - c * c) * math.cos(p), math.sqrt(1 - c * c) * math.sin(p), c))
            for c, p in zip(z, phi, strict=True)
        )
        out = np.zeros((2, 8))
        _both_ways(v, s, wo, wi, rng.random(3), NO_FILMS, load_tables(), out)
        assert out[1] == pytest.approx(out[0], rel=1e-6, abs=1e-9)
