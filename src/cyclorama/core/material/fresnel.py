"""Fresnel reflectance: dielectrics by Fresnel's equations, metals by two measured colours."""

import math

from ..kernel import device

_BAR = 1.0 / 7.0
"""Cosine at which the edge tint is measured (about 82°)."""


@device
def fresnel_dielectric(cos_i, eta):
    """Unpolarised reflectance of a smooth dielectric; eta = n(other side) / n(this side), cos_i ≥ 0."""
    sin2_t = (1.0 - cos_i * cos_i) / (eta * eta)
    if sin2_t >= 1.0:
        return 1.0
    cos_t = math.sqrt(1.0 - sin2_t)
    parallel = (eta * cos_i - cos_t) / (eta * cos_i + cos_t)
    perpendicular = (cos_i - eta * cos_t) / (cos_i + eta * cos_t)
    return 0.5 * (parallel * parallel + perpendicular * perpendicular)


@device
def edge_loss(f0, f82_tint):
    """Factor of the edge term so that reflectance at 82° is `f82_tint` times Schlick's.

    Kutz, Hašan and Edmondson, "Novel Aspects of a Standard Material", 2021, equation for F82-tint, as
    OpenPBR prescribes for metals.
    """
    m = 1.0 - _BAR
    m2 = m * m
    schlick = f0 + (1.0 - f0) * m2 * m2 * m
    return schlick * (1.0 - f82_tint) / (_BAR * m2 * m2 * m2)


@device
def fresnel_metal(f0, loss, cos_i):
    """Reflectance of a metal with colour f0 at normal incidence and `edge_loss` towards the edge."""
    c = min(max(cos_i, 0.0), 1.0)
    m = 1.0 - c
    m2 = m * m
    m5 = m2 * m2 * m
    return min(max(f0 + (1.0 - f0) * m5 - loss * c * m5 * m, 0.0), 1.0)
