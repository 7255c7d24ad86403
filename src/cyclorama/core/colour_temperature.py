"""Colour of a light by its temperature.

Planckian locus as cubic splines: Kim et al., "Design of Advanced Color Temperature Control System for HDTV
Applications", Journal of the Korean Physical Society 41(6), 2002; domain 1667…25000 K.
"""

import numpy as np
import scipy

from .arrays import Vec3
from .colour import LUMA, XYZ_TO_REC709

WARMEST_K, COOLEST_K = 1700.0, 20000.0
TINT_V = 0.05
"""How far a tint of 1 moves in CIE 1960 v."""


def planckian_xy(temperature_k: float) -> tuple[float, float]:
    """CIE 1931 chromaticity of a black body; temperatures are held to 1667…25000 K."""
    t = float(np.clip(temperature_k, 1667.0, 25000.0))
    if t <= 4000:
        x = -0.2661239e9 / t**3 - 0.2343589e6 / t**2 + 0.8776956e3 / t + 0.179910
    else:
        x = -3.0258469e9 / t**3 + 2.1070379e6 / t**2 + 0.2226347e3 / t + 0.240390
    if t <= 2222:
        y = -1.1063814 * x**3 - 1.34811020 * x**2 + 2.18555832 * x - 0.20219683
    elif t <= 4000:
        y = -0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867
    else:
        y = 3.0817580 * x**3 - 5.87338670 * x**2 + 3.75112997 * x - 0.37001483
    return x, y


def temperature_to_rgb(temperature_k: float, white_k: float = 5600.0, tint: float = 0.0) -> Vec3:
    """Linear Rec.709 colour of luminance 1 as seen by a camera balanced to `white_k` (von Kries in Rec.709).

    tint: −1…1 moves across the locus, from green to magenta, by up to 0.05 in CIE 1960 uv.
    """
    colour = _xy_to_rgb(*_tinted(*planckian_xy(temperature_k), tint)) / _xy_to_rgb(*planckian_xy(white_k))
    colour = np.maximum(colour, 0.0)
    luminance = float(colour @ LUMA)
    return np.asarray(colour / luminance)


def _tinted(x: float, y: float, tint: float) -> tuple[float, float]:
    """A chromaticity moved along v of CIE 1960, which near the locus runs from magenta up to green."""
    if tint == 0.0:
        return x, y
    scale = -2 * x + 12 * y + 3
    u, v = 4 * x / scale, 6 * y / scale - TINT_V * tint
    scale = 2 * u - 8 * v + 4
    return 3 * u / scale, 2 * v / scale


def white_balance_rgb(white_k: float, tint: float = 0.0) -> Vec3:
    """Factors (3,) for Rec.709 that show light of this temperature and tint as white, green kept."""
    reference = _xy_to_rgb(*planckian_xy(5600.0))
    seen = _xy_to_rgb(*_tinted(*planckian_xy(white_k), tint))
    factors = np.maximum(reference, 1e-3) / np.maximum(seen, 1e-3)
    return np.asarray(factors / factors[1])


def white_of(colour: Vec3) -> tuple[float, float] | None:
    """Temperature (K) and tint that `white_balance_rgb` needs to show a colour (3,) as grey; None when none can.

    The tint moves along v of CIE 1960 only, so the temperature is where the locus has the colour's u.
    """
    if not np.isfinite(colour).all() or colour.max() <= 0:
        return None
    reference = _xy_to_rgb(*planckian_xy(5600.0))
    x, y, z = np.linalg.solve(XYZ_TO_REC709, np.maximum(colour, 1e-9) / colour.max() * reference)
    u, v = 4 * x / (x + 15 * y + 3 * z), 6 * y / (x + 15 * y + 3 * z)

    def uv(kelvin: float) -> tuple[float, float]:
        px, py = planckian_xy(kelvin)
        scale = -2 * px + 12 * py + 3
        return 4 * px / scale, 6 * py / scale

    if not uv(COOLEST_K)[0] <= u <= uv(WARMEST_K)[0]:
        return None
    kelvin = scipy.optimize.brentq(lambda k: uv(k)[0] - u, WARMEST_K, COOLEST_K)
    tint = (uv(kelvin)[1] - v) / TINT_V
    return (float(kelvin), float(tint)) if abs(tint) <= 1 else None


def _xy_to_rgb(x: float, y: float) -> Vec3:
    return np.asarray(XYZ_TO_REC709 @ np.array([x / y, 1.0, (1 - x - y) / y]))
