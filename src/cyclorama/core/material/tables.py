"""Directional albedo tables, so that rough surfaces lose no energy.

Single-scattering microfacet models lose what would bounce between the facets, and a layer on top takes its share
on the way in and on the way out. What is missing is given back by a factor g(o)·g(i), the same for both directions
so that the surface stays reciprocal, chosen so that the albedo is right: g(o) ∫ f(o, i) g(i) cos i di = wanted(o).
Repeated scaling (Sinkhorn and Knopp, "Concerning nonnegative matrices and doubly stochastic matrices", 1967)
finds g. For a diffuse base it has the closed form of Kulla and Conty, "Revisiting Physically Based Shading at
Imageworks", 2017: (1−E(o))(1−E(i)) / (1−mean E).

All tables lie in one flat array, because a kernel that is handed one array is called faster than with many.
The tables ship with the program; `python -m cyclorama.core.material.tables` makes them again.
"""

import math
from functools import cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..kernel import device, kernel, routine
from .fresnel import fresnel_dielectric
from .fuzz import fuzz_value
from .microfacet import refract, sample_visible_normal, smith_lambda
from .row import PROFILE

MU, ROUGH, INDEX = 32, 32, 17
"""Steps over √cos θ, roughness, and 2 (ior − 1)/(ior + 1), each axis from 0 to 1."""
_PLANE, _BLOCK = MU * ROUGH, MU * ROUGH * INDEX
METAL = 0
"""(ROUGH, MU) factor g for facets that reflect everything"""
FUZZ_REFLECTANCE = METAL + _PLANE
"""(ROUGH, MU) reflectance of white fuzz"""
DIELECTRIC = FUZZ_REFLECTANCE + _PLANE
"""(INDEX, ROUGH, MU) reflectance seen from outside"""
GLASS_IN = DIELECTRIC + _BLOCK
"""(INDEX, ROUGH, MU) reflectance + transmittance, entering"""
GLASS_OUT = GLASS_IN + _BLOCK
"""the same, leaving"""
DIELECTRIC_MEAN = GLASS_OUT + _BLOCK
"""(INDEX, ROUGH) DIELECTRIC, cosine-weighted mean over the hemisphere"""
COAT_INDEX, COAT_ROUGH, BASE_ROUGH = 9, 8, 16
COATED = DIELECTRIC_MEAN + INDEX * ROUGH
"""(COAT_INDEX, COAT_ROUGH, BASE_ROUGH, MU) factor g for facets under a coat"""
TOTAL = COATED + COAT_INDEX * COAT_ROUGH * BASE_ROUGH * MU
_FILE = Path(__file__).with_name("albedo_tables.npy")


@device
def index_axis(ior):
    """Place of an index of refraction on its axis."""
    return 2.0 * (ior - 1.0) / (ior + 1.0)


@device
def _plane_lookup(table, start, width, x, y):
    """Bilinear in a (rows, width) plane at row position x, column position y (in steps)."""
    i, j = int(x), int(y)
    fx, fy = x - i, y - j
    k = start + i * width + j
    low = table[k] + (table[k + 1] - table[k]) * fy
    k += width
    high = table[k] + (table[k + 1] - table[k]) * fy
    return low + (high - low) * fx


@device
def _steps(x, count):
    """Position in steps, a hair below the end so that its neighbour exists."""
    return min(max(x, 0.0), 0.999999) * (count - 1)


@device
def profile_steps(mu):
    """Position in a row's own table of reflectance."""
    return _steps(math.sqrt(max(mu, 0.0)), MU)


@device
def lookup_profile(values, x):
    """Reflectance from a row's own table at `profile_steps`."""
    k = int(x)
    low = values[PROFILE + k]
    return low + (values[PROFILE + k + 1] - low) * (x - k)


@device
def lookup_plane(table, start, mu, roughness):
    """A (ROUGH, MU) table."""
    return _plane_lookup(table, start, MU, _steps(roughness, ROUGH), _steps(math.sqrt(mu), MU))


@device
def lookup_block(table, start, mu, roughness, axis):
    """An (INDEX, ROUGH, MU) table; `axis` from `index_axis`."""
    z = _steps(axis, INDEX)
    k = int(z)
    x, y = _steps(roughness, ROUGH), _steps(math.sqrt(mu), MU)
    low = _plane_lookup(table, start + k * _PLANE, MU, x, y)
    high = _plane_lookup(table, start + (k + 1) * _PLANE, MU, x, y)
    return low + (high - low) * (z - k)


