"""Fuzz: the soft bright edge of cloth and dust.

Estevez and Kulla, "Production Friendly Microfacet Sheen BRDF", SIGGRAPH 2017 course notes (distribution, section
2; the smooth visibility term by Neubelt and Pettineo, "Crafting a Next-Gen Material Pipeline", 2013).
"""

import math

from ..kernel import device


@device
def fuzz_value(mu_o, mu_i, cos_h, roughness):
    """BRDF of white fuzz, 1/sr."""
    r = 1.0 / max(roughness, 0.07)
    sin_h = math.sqrt(max(1.0 - cos_h * cos_h, 0.0))
    d = (2.0 + r) * sin_h**r / (2.0 * math.pi)
    return d / (4.0 * max(mu_i + mu_o - mu_i * mu_o, 1e-6))
