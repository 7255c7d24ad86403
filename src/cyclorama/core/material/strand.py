"""Strands: light that a round, clear, tinted fibre with scales reflects, lets through, and throws back inside.

Chiang, Bitterli, Tappan and Burley, "A Practical and Controllable Hair and Fur Model for Production Path Tracing",
EGSR 2016: four lobes, each a product of attenuation, a longitudinal part (d'Eon et al., "An Energy-Conserving Hair
Reflectance Model", EGSR 2011) and an azimuthal logistic. In the local frame x runs along the fibre to its tip, z is the
normal where it is met, so the offset from its middle follows from the viewing direction.
"""

import math

from ..kernel import device, routine
from .fresnel import fresnel_dielectric
from .row import BASE, BASE_WEIGHT, IOR, ROUGHNESS

LOBES = 4
"""Reflection, through, through after one reflection inside, and all that is left, evenly about the fibre."""
TILT = math.radians(2.0)
"""Angle of the scales, towards the root."""
SIN_O, COS_O, PHI_O, GAMMA_O, GAMMA_T, SPREAD, WIDTHS, GAIN, CHANCE = 2, 3, 4, 5, 6, 7, 8, 24, 36
"""Columns of the record: widths of the lobes (3), their attenuation (4 × 3) and the chance of each (4)."""


@device
def bessel_i0(x):
    """Modified Bessel function of the first kind, order zero, by its series; for x up to 12."""
    total, term, half = 1.0, 1.0, 0.25 * x * x
    for k in range(1, 40):
        term *= half / (k * k)
        total += term
        if term < 1e-9 * total:
            break
    return total


@device
def _log_bessel(x):
    if x > 12.0:
        return x + 0.5 * (-math.log(2.0 * math.pi) + math.log(1.0 / x) + 1.0 / (8.0 * x))
    return math.log(bessel_i0(x))


@routine
def _along(sin_i, cos_i, sin_o, cos_o, width):
    """Longitudinal part; its integral over sin θ is 1 (d'Eon et al. 2011, equation 7; its logarithm where narrow)."""
    a, b = cos_i * cos_o / width, sin_i * sin_o / width
    if width <= 0.1:
        return math.exp(_log_bessel(a) - b - 1.0 / width + math.log(2.0) + math.log(0.5 / width))
    return math.exp(-b) * bessel_i0(a) / (math.sinh(1.0 / width) * 2.0 * width)


@device
def _logistic_share(x, s):
    return 1.0 / (1.0 + math.exp(-x / s))


@device
def _around(angle, s):
    """Logistic distribution over one turn, 1/rad, at an angle from its middle."""
    angle -= 2.0 * math.pi * math.floor(angle / (2.0 * math.pi) + 0.5)
    e = math.exp(-abs(angle) / s)
    whole = _logistic_share(math.pi, s) - _logistic_share(-math.pi, s)
    return e / (s * (1.0 + e) * (1.0 + e)) / whole


@device
def _turned(s, lobe):
    """Azimuth by which a lobe turns light, from that of the viewer."""
    return 2.0 * lobe * s[GAMMA_T] - 2.0 * s[GAMMA_O] + lobe * math.pi


@device
def _tilted(s, lobe):
    """Sine and cosine of the viewer's inclination as the scales have a lobe see it: −2, +1 and +4 tilts."""
    if lobe == 3:
        return s[SIN_O] * 1.0, s[COS_O] * 1.0
    angle = -2.0 * TILT if lobe == 0 else (TILT if lobe == 1 else 4.0 * TILT)
    sin_a, cos_a = math.sin(angle), math.cos(angle)
    return s[SIN_O] * cos_a + s[COS_O] * sin_a, abs(s[COS_O] * cos_a - s[SIN_O] * sin_a)