@device
def lookup_mean(table, roughness, axis):
    """DIELECTRIC_MEAN."""
    return _plane_lookup(table, DIELECTRIC_MEAN, ROUGH, _steps(axis, INDEX), _steps(roughness, ROUGH))


@routine
def lookup_coated(table, mu, base_roughness, coat_roughness, axis):
    """COATED, by interpolation along all four axes."""
    i, j = _steps(axis, COAT_INDEX), _steps(coat_roughness, COAT_ROUGH)
    x, y = _steps(base_roughness, BASE_ROUGH), _steps(math.sqrt(mu), MU)
    a, b = int(i), int(j)
    fa, fb = i - a, j - b
    slab = BASE_ROUGH * MU
    start = COATED + (a * COAT_ROUGH + b) * slab
    low = _plane_lookup(table, start, MU, x, y) * (1.0 - fb) + _plane_lookup(table, start + slab, MU, x, y) * fb
    start += COAT_ROUGH * slab
    high = _plane_lookup(table, start, MU, x, y) * (1.0 - fb) + _plane_lookup(table, start + slab, MU, x, y) * fb
    return low * (1.0 - fa) + high * fa


@device
def _albedo(mu, alpha, eta, mode, points):
    """Albedo by quadrature. mode 1: dielectric reflection; 2: reflection + refraction."""
    wx, wz = math.sqrt(1.0 - mu * mu), mu
    lambda_o = smith_lambda(wx, 0.0, wz, alpha, alpha)
    total = 0.0
    for p in range(points.shape[0]):
        hx, hy, hz = sample_visible_normal(wx, 0.0, wz, alpha, alpha, points[p, 0], points[p, 1])
        cos_i = wx * hx + wz * hz
        if cos_i <= 0.0:
            continue
        f = fresnel_dielectric(cos_i, eta)
        rx, ry, rz = 2.0 * cos_i * hx - wx, 2.0 * cos_i * hy, 2.0 * cos_i * hz - wz
        if rz > 0.0:
            total += f * (1.0 + lambda_o) / (1.0 + lambda_o + smith_lambda(rx, ry, rz, alpha, alpha))
        if mode == 2 and f < 1.0:
            ok, tx, ty, tz = refract(wx, 0.0, wz, hx, hy, hz, eta)
            if ok and tz < 0.0:
                total += (1.0 - f) * (1.0 + lambda_o) / (1.0 + lambda_o + smith_lambda(tx, ty, tz, alpha, alpha))
    return total / points.shape[0]


@device
def _fuzz_albedo(mu, roughness, points):
    wx, wz = math.sqrt(1.0 - mu * mu), mu
    total = 0.0
    for p in range(points.shape[0]):
        z, phi = points[p, 0], 2.0 * math.pi * points[p, 1]
        r = math.sqrt(1.0 - z * z)
        x, y = r * math.cos(phi), r * math.sin(phi)
        hx, hy, hz = wx + x, y, wz + z
        total += fuzz_value(mu, z, hz / math.sqrt(hx * hx + hy * hy + hz * hz), roughness) * z
    return 2.0 * math.pi * total / points.shape[0]


@kernel
def _facet_weights(alpha, points, out):
    """out[o, k] = ∫ hat_k(i) f(o, i) cos i di for facets that reflect everything; hats over the √cos grid."""
    count = out.shape[0]
    for o in range(count):
        mu = max((o / (count - 1.0)) ** 2, 1e-4)
        wx, wz = math.sqrt(1.0 - mu * mu), mu
        lambda_o = smith_lambda(wx, 0.0, wz, alpha, alpha)
        for p in range(points.shape[0]):
            hx, hy, hz = sample_visible_normal(wx, 0.0, wz, alpha, alpha, points[p, 0], points[p, 1])
            cos_i = wx * hx + wz * hz
            rx, ry, rz = 2.0 * cos_i * hx - wx, 2.0 * cos_i * hy, 2.0 * cos_i * hz - wz
            if cos_i > 0.0 and rz > 0.0:
                w = (1.0 + lambda_o) / (1.0 + lambda_o + smith_lambda(rx, ry, rz, alpha, alpha)) / points.shape[0]
                x = min(math.sqrt(rz), 0.999999) * (count - 1)
                k = int(x)
                out[o, k] += w * (1.0 - (x - k))
                out[o, k + 1] += w * (x - k)


