"""OpenPBR Surface in its local frame (z is the shading normal on the viewer's side, x the grain).

Fuzz over a coat over a base; the base mixes a metal with a dielectric that reflects over a rough diffuse or
scattering inside, or transmits. https://academysoftwarefoundation.github.io/OpenPBR, version 1.1; how the
layers share energy is in `tables`. One GGX distribution serves reflection and refraction.

Radiance is not scaled by the squared index on refraction: cameras and lights stand in the same air, so the
factors of entering and leaving cancel along every path.
"""

import math

from ..kernel import device, routine
from ..trig import sincos_turns
from ..vectors import basis, dot
from .diffuse import eon_terms, eon_value
from .facets import layers, p_reflect, reflectance, through, under_fuzz
from .fresnel import fresnel_dielectric
from .fuzz import fuzz_value
from .microfacet import ggx_d, refract, sample_visible_normal, smith_lambda
from .record import (
    ALBEDO,
    ALBEDO_MEAN,
    AX,
    AXIS,
    AY,
    COAT_ALBEDO,
    COAT_ALPHA,
    COAT_MU,
    COAT_NORMAL,
    DIFFUSE_COLOR,
    DIFFUSE_SHARE,
    ETA,
    FUZZ_ALBEDO,
    GLASS_SHARE,
    LEAN,
    METAL_GAIN,
    MIRROR_ALPHA,
    MU_O,
    P_COAT,
    P_DIFFUSE,
    P_FUZZ,
    ROUGH,
    SUNK_SHARE,
    UNDER,
)
from .row import (
    COAT,
    COAT_IOR,
    DIFFUSE_ROUGHNESS,
    FUZZ,
    FUZZ_COLOR,
    FUZZ_ROUGHNESS,
    METALNESS,
    STRAND,
    SUBSURFACE_COLOR,
    THIN,
)
from .strand import evaluate_strand, sample_strand
from .tables import DIELECTRIC, METAL, lookup_block, lookup_plane

FAILED, DIFFUSE, GLOSSY, REFRACTED, SUNK, MIRROR, CLEAR = 0, 1, 2, 3, 4, 5, 6
"""What a sampled direction came from. SUNK goes on inside a scattering medium; MIRROR and CLEAR are the perfectly
smooth kinds."""


@device
def _diffuse_value(v, s, mu_o, mu_i, cos_between, tables):
    """f · cos of the diffuse base under the dielectric."""
    albedo_i = lookup_block(tables, DIELECTRIC, mu_i, s[ROUGH], s[AXIS])
    layer = (1.0 - s[ALBEDO]) * (1.0 - albedo_i) / max(1.0 - s[ALBEDO_MEAN], 1e-6)
    k = layer * mu_i
    r = g = b = 0.0
    if s[DIFFUSE_SHARE] > 0.0:
        single, multiple, mean = eon_terms(mu_i, mu_o, cos_between, v[DIFFUSE_ROUGHNESS] * 1.0)
        w = k * s[DIFFUSE_SHARE]
        r = w * eon_value(single, multiple, mean, s[DIFFUSE_COLOR])
        g = w * eon_value(single, multiple, mean, s[DIFFUSE_COLOR + 1])
        b = w * eon_value(single, multiple, mean, s[DIFFUSE_COLOR + 2])
    if v[THIN] > 0.0 and s[SUNK_SHARE] > 0.0:
        w = k * s[SUNK_SHARE] * 0.5 / math.pi
        r, g, b = r + w * v[SUBSURFACE_COLOR], g + w * v[SUBSURFACE_COLOR + 1], b + w * v[SUBSURFACE_COLOR + 2]
    return r, g, b


@device
def _p_sunk(v, s):
    """Share of the diffuse choice that goes below the surface."""
    if s[SUNK_SHARE] <= 0.0:
        return 0.0
    p = s[SUNK_SHARE] / (s[SUNK_SHARE] + s[DIFFUSE_SHARE])
    return 0.5 * p if v[THIN] > 0.0 else p


