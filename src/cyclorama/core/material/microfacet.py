"""GGX microfacets in the local frame of the surface (z is the normal, x the grain).

Sources: Walter et al., "Microfacet Models for Refraction through Rough Surfaces", EGSR 2007 (D, refraction);
Heitz, "Understanding the Masking-Shadowing Function", JCGT 3(2), 2014 (anisotropic forms, height-correlated G2);
Dupuy and Benyoub, "Sampling Visible GGX Normals with Spherical Caps", HPG 2023.
"""

import math

from ..kernel import device
from ..trig import sincos_turns


@device
def ggx_d(hx, hy, hz, ax, ay):
    """Distribution of microfacet normals, 1/sr. Equation 85 of Heitz 2014."""
    x, y = hx / ax, hy / ay
    t = x * x + y * y + hz * hz
    return 1.0 / max(math.pi * ax * ay * t * t, 1e-24)


@device
def smith_lambda(wx, wy, wz, ax, ay):
    """Smith's auxiliary function for GGX (Heitz 2014, equations 72 and 80)."""
    x, y = ax * wx, ay * wy
    return 0.5 * (math.sqrt(1.0 + (x * x + y * y) / max(wz * wz, 1e-12)) - 1.0)


@device
def smith_lambda_round(z, alpha):
    """The same for facets that are as rough all round, from the cosine z."""
    z2 = z * z
    return 0.5 * (math.sqrt(1.0 + alpha * alpha * (1.0 - z2) / max(z2, 1e-12)) - 1.0)


@device
def sample_visible_normal(wx, wy, wz, ax, ay, u1, u2):
    """A microfacet normal seen from direction w, with density D·G1·max(0, w·h)/cos w."""
    sx, sy, sz = wx * ax, wy * ay, wz
    inv = 1.0 / math.sqrt(sx * sx + sy * sy + sz * sz)
    sx, sy, sz = sx * inv, sy * inv, sz * inv
    z = (1.0 - u2) * (1.0 + sz) - sz
    sin_t = math.sqrt(max(0.0, 1.0 - z * z))
    s, c = sincos_turns(u1)
    hx = (sin_t * c + sx) * ax
    hy = (sin_t * s + sy) * ay
    hz = max(z + sz, 0.0)
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    if length < 1e-20:
        return 0.0, 0.0, 1.0
    return hx / length, hy / length, hz / length


@device
def refract(wx, wy, wz, hx, hy, hz, eta):
    """Direction of w refracted at microfacet h; returns ok, x, y, z. eta = n(other side) / n(this side)."""
    cos_i = wx * hx + wy * hy + wz * hz
    sin2_t = (1.0 - cos_i * cos_i) / (eta * eta)
    if sin2_t >= 1.0:
        return False, 0.0, 0.0, 0.0
    k = cos_i / eta - math.sqrt(1.0 - sin2_t)
    return True, k * hx - wx / eta, k * hy - wy / eta, k * hz - wz / eta