@kernel
def _fill(fuzz, dielectric, glass_in, glass_out, points):
    for j in range(fuzz.shape[0]):
        rough = j / (fuzz.shape[0] - 1.0)
        alpha = max(rough * rough, 1e-4)
        for i in range(fuzz.shape[1]):
            mu = max((i / (fuzz.shape[1] - 1.0)) ** 2, 1e-4)
            fuzz[j, i] = _fuzz_albedo(mu, rough, points)
            for k in range(dielectric.shape[0]):
                root_f0 = 0.5 * k / (dielectric.shape[0] - 1.0)
                eta = (1.0 + root_f0) / (1.0 - root_f0)
                dielectric[k, j, i] = _albedo(mu, alpha, eta, 1, points)
                glass_in[k, j, i] = _albedo(mu, alpha, eta, 2, points)
                glass_out[k, j, i] = _albedo(mu, alpha, 1.0 / eta, 2, points)


def symmetric_gain(weights: NDArray[np.float64], wanted: NDArray[np.float64]) -> NDArray[np.float64]:
    """g (n,) with g · (weights @ g) = wanted, for positive weights (n, n) and wanted albedos (n,)."""
    gain = np.ones(len(wanted))
    for _ in range(300):
        gain = np.sqrt(gain * wanted / np.maximum(weights @ gain, 1e-9))
    return gain


def compute_tables(samples_log2: int = 12) -> NDArray[np.float32]:
    """All tables (TOTAL,) by quasi-Monte Carlo quadrature with 2^samples_log2 points an entry."""
    index = np.arange(1 << samples_log2)
    golden = 0.6180339887498949
    points = np.stack([(index * golden) % 1.0, (index + 0.5) / len(index)], axis=1)
    flat = np.zeros(TOTAL, np.float32)
    metal, fuzz = (flat[start : start + _PLANE].reshape(ROUGH, MU) for start in (METAL, FUZZ_REFLECTANCE))
    blocks = [flat[s : s + _BLOCK].reshape(INDEX, ROUGH, MU) for s in (DIELECTRIC, GLASS_IN, GLASS_OUT)]
    _fill(fuzz, blocks[0], blocks[1], blocks[2], points)
    root_mu = np.linspace(0, 1, MU)
    # ∫ E(μ) 2μ dμ with μ = s²: dμ = 2s ds
    weight = 4 * root_mu**3
    mean = np.trapezoid(blocks[0] * weight, root_mu, axis=2) / np.trapezoid(weight, root_mu)
    flat[DIELECTRIC_MEAN:COATED] = mean.ravel()
    for j in range(ROUGH):
        metal[j] = symmetric_gain(_weights_at(j / (ROUGH - 1), points), np.ones(MU))
    _fill_coated(flat[COATED:].reshape(COAT_INDEX, COAT_ROUGH, BASE_ROUGH, MU), flat, points)
    return flat


def _weights_at(roughness: float, points: NDArray[np.float64]) -> NDArray[np.float64]:
    weights = np.zeros((MU, MU))
    _facet_weights(max(roughness**2, 1e-4), points, weights)
    return weights


def _fill_coated(out: NDArray[np.float32], flat: NDArray[np.float32], points: NDArray[np.float64]) -> None:
    mu = np.linspace(0, 1, MU) ** 2
    for b in range(BASE_ROUGH):
        weights = _weights_at(b / (BASE_ROUGH - 1), points)
        alone = symmetric_gain(weights, np.ones(MU))
        white = alone[:, None] * weights * alone
        for i, j in np.ndindex(COAT_INDEX, COAT_ROUGH):
            axis, rough = i / (COAT_INDEX - 1), j / (COAT_ROUGH - 1)
            albedo = [_at(flat, m, rough, axis) for m in mu]
            out[i, j, b] = symmetric_gain(white, 1.0 - np.array(albedo))


def profile(table: NDArray[np.float32], ior: float, roughness: float) -> tuple[NDArray[np.float64], float]:
    """Reflectance (MU,) of a dielectric over √cos θ at one index and roughness, and its mean."""
    axis = 2.0 * (max(ior, 1.000001) - 1.0) / (max(ior, 1.000001) + 1.0)
    mu = np.minimum(np.linspace(0, 1, MU) ** 2, 0.999999)
    values = [_at(table, float(m), roughness, axis) for m in mu]
    return np.array(values), float(_mean_at(table, roughness, axis))


@kernel
def _at(table, mu, roughness, axis):
    return lookup_block(table, DIELECTRIC, mu, roughness, axis)


@kernel
def _mean_at(table, roughness, axis):
    return lookup_mean(table, roughness, axis)


@cache
def load_tables() -> NDArray[np.float32]:
    """The shipped tables, read-only."""
    table = np.load(_FILE)
    table.setflags(write=False)
    return np.asarray(table)


if __name__ == "__main__":
    np.save(_FILE, compute_tables())
