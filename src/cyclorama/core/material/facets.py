"""Colours of a microfacet, and what the layers above it leave: parts of the surface that `bsdf` puts together."""

import math

from ..kernel import device, routine
from .fresnel import fresnel_dielectric, fresnel_metal
from .record import (
    COAT_ALBEDO,
    COAT_AXIS,
    COAT_GAIN,
    COAT_LOG,
    COAT_MEAN,
    COAT_MU,
    COAT_NORMAL,
    ETA,
    F0,
    FUZZ_ALBEDO,
    GLASS_GAIN,
    GLASS_SHARE,
    LOSS,
    METAL_GAIN,
    ROUGH,
    UNDER,
)
from .row import (
    COAT,
    COAT_IOR,
    COAT_ROUGHNESS,
    FILM,
    FILM_TABLE,
    FILM_THICKNESS,
    FUZZ,
    FUZZ_ROUGHNESS,
    METALNESS,
    SPECULAR,
    SPECULAR_COLOR,
    THIN,
    TINT,
    TRANSMISSION,
)
from .tables import DIELECTRIC, FUZZ_REFLECTANCE, lookup_block, lookup_coated, lookup_plane
from .thin_film import thin_film_lookup


@device
def _dielectric(v, s, films, cos_h):
    """Reflectance (3,) of the dielectric at a microfacet seen under cos_h."""
    f = fresnel_dielectric(cos_h, s[ETA])
    fr = fg = fb = f
    if v[FILM] > 0.0:
        fr, fg, fb = _with_film(v, films, cos_h, f, f, f)
    if v[THIN] > 0.0 and v[TRANSMISSION] > 0.0:
        # a thin sheet reflects at both faces, and between them
        fr, fg, fb = 2.0 * fr / (1.0 + fr), 2.0 * fg / (1.0 + fg), 2.0 * fb / (1.0 + fb)
    return fr, fg, fb


@routine
def _with_film(v, films, cos_h, fr, fg, fb):
    xr, xg, xb = thin_film_lookup(films, v[FILM_TABLE], v[FILM_THICKNESS] * 1.0, cos_h)
    w = v[FILM] * 1.0
    return fr + w * (xr - fr), fg + w * (xg - fg), fb + w * (xb - fb)


@device
def reflectance(v, s, films, cos_h, gain_i):
    """Reflected colour (3,) at a microfacet. gain_i: a metal's or thin sheet's factor for the light's direction."""
    metal = v[METALNESS] * 1.0
    r = g = b = 0.0
    if metal < 1.0:
        fr, fg, fb = _dielectric(v, s, films, cos_h)
        k = (1.0 - metal) * s[GLASS_GAIN]
        if v[THIN] > 0.0 and v[TRANSMISSION] > 0.0:
            k *= gain_i
        r, g, b = k * fr * v[SPECULAR_COLOR], k * fg * v[SPECULAR_COLOR + 1], k * fb * v[SPECULAR_COLOR + 2]
    if metal > 0.0:
        m = metal * v[SPECULAR]
        fr = fresnel_metal(s[F0], s[LOSS], cos_h)
        fg = fresnel_metal(s[F0 + 1], s[LOSS + 1], cos_h)
        fb = fresnel_metal(s[F0 + 2], s[LOSS + 2], cos_h)
        if v[FILM] > 0.0:
            fr, fg, fb = _with_film(v, films, cos_h, fr, fg, fb)
        extra = s[METAL_GAIN] * gain_i - 1.0
        r += m * fr * (1.0 + s[F0] * extra)
        g += m * fg * (1.0 + s[F0 + 1] * extra)
        b += m * fb * (1.0 + s[F0 + 2] * extra)
    return r, g, b


@device
def through(v, s, films, cos_h):
    """Transmitted share (3,) at a microfacet, tinted."""
    fr, fg, fb = _dielectric(v, s, films, cos_h)
    k = s[GLASS_SHARE] * s[GLASS_GAIN]
    r, g, b = k * (1.0 - fr) * v[TINT], k * (1.0 - fg) * v[TINT + 1], k * (1.0 - fb) * v[TINT + 2]
    if v[COAT] > 0.0:
        c = 1.0 - v[COAT] * s[COAT_ALBEDO]
        r, g, b = r * c, g * c, b * c
    if v[FUZZ] > 0.0:
        c = 1.0 - s[FUZZ_ALBEDO]
        r, g, b = r * c, g * c, b * c
    return r, g, b


@device
def p_reflect(v, s, cos_h):
    """Chance that a facet chosen for a surface that also transmits reflects."""
    f = fresnel_dielectric(cos_h, s[ETA])
    metal = v[METALNESS] * 1.0
    reflected = metal + (1.0 - metal) * f
    return reflected / max(reflected + s[GLASS_SHARE] * (1.0 - f), 1e-12)


@routine
def layers(v, s, wi, glossy, tables):
    """Share of light (3,) that coat and fuzz pass to the base and back."""
    r = g = b = 1.0
    if v[COAT] > 0.0:
        cn = s[COAT_NORMAL], s[COAT_NORMAL + 1], s[COAT_NORMAL + 2]
        mu_i = min(max(abs(wi[0] * cn[0] + wi[1] * cn[1] + wi[2] * cn[2]), 1e-4), 1.0)
        rough = v[COAT_ROUGHNESS] * 1.0
        if glossy:
            share = s[COAT_GAIN] * lookup_coated(tables, mu_i, s[ROUGH], rough, s[COAT_AXIS])
        else:
            e_i = lookup_block(tables, DIELECTRIC, mu_i, rough, s[COAT_AXIS])
            share = (1.0 - s[COAT_ALBEDO]) * (1.0 - e_i) / max(1.0 - s[COAT_MEAN], 1e-6)
        # both ways through the coloured coat, refracted
        inv2 = 1.0 / (v[COAT_IOR] * v[COAT_IOR])
        mu_o = s[COAT_MU]
        way = 1.0 / math.sqrt(1.0 - (1.0 - mu_o * mu_o) * inv2) + 1.0 / math.sqrt(1.0 - (1.0 - mu_i * mu_i) * inv2)
        c = v[COAT] * 1.0
        r += c * (share * math.exp(s[COAT_LOG] * way) - 1.0)
        g += c * (share * math.exp(s[COAT_LOG + 1] * way) - 1.0)
        b += c * (share * math.exp(s[COAT_LOG + 2] * way) - 1.0)
    r, g, b = r * s[UNDER], g * s[UNDER + 1], b * s[UNDER + 2]
    if v[FUZZ] > 0.0:
        k = under_fuzz(v, s, wi[2], tables)
        r, g, b = r * k, g * k, b * k
    return r, g, b


@device
def under_fuzz(v, s, iz, tables):
    """The smaller of what the fuzz lets pass either way: reciprocal, and never a gain."""
    e_i = v[FUZZ] * lookup_plane(tables, FUZZ_REFLECTANCE, min(abs(iz), 1.0), v[FUZZ_ROUGHNESS] * 1.0)
    return 1.0 - max(s[FUZZ_ALBEDO], e_i)
