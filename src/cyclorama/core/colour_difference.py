"""Colours as print and paint tell them: CIELAB, and how different two of them look.

CIELAB is that of ICC profiles: relative to the white D50, to which colours of displays (white D65) are brought by
Bradford's matrix (ISO 15076-1:2010, annex E).
"""

import math
import re

import numpy as np
from numpy.typing import NDArray

from .errors import ChangeError
from .textures import srgb_to_linear

F64 = NDArray[np.float64]
XYZ_D50 = np.array(
    [[0.4360747, 0.3850649, 0.1430804], [0.2225045, 0.7168786, 0.0606169], [0.0139322, 0.0971045, 0.7141733]]
)
"""Linear Rec.709 → XYZ under D50, by Bradford's matrix."""
WHITE = np.array([0.96422, 1.0, 0.82521])
EPSILON, KAPPA = 216 / 24389, 24389 / 27
_HEX = re.compile(r"#?([0-9a-fA-F]{6})")
_NUMBER = r"[-+\u2212]?\d+(?:[.,]\d+)?"
_LAB = re.compile(rf"(?:[lL]ab|L)?\s*\(?\s*({_NUMBER})[\s;,/ab*=]+({_NUMBER})[\s;,/ab*=]+({_NUMBER})\s*\)?")


def lab_of(rgb: F64) -> F64:
    """CIELAB (…, 3) of linear Rec.709 (…, 3), 1 is white (CIE 15:2018, section 8.2.1)."""
    t = np.asarray(rgb, np.float64) @ XYZ_D50.T / WHITE
    f = np.where(t > EPSILON, np.cbrt(np.maximum(t, 0.0)), (KAPPA * t + 16.0) / 116.0)
    return np.stack([116.0 * f[..., 1] - 16.0, 500.0 * (f[..., 0] - f[..., 1]), 200.0 * (f[..., 1] - f[..., 2])], -1)


def rgb_of(lab: F64) -> F64:
    """Linear Rec.709 (…, 3) of CIELAB (…, 3); beyond 0…1 where no display of that kind can show it."""
    lab = np.asarray(lab, np.float64)
    y = (lab[..., 0] + 16.0) / 116.0
    f = np.stack([y + lab[..., 1] / 500.0, y, y - lab[..., 2] / 200.0], -1)
    t = np.where(f**3 > EPSILON, f**3, (116.0 * f - 16.0) / KAPPA)
    return np.asarray(t * WHITE @ np.linalg.inv(XYZ_D50).T)


def difference(a: F64, b: F64) -> float:
    """ΔE00 of two colours in CIELAB (3,): CIEDE2000 (ISO/CIE 11664-6:2014; Sharma, Wu and Dalal, "The CIEDE2000
    Color-Difference Formula: Implementation Notes", Color Research and Application 30, 2005)."""
    (l1, a1, b1), (l2, a2, b2) = (map(float, x) for x in (a, b))
    c_mean = (math.hypot(a1, b1) + math.hypot(a2, b2)) / 2.0
    g = 0.5 * (1.0 - math.sqrt(c_mean**7 / (c_mean**7 + 25.0**7)))
    a1, a2 = (1.0 + g) * a1, (1.0 + g) * a2
    c1, c2 = math.hypot(a1, b1), math.hypot(a2, b2)
    h1, h2 = (math.degrees(math.atan2(y, x)) % 360.0 if x or y else 0.0 for x, y in ((a1, b1), (a2, b2)))
    turn = 0.0 if c1 * c2 == 0.0 else (h2 - h1 + 180.0) % 360.0 - 180.0
    if c1 * c2 and abs(h2 - h1) == 180.0:
        turn = h2 - h1
    d_l, d_c = l2 - l1, c2 - c1
    d_h = 2.0 * math.sqrt(c1 * c2) * math.sin(math.radians(turn) / 2.0)
    l_mean, c_mean = (l1 + l2) / 2.0, (c1 + c2) / 2.0
    h_mean = h1 + h2 if c1 * c2 == 0.0 else (h1 + h2) / 2.0
    if c1 * c2 and abs(h1 - h2) > 180.0:
        h_mean = (h1 + h2 + 360.0) / 2.0 if h1 + h2 < 360.0 else (h1 + h2 - 360.0) / 2.0

    def cosine(times: float, off: float) -> float:
        return math.cos(math.radians(times * h_mean + off))

    t = 1.0 - 0.17 * cosine(1, -30) + 0.24 * cosine(2, 0) + 0.32 * cosine(3, 6) - 0.2 * cosine(4, -63)
    theta = 30.0 * math.exp(-(((h_mean - 275.0) / 25.0) ** 2))
    turned = -2.0 * math.sqrt(c_mean**7 / (c_mean**7 + 25.0**7)) * math.sin(math.radians(2.0 * theta))
    s_l = 1.0 + 0.015 * (l_mean - 50.0) ** 2 / math.sqrt(20.0 + (l_mean - 50.0) ** 2)
    s_c, s_h = 1.0 + 0.045 * c_mean, 1.0 + 0.015 * c_mean * t
    parts = d_l / s_l, d_c / s_c, d_h / s_h
    return math.sqrt(sum(x * x for x in parts) + turned * parts[1] * parts[2])


def parse_colour(text: str) -> F64:
    """CIELAB (3,) of a colour as somebody tells it: `#1f6f8b` or `52 −14 −26`. Raises ChangeError."""
    text = text.strip()
    if (found := _HEX.fullmatch(text)) is not None:
        shown = np.array([int(found[1][i : i + 2], 16) for i in (0, 2, 4)]) / 255.0
        return lab_of(srgb_to_linear(shown).astype(np.float64))
    if (found := _LAB.fullmatch(text)) is not None:
        lab = np.array([float(x.replace(",", ".").replace("\u2212", "-")) for x in found.groups()])
        if 0.0 <= lab[0] <= 100.0 and np.abs(lab[1:]).max() <= 200.0:
            return lab
    raise ChangeError("Tell the colour as six digits after a # (#1f6f8b), or as L a b: 52 −14 −26.")
