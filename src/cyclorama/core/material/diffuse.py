"""Rough diffuse reflection that keeps its energy.

Source: Portsmouth, Kutz and Hill, "EON: A practical energy-preserving rough diffuse BRDF", JCGT 14(1), 2025.
"""

import math

from ..kernel import device

_C1 = 0.5 - 2.0 / (3.0 * math.pi)
_C2 = 2.0 / 3.0 - 28.0 / (15.0 * math.pi)


@device
def fon_albedo(mu, r):
    """Directional albedo of the Fujii Oren–Nayar model for white, by the paper's fit (listing 1)."""
    m = 1.0 - mu
    g = m * (0.0571085289 + m * (0.491881867 + m * (-0.332181442 + m * 0.0714429953)))
    return (1.0 + r * g) / (1.0 + _C1 * r)


@device
def eon_terms(mu_i, mu_o, cos_between, r):
    """Shape of the single-scattering lobe, the multiple-scattering lobe (both · 1/π) and the mean albedo."""
    if r <= 0.0:
        return 1.0 / math.pi, 0.0, 1.0
    s = cos_between - mu_i * mu_o
    s_over_t = s / max(mu_i, mu_o) if s > 0.0 else s
    af = 1.0 / (1.0 + _C1 * r)
    mean = af * (1.0 + _C2 * r)
    single = af * (1.0 + r * s_over_t) / math.pi
    missing = max(1.0 - fon_albedo(mu_i, r), 1e-7) * max(1.0 - fon_albedo(mu_o, r), 1e-7)
    return single, missing / (math.pi * max(1.0 - mean, 1e-7)), mean


@device
def eon_value(single, multiple, mean, albedo):
    """The BRDF for one colour channel from `eon_terms`."""
    return albedo * single + albedo * albedo * mean / (1.0 - albedo * (1.0 - mean)) * multiple