@routine
def evaluate(v, s, wo, wi, films, tables):
    """f·|cos wi| as diffuse (3,) and specular or transmitted (3,) parts, and the density of `sample` (1/sr).

    Mirror-smooth facets and what sinks into a scattering medium are left out.
    """
    ox, oy, oz = wo
    ix, iy, iz = wi
    dr = dg = db = sr = sg = sb = pdf = 0.0
    if v[STRAND] > 0.0:
        sr, sg, sb, pdf = evaluate_strand(s, wi)
        return dr, dg, db, sr, sg, sb, pdf
    if oz <= 0.0 or iz == 0.0:
        return dr, dg, db, sr, sg, sb, pdf
    rough = s[AX] > MIRROR_ALPHA
    if iz <= 0.0:
        if v[THIN] > 0.0:
            return _evaluate_thin(v, s, wo, wi, films, tables)
        if rough and s[GLASS_SHARE] > 0.0:
            sr, sg, sb, pdf = _evaluate_refraction(v, s, ox, oy, oz, ix, iy, iz, films, tables)
        return dr, dg, db, sr, sg, sb, pdf
    layered = v[COAT] > 0.0 or v[FUZZ] > 0.0
    mu_i = min(iz, 1.0)
    if s[P_DIFFUSE] > 0.0:
        dr, dg, db = _diffuse_value(v, s, oz, mu_i, ox * ix + oy * iy + oz * iz, tables)
        pdf = s[P_DIFFUSE] * (1.0 - _p_sunk(v, s)) * iz / math.pi
        if layered:
            lr, lg, lb = layers(v, s, wi, False, tables)
            dr, dg, db = dr * lr, dg * lg, db * lb
    p_facet = 1.0 - s[P_FUZZ] - s[P_COAT] - s[P_DIFFUSE]
    hx, hy, hz = ox + ix, oy + iy, oz + iz
    inv = 1.0 / math.sqrt(hx * hx + hy * hy + hz * hz)
    hx, hy, hz = hx * inv, hy * inv, hz * inv
    cos_h = min(ox * hx + oy * hy + oz * hz, 1.0)
    if rough and p_facet > 0.0:
        gain_i = lookup_plane(tables, METAL, mu_i, s[ROUGH]) if v[METALNESS] > 0.0 or v[THIN] > 0.0 else 1.0
        cr, cg, cb = reflectance(v, s, films, cos_h, gain_i)
        lambda_o = smith_lambda(ox, oy, oz, s[AX], s[AY])
        common = ggx_d(hx, hy, hz, s[AX], s[AY]) / (4.0 * oz)
        value = common / (1.0 + lambda_o + smith_lambda(ix, iy, iz, s[AX], s[AY]))
        sr, sg, sb = cr * value, cg * value, cb * value
        p = p_facet
        if s[GLASS_SHARE] > 0.0:
            p *= p_reflect(v, s, cos_h)
        pdf += p * common / (1.0 + lambda_o)
        if layered:
            lr, lg, lb = layers(v, s, wi, True, tables)
            sr, sg, sb = sr * lr, sg * lg, sb * lb
    if layered:
        ar, ag, ab, density = _evaluate_top(v, s, wi, (hx, hy, hz), cos_h, tables)
        sr, sg, sb, pdf = sr + ar, sg + ag, sb + ab, pdf + density
    return dr, dg, db, sr, sg, sb, pdf


