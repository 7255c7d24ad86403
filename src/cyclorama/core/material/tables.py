"""Directional albedo tables, so that rough surfaces lose no energy.

Single-scattering microfacet models lose what would bounce between the facets. With the albedo known it can be
given back: metals by Turquin, "Practical multiple scattering compensation for microfacet models", 2019; the
diffuse base under a dielectric by Kulla and Conty, "Revisiting Physically Based Shading at Imageworks", 2017.

The tables ship with the program; `python -m cyclorama.core.material.tables` makes them again.
"""

from functools import cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..kernel import device, kernel
from .microfacet import fresnel_dielectric, refract, sample_visible_normal, smith_lambda

MU, ROUGH, IOR = 32, 32, 17
_FILE = Path(__file__).with_name("albedo_tables.npz")


class Tables(NamedTuple):
    """Albedos over √μ, roughness and (ior−1)/(ior+1)/0.5, each axis from 0 to 1."""

    metal: NDArray[np.float32]
    """(MU, ROUGH) reflectance with F = 1"""
    dielectric: NDArray[np.float32]
    """(MU, ROUGH, IOR) reflectance seen from outside"""
    dielectric_mean: NDArray[np.float32]
    """(ROUGH, IOR) the same, cosine-weighted mean over μ"""
    glass_in: NDArray[np.float32]
    """(MU, ROUGH, IOR) reflectance + transmittance, entering"""
    glass_out: NDArray[np.float32]
    """the same, leaving"""


@device
def _axis(x, count):
    p = min(max(x, 0.0), 1.0) * (count - 1)
    i = min(int(p), count - 2)
    return i, p - i


@device
def lookup2(table, x, y):
    """Bilinear lookup at x, y in 0…1."""
    i, fx = _axis(x, table.shape[0])
    j, fy = _axis(y, table.shape[1])
    low = table[i, j] * (1.0 - fy) + table[i, j + 1] * fy
    high = table[i + 1, j] * (1.0 - fy) + table[i + 1, j + 1] * fy
    return low * (1.0 - fx) + high * fx


@device
def lookup3(table, x, y, z):
    """Trilinear lookup at x, y, z in 0…1."""
    i, fx = _axis(x, table.shape[0])
    j, fy = _axis(y, table.shape[1])
    k, fz = _axis(z, table.shape[2])
    gz = 1.0 - fz
    a = table[i, j, k] * gz + table[i, j, k + 1] * fz
    b = table[i, j + 1, k] * gz + table[i, j + 1, k + 1] * fz
    c = table[i + 1, j, k] * gz + table[i + 1, j, k + 1] * fz
    d = table[i + 1, j + 1, k] * gz + table[i + 1, j + 1, k + 1] * fz
    return (a * (1.0 - fy) + b * fy) * (1.0 - fx) + (c * (1.0 - fy) + d * fy) * fx


@device
def _albedo(mu, alpha, eta, mode, points):
    """Albedo by quadrature. mode 0: F = 1; 1: dielectric reflection; 2: reflection + refraction."""
    wx, wz = np.sqrt(1.0 - mu * mu), mu
    lambda_o = smith_lambda(wz, alpha)
    total = 0.0
    for p in range(points.shape[0]):
        hx, hy, hz = sample_visible_normal(wx, 0.0, wz, alpha, points[p, 0], points[p, 1])
        cos_i = wx * hx + wz * hz
        if cos_i <= 0.0:
            continue
        f = 1.0 if mode == 0 else fresnel_dielectric(cos_i, eta)
        rz = 2.0 * cos_i * hz - wz
        if rz > 0.0:
            total += f * (1.0 + lambda_o) / (1.0 + lambda_o + smith_lambda(rz, alpha))
        if mode == 2 and f < 1.0:
            ok, _, _, tz = refract(wx, 0.0, wz, hx, hy, hz, eta)
            if ok and tz < 0.0:
                total += (1.0 - f) * (1.0 + lambda_o) / (1.0 + lambda_o + smith_lambda(-tz, alpha))
    return total / points.shape[0]


@kernel
def _fill(metal, dielectric, glass_in, glass_out, points):
    for i in range(metal.shape[0]):
        mu = max((i / (metal.shape[0] - 1.0)) ** 2, 1e-4)
        for j in range(metal.shape[1]):
            alpha = max((j / (metal.shape[1] - 1.0)) ** 2, 1e-4)
            metal[i, j] = _albedo(mu, alpha, 1.0, 0, points)
            for k in range(dielectric.shape[2]):
                root_f0 = 0.5 * k / (dielectric.shape[2] - 1.0)
                eta = (1.0 + root_f0) / (1.0 - root_f0)
                dielectric[i, j, k] = _albedo(mu, alpha, eta, 1, points)
                glass_in[i, j, k] = _albedo(mu, alpha, eta, 2, points)
                glass_out[i, j, k] = _albedo(mu, alpha, 1.0 / eta, 2, points)


def compute_tables(samples_log2: int = 12) -> Tables:
    """The tables by quasi-Monte Carlo quadrature with 2^samples_log2 points an entry."""
    index = np.arange(1 << samples_log2)
    golden = 0.6180339887498949
    points = np.stack([(index * golden) % 1.0, (index + 0.5) / len(index)], axis=1)
    metal = np.zeros((MU, ROUGH), np.float32)
    dielectric = np.zeros((MU, ROUGH, IOR), np.float32)
    glass_in, glass_out = np.zeros((2, MU, ROUGH, IOR), np.float32)
    _fill(metal, dielectric, glass_in, glass_out, points)
    root_mu = np.linspace(0, 1, MU)
    # ∫ E(μ) 2μ dμ with μ = s²: dμ = 2s ds
    weight = 4 * root_mu**3
    mean = np.asarray(np.trapezoid(dielectric * weight[:, None, None], root_mu, axis=0), np.float32)
    mean /= np.float32(np.trapezoid(weight, root_mu))
    return Tables(metal, dielectric, mean, glass_in, glass_out)


@cache
def load_tables() -> Tables:
    """The shipped tables, read-only."""
    with np.load(_FILE) as data:
        arrays = [np.ascontiguousarray(data[name], np.float32) for name in Tables._fields]
    for array in arrays:
        array.setflags(write=False)
    return Tables(*arrays)


if __name__ == "__main__":
    np.savez_compressed(_FILE, **compute_tables()._asdict())
