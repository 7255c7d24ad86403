"""GGX microfacets and Fresnel, in the local frame of the surface (z is the normal).

Sources: Walter et al., "Microfacet Models for Refraction through Rough Surfaces", EGSR 2007 (D, refraction);
Heitz, "Understanding the Masking-Shadowing Function", JCGT 3(2), 2014 (height-correlated G2); Dupuy and
Benyoub, "Sampling Visible GGX Normals with Spherical Caps", HPG 2023.
"""

import math

from ..kernel import device

TWO_PI = 2.0 * math.pi


@device
def ggx_d(cos_h, alpha):
    """Distribution of microfacet normals, 1/sr. Equation 33 of Walter 2007."""
    a2 = alpha * alpha
    c2 = cos_h * cos_h
    t = c2 * (a2 - 1.0) + 1.0
    # 1 − cos² loses all digits near the normal; a² cos² + sin² is the same denominator, kept positive.
    return a2 / (math.pi * max(t * t, 1e-24))


@device
def smith_lambda(cos_w, alpha):
    """Smith's auxiliary function for GGX (Heitz 2014, equation 72)."""
    c2 = cos_w * cos_w
    if c2 >= 1.0:
        return 0.0
    return 0.5 * (math.sqrt(1.0 + alpha * alpha * (1.0 - c2) / max(c2, 1e-12)) - 1.0)


@device
def sample_visible_normal(wx, wy, wz, alpha, u1, u2):
    """A microfacet normal seen from direction w, with density D·G1·max(0, w·h)/cos w."""
    sx, sy, sz = wx * alpha, wy * alpha, wz
    inv = 1.0 / math.sqrt(sx * sx + sy * sy + sz * sz)
    sx, sy, sz = sx * inv, sy * inv, sz * inv
    phi = TWO_PI * u1
    z = (1.0 - u2) * (1.0 + sz) - sz
    sin_t = math.sqrt(max(0.0, 1.0 - z * z))
    hx = (sin_t * math.cos(phi) + sx) * alpha
    hy = (sin_t * math.sin(phi) + sy) * alpha
    hz = max(z + sz, 0.0)
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    if length < 1e-20:
        return 0.0, 0.0, 1.0
    return hx / length, hy / length, hz / length


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
def fresnel_schlick(f0, cos_i):
    """Schlick's approximation, used for metals whose colour is given at normal incidence."""
    m = 1.0 - min(max(cos_i, 0.0), 1.0)
    m2 = m * m
    return f0 + (1.0 - f0) * m2 * m2 * m


@device
def refract(wx, wy, wz, hx, hy, hz, eta):
    """Direction of w refracted at microfacet h; returns ok, x, y, z. eta as in `fresnel_dielectric`."""
    cos_i = wx * hx + wy * hy + wz * hz
    sin2_t = (1.0 - cos_i * cos_i) / (eta * eta)
    if sin2_t >= 1.0:
        return False, 0.0, 0.0, 0.0
    k = cos_i / eta - math.sqrt(1.0 - sin2_t)
    return True, k * hx - wx / eta, k * hy - wy / eta, k * hz - wz / eta