@routine
def _evaluate_top(v, s, wi, h, cos_h, tables):
    """Reflection of coat and fuzz themselves: f·cos (3,) and their part of the density."""
    r = g = b = pdf = 0.0
    if v[COAT] > 0.0 and s[COAT_ALPHA] > MIRROR_ALPHA:
        cn = s[COAT_NORMAL], s[COAT_NORMAL + 1], s[COAT_NORMAL + 2]
        mu_i = wi[0] * cn[0] + wi[1] * cn[1] + wi[2] * cn[2]
        mu_o, mu_h = s[COAT_MU], min(h[0] * cn[0] + h[1] * cn[1] + h[2] * cn[2], 1.0)
        if mu_i > 1e-4 and mu_h > 0.0:
            a = s[COAT_ALPHA]
            side = math.sqrt(max(1.0 - mu_h * mu_h, 0.0))
            common = ggx_d(side, 0.0, mu_h, a, a) / (4.0 * mu_o)
            lambda_o = smith_lambda(math.sqrt(max(1.0 - mu_o * mu_o, 0.0)), 0.0, mu_o, a, a)
            lambda_i = smith_lambda(math.sqrt(max(1.0 - mu_i * mu_i, 0.0)), 0.0, mu_i, a, a)
            f = v[COAT] * fresnel_dielectric(cos_h, max(v[COAT_IOR] * 1.0, 1.000001))
            k = f * common / (1.0 + lambda_o + lambda_i)
            if v[FUZZ] > 0.0:
                k *= under_fuzz(v, s, wi[2], tables)
            r, g, b = k, k, k
            pdf += s[P_COAT] * common / (1.0 + lambda_o)
    if v[FUZZ] > 0.0:
        mu_i = min(wi[2], 1.0)
        k = v[FUZZ] * fuzz_value(s[MU_O], mu_i, h[2], v[FUZZ_ROUGHNESS] * 1.0) * mu_i
        r, g, b = r + k * v[FUZZ_COLOR], g + k * v[FUZZ_COLOR + 1], b + k * v[FUZZ_COLOR + 2]
        pdf += s[P_FUZZ] * mu_i / math.pi
    return r, g, b, pdf


@routine
def _evaluate_refraction(v, s, ox, oy, oz, ix, iy, iz, films, tables):
    """Walter 2007, equations 16 and 21."""
    hx, hy, hz = ox + s[ETA] * ix, oy + s[ETA] * iy, oz + s[ETA] * iz
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    if length < 1e-9:
        return 0.0, 0.0, 0.0, 0.0
    sign = 1.0 / length if hz > 0.0 else -1.0 / length
    hx, hy, hz = hx * sign, hy * sign, hz * sign
    cos_o = ox * hx + oy * hy + oz * hz
    cos_i = ix * hx + iy * hy + iz * hz
    if cos_o <= 0.0 or cos_i >= 0.0:
        return 0.0, 0.0, 0.0, 0.0
    r, g, b = through(v, s, films, cos_o)
    lambda_o = smith_lambda(ox, oy, oz, s[AX], s[AY])
    half = cos_i + cos_o / s[ETA]
    visible = ggx_d(hx, hy, hz, s[AX], s[AY]) * cos_o / oz * -cos_i / max(half * half, 1e-12)
    value = visible / (1.0 + lambda_o + smith_lambda(ix, iy, iz, s[AX], s[AY]))
    pdf = (1.0 - s[P_FUZZ] - s[P_COAT] - s[P_DIFFUSE]) * (1.0 - p_reflect(v, s, cos_o))
    return r * value, g * value, b * value, pdf * visible / (1.0 + lambda_o)


@routine
def _evaluate_thin(v, s, wo, wi, films, tables):
    """Transmission of a thin sheet: scattered evenly, or by facets as if reflected and mirrored to the other side."""
    ox, oy, oz = wo
    ix, iy, iz = wi[0], wi[1], -wi[2]
    dr = dg = db = sr = sg = sb = pdf = 0.0
    if s[SUNK_SHARE] > 0.0:
        albedo_i = lookup_block(tables, DIELECTRIC, min(iz, 1.0), s[ROUGH], s[AXIS])
        k = (1.0 - s[ALBEDO]) * (1.0 - albedo_i) / max(1.0 - s[ALBEDO_MEAN], 1e-6)
        k *= s[SUNK_SHARE] * 0.5 * iz / math.pi
        dr, dg, db = k * v[SUBSURFACE_COLOR], k * v[SUBSURFACE_COLOR + 1], k * v[SUBSURFACE_COLOR + 2]
        pdf += s[P_DIFFUSE] * _p_sunk(v, s) * iz / math.pi
    if s[AX] > MIRROR_ALPHA and s[GLASS_SHARE] > 0.0:
        hx, hy, hz = ox + ix, oy + iy, oz + iz
        inv = 1.0 / math.sqrt(hx * hx + hy * hy + hz * hz)
        hx, hy, hz = hx * inv, hy * inv, hz * inv
        cos_h = min(ox * hx + oy * hy + oz * hz, 1.0)
        sr, sg, sb = through(v, s, films, cos_h)
        lambda_o = smith_lambda(ox, oy, oz, s[AX], s[AY])
        common = ggx_d(hx, hy, hz, s[AX], s[AY]) / (4.0 * oz)
        value = common / (1.0 + lambda_o + smith_lambda(ix, iy, iz, s[AX], s[AY]))
        value *= lookup_plane(tables, METAL, min(iz, 1.0), s[ROUGH])
        sr, sg, sb = sr * value, sg * value, sb * value
        p_facet = 1.0 - s[P_FUZZ] - s[P_COAT] - s[P_DIFFUSE]
        pdf += p_facet * (1.0 - p_reflect(v, s, cos_h)) * common / (1.0 + lambda_o)
    return dr, dg, db, sr, sg, sb, pdf