@routine
def prepare_strand(v, s, wo):
    """Fill the record of a strand for a viewing direction."""
    sin_o = min(max(wo[0] * 1.0, -1.0), 1.0)
    cos_o = math.sqrt(max(1.0 - sin_o * sin_o, 1e-12))
    across = math.sqrt(max(wo[1] * wo[1] + wo[2] * wo[2], 1e-24))
    h = min(max(-wo[1] / across, -1.0), 1.0)
    rough, eta = min(max(v[ROUGHNESS] * 1.0, 0.02), 1.0), max(v[IOR] * 1.0, 1.0001)
    s[SIN_O], s[COS_O], s[PHI_O], s[GAMMA_O] = sin_o, cos_o, math.atan2(wo[2], wo[1]), math.asin(h)
    r2 = rough * rough
    r20 = r2**10
    width = 0.726 * rough + 0.812 * r2 + 3.7 * r20
    s[WIDTHS] = width * width
    s[WIDTHS + 1], s[WIDTHS + 2] = 0.25 * s[WIDTHS], 4.0 * s[WIDTHS]
    s[SPREAD] = math.sqrt(math.pi / 8.0) * (0.265 * rough + 1.194 * r2 + 5.372 * r20 * r2)
    # index for light that is inclined to the fibre (Marschner et al. 2003, appendix)
    sin_t = sin_o / eta
    cos_t = math.sqrt(max(1.0 - sin_t * sin_t, 1e-12))
    sin_gamma = min(max(h * cos_o / math.sqrt(max(eta * eta - sin_o * sin_o, 1e-12)), -1.0), 1.0)
    s[GAMMA_T] = math.asin(sin_gamma)
    way = 2.0 * math.sqrt(1.0 - sin_gamma * sin_gamma) / cos_t
    f = fresnel_dielectric(cos_o * math.sqrt(max(1.0 - h * h, 0.0)), eta)
    whole = 0.0
    for lobe in range(LOBES):
        s[CHANCE + lobe] = 0.0
    for c in range(3):
        passes = math.exp(-_absorption(v[BASE_WEIGHT] * v[BASE + c], rough) * way)
        first = (1.0 - f) * (1.0 - f) * passes
        s[GAIN + c], s[GAIN + 3 + c], s[GAIN + 6 + c] = f, first, first * passes * f
        s[GAIN + 9 + c] = first * passes * f * f * passes / max(1.0 - passes * f, 1e-6)
        for lobe in range(LOBES):
            s[CHANCE + lobe] += s[GAIN + 3 * lobe + c]
            whole += s[GAIN + 3 * lobe + c]
    for lobe in range(LOBES):
        s[CHANCE + lobe] /= max(whole, 1e-12)


@device
def _absorption(colour, rough):
    """Absorption per radius of a fibre of which many look like this colour (Chiang et al. 2016, equation 9)."""
    c = min(max(colour, 1e-4), 1.0)
    r2 = rough * rough
    fit = 5.969 - 0.215 * rough + 2.532 * r2 - 10.73 * r2 * rough + 5.574 * r2 * r2 + 0.245 * r2 * r2 * rough
    k = math.log(c) / fit
    return k * k


@routine
def evaluate_strand(s, wi):
    """f·|cos wi| (3,) and the density of `sample_strand`, 1/sr."""
    sin_i = min(max(wi[0] * 1.0, -1.0), 1.0)
    cos_i = math.sqrt(max(1.0 - sin_i * sin_i, 0.0))
    angle = math.atan2(wi[2], wi[1]) - s[PHI_O]
    r = g = b = pdf = 0.0
    for lobe in range(LOBES):
        sin_o, cos_o = _tilted(s, lobe)
        k = _along(sin_i, cos_i, sin_o, cos_o, s[WIDTHS + min(lobe, 2)] * 1.0)
        k *= 0.5 / math.pi if lobe == 3 else _around(angle - _turned(s, lobe), s[SPREAD] * 1.0)
        r, g, b = r + k * s[GAIN + 3 * lobe], g + k * s[GAIN + 3 * lobe + 1], b + k * s[GAIN + 3 * lobe + 2]
        pdf += k * s[CHANCE + lobe]
    return r, g, b, pdf


@routine
def sample_strand(s, u_lobe, u1, u2):
    """A direction by importance."""
    lobe = 0
    while lobe < 3 and u_lobe >= s[CHANCE + lobe]:
        u_lobe -= s[CHANCE + lobe]
        lobe += 1
    u_lobe = min(max(u_lobe / max(s[CHANCE + lobe], 1e-12), 0.0), 0.9999999)
    sin_o, cos_o = _tilted(s, lobe)
    width = s[WIDTHS + min(lobe, 2)] * 1.0
    lean = 1.0 + width * math.log(max(u1, 1e-5) + (1.0 - u1) * math.exp(-2.0 / width))
    side = math.sqrt(max(1.0 - lean * lean, 0.0)) * math.cos(2.0 * math.pi * u2)
    sin_i = min(max(-lean * sin_o + side * cos_o, -1.0), 1.0)
    cos_i = math.sqrt(max(1.0 - sin_i * sin_i, 0.0))
    if lobe == 3:
        angle = s[PHI_O] + 2.0 * math.pi * u_lobe
    else:
        spread = s[SPREAD] * 1.0
        low, high = _logistic_share(-math.pi, spread), _logistic_share(math.pi, spread)
        share = low + u_lobe * (high - low)
        x = -spread * math.log(max(1.0 / share - 1.0, 1e-30))
        angle = s[PHI_O] + _turned(s, lobe) + min(max(x, -math.pi), math.pi)
    return sin_i, cos_i * math.cos(angle), cos_i * math.sin(angle)