@device
def _cosine(u1, u2):
    radius = math.sqrt(u1)
    sin_p, cos_p = sincos_turns(u2)
    return radius * cos_p, radius * sin_p, math.sqrt(max(1.0 - u1, 1e-12))


@routine
def _sample_coat(v, s, wo, u1, u2, tables):
    """Reflection at the coat: kind, wi, weight (3,) of a smooth coat."""
    cn = s[COAT_NORMAL], s[COAT_NORMAL + 1], s[COAT_NORMAL + 2]
    t, b = basis(cn)
    ox, oy, oz = dot(wo, t), dot(wo, b), s[COAT_MU]
    smooth = s[COAT_ALPHA] <= MIRROR_ALPHA
    hx, hy, hz = 0.0, 0.0, 1.0
    if not smooth:
        hx, hy, hz = sample_visible_normal(ox, oy, oz, s[COAT_ALPHA], s[COAT_ALPHA], u1, u2)
    c = 2.0 * (ox * hx + oy * hy + oz * hz)
    x, y, z = c * hx - ox, c * hy - oy, c * hz - oz
    wi = (x * t[0] + y * b[0] + z * cn[0], x * t[1] + y * b[1] + z * cn[1], x * t[2] + y * b[2] + z * cn[2])
    if z <= 0.0 or wi[2] <= 0.0:
        return FAILED, wi, 0.0
    if not smooth:
        return GLOSSY, wi, 0.0
    k = v[COAT] * fresnel_dielectric(0.5 * c, max(v[COAT_IOR] * 1.0, 1.000001)) / s[P_COAT]
    if v[FUZZ] > 0.0:
        k *= under_fuzz(v, s, wi[2], tables)
    return MIRROR, wi, k


@routine
def _sample_smooth(v, s, wo, reflects, p, films, tables):
    """A perfectly smooth facet: kind, wi, weight (3,). p: the chance with which it was chosen."""
    ox, oy, oz = wo
    if reflects:
        wi = (-ox, -oy, oz)
        r, g, b = reflectance(v, s, films, oz, s[METAL_GAIN])
        if v[COAT] > 0.0 or v[FUZZ] > 0.0:
            lr, lg, lb = layers(v, s, wi, True, tables)
            r, g, b = r * lr, g * lg, b * lb
        return MIRROR, wi, (r / p, g / p, b / p)
    r, g, b = through(v, s, films, oz)
    if v[THIN] > 0.0:
        return CLEAR, (-ox, -oy, -oz), (r / p, g / p, b / p)
    ok, tx, ty, tz = refract(ox, oy, oz, 0.0, 0.0, 1.0, s[ETA])
    return CLEAR if ok else FAILED, (tx, ty, tz), (r / p, g / p, b / p)


@device
def _sink(v, s, wo, u1, u2):
    """Below the surface: kind, wi, weight (3,) for a solid; the density of a thin sheet is left to `evaluate`."""
    x, y, z = _cosine(u1, u2)
    if v[THIN] > 0.0:
        return DIFFUSE, (x, y, -z), (0.0, 0.0, 0.0)
    k = s[SUNK_SHARE] * (1.0 - s[ALBEDO]) / (s[P_DIFFUSE] * _p_sunk(v, s))
    if v[COAT] > 0.0:
        k *= 1.0 - v[COAT] * s[COAT_ALBEDO]
    if v[FUZZ] > 0.0:
        k *= 1.0 - s[FUZZ_ALBEDO]
    return (
        SUNK,
        (x, y, -z),
        (
            k * v[SUBSURFACE_COLOR] * s[UNDER],
            k * v[SUBSURFACE_COLOR + 1] * s[UNDER + 1],
            k * v[SUBSURFACE_COLOR + 2] * s[UNDER + 2],
        ),
    )


@device
def sample(v, s, wo, u_lobe, u1, u2, films, tables):
    """A direction by importance: kind, wi, weight f·|cos|/density (3,), density (0 for smooth and sunk kinds)."""
    ox, oy, oz = wo
    nothing = (FAILED, (0.0, 0.0, 1.0), (0.0, 0.0, 0.0), 0.0)
    if v[STRAND] > 0.0:
        wi = sample_strand(s, u_lobe, u1, u2)
        r, g, b, pdf = evaluate_strand(s, wi)
        if pdf <= 1e-12:
            return nothing
        return GLOSSY, wi, (r / pdf, g / pdf, b / pdf), pdf
    p_top = s[P_FUZZ] + s[P_COAT]
    if u_lobe < s[P_DIFFUSE]:
        kind, wi = DIFFUSE, _cosine(u1, u2)
        p = _p_sunk(v, s)
        if u_lobe < p * s[P_DIFFUSE]:
            kind, wi, weight = _sink(v, s, wo, u1, u2)
            if kind == SUNK:
                return kind, wi, weight, 0.0
    elif u_lobe < s[P_DIFFUSE] + s[P_FUZZ]:
        kind, wi = DIFFUSE, _cosine(u1, u2)
    elif u_lobe < s[P_DIFFUSE] + p_top:
        kind, wi, k = _sample_coat(v, s, wo, u1, u2, tables)
        if kind == FAILED:
            return nothing
        if kind == MIRROR:
            return kind, wi, (k, k, k), 0.0
    else:
        p_facet = 1.0 - p_top - s[P_DIFFUSE]
        u_lobe = (u_lobe - p_top - s[P_DIFFUSE]) / p_facet
        smooth = s[AX] <= MIRROR_ALPHA
        hx, hy, hz = 0.0, 0.0, 1.0
        if not smooth:
            hx, hy, hz = sample_visible_normal(ox, oy, oz, s[AX], s[AY], u1, u2)
        cos_h = ox * hx + oy * hy + oz * hz
        if cos_h <= 0.0:
            return nothing
        reflects, p = True, 1.0
        if s[GLASS_SHARE] > 0.0:
            p = p_reflect(v, s, cos_h)
            if s[LEAN] != 1.0:
                p = p * s[LEAN] / (p * s[LEAN] + 1.0 - p)
            reflects = u_lobe < p
            p = p if reflects else 1.0 - p
        if smooth:
            kind, wi, weight = _sample_smooth(v, s, wo, reflects, p * p_facet, films, tables)
            return kind, wi, weight, 0.0
        wi = (2.0 * cos_h * hx - ox, 2.0 * cos_h * hy - oy, 2.0 * cos_h * hz - oz)
        kind = GLOSSY
        if not reflects:
            kind = REFRACTED
            if v[THIN] > 0.0:
                if wi[2] <= 0.0:
                    return nothing
                wi = (wi[0], wi[1], -wi[2])
            else:
                ok, tx, ty, tz = refract(ox, oy, oz, hx, hy, hz, s[ETA])
                if not ok:
                    return nothing
                wi = (tx, ty, tz)
        if reflects != (wi[2] > 0.0):
            return nothing
    dr, dg, db, sr, sg, sb, pdf = evaluate(v, s, wo, wi, films, tables)
    if pdf <= 1e-12:
        return nothing
    return kind, wi, ((dr + sr) / pdf, (dg + sg) / pdf, (db + sb) / pdf), pdf
