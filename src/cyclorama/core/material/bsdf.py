"""Evaluation and sampling of a surface in its local frame (z is the shading normal on the viewer's side).

OpenPBR's base substrate: a metal and a dielectric mixed by metalness; the dielectric reflects by Fresnel over
a rough diffuse base or transmits into a medium. One GGX distribution serves reflection and refraction.

Radiance is not scaled by the squared index on refraction: cameras and lights stand in the same air, so the
factors of entering and leaving cancel along every path.
"""

import math
from typing import NamedTuple

from ..kernel import device, routine
from .diffuse import eon_terms, eon_value
from .microfacet import (
    fresnel_dielectric,
    fresnel_schlick,
    ggx_d,
    refract,
    sample_visible_normal,
    smith_lambda,
)
from .tables import lookup2, lookup3

MIRROR_ALPHA = 1e-3
"""Below this GGX alpha (roughness 0.03) a facet is treated as a perfect mirror."""

FAILED, DIFFUSE, GLOSSY, REFRACTED, MIRROR, CLEAR = 0, 1, 2, 3, 4, 5
"""What a sampled direction came from. MIRROR and CLEAR are the perfectly smooth kinds."""


class Surface(NamedTuple):
    """A surface point as the BSDF needs it, for one viewing direction."""

    red: float
    green: float
    blue: float
    metalness: float
    alpha: float
    eta: float
    transmission: float
    tint_r: float
    tint_g: float
    tint_b: float
    diffuse_roughness: float
    roughness: float
    albedo_o: float
    albedo_mean: float
    metal_gain: float
    glass_gain: float
    p_diffuse: float
    ior_axis: float


@device
def prepare(base, metalness, roughness, ior, transmission, tint, diffuse_roughness, mu_o, inside, tables):
    """Look up everything that depends on the viewing direction. `inside`: the ray comes through the medium."""
    r, g, b = base
    alpha = max(roughness * roughness, 1e-6)
    ior = max(ior, 1.000001)
    axis = 2.0 * (ior - 1.0) / (ior + 1.0)
    root_mu = math.sqrt(mu_o)
    albedo_o, albedo_mean, e_metal, glass_gain = 0.0, 0.0, 1.0, 1.0
    if metalness < 1.0:
        albedo_o = lookup3(tables.dielectric, root_mu, roughness, axis)
        albedo_mean = lookup2(tables.dielectric_mean, roughness, axis)
    if metalness > 0.0:
        e_metal = lookup2(tables.metal, root_mu, roughness)
    if transmission > 0.0 and alpha > MIRROR_ALPHA:
        if inside:
            glass = lookup3(tables.glass_out, root_mu, roughness, axis)
        else:
            glass = lookup3(tables.glass_in, root_mu, roughness, axis)
        # what the facets must send out so that facets + diffuse base together lose nothing
        wanted = 1.0 - (1.0 - transmission) * (1.0 - albedo_o)
        glass_gain = wanted / max(albedo_o + transmission * (glass - albedo_o), 0.05)
    eta = ior
    if inside:
        # seen from within the medium there is no diffuse base above the boundary
        eta, albedo_o = 1.0 / ior, 1.0
    luma = 0.2126 * r + 0.7152 * g + 0.0722 * b
    w_diffuse = (1.0 - metalness) * (1.0 - transmission) * luma * (1.0 - albedo_o)
    w_facet = metalness * max(luma, 0.1) + (1.0 - metalness) * ((1.0 - transmission) * albedo_o + transmission)
    p_diffuse = w_diffuse / max(w_diffuse + w_facet, 1e-9)
    if 0.0 < p_diffuse < 1.0:
        p_diffuse = min(max(p_diffuse, 0.1), 0.9)
    return Surface(r, g, b, metalness, alpha, eta, transmission, tint[0], tint[1], tint[2], diffuse_roughness,
                   roughness, albedo_o, albedo_mean, (1.0 - e_metal) / max(e_metal, 0.05), glass_gain,
                   p_diffuse, axis)  # fmt: skip


@device
def _facet_colours(s, cos_h):
    """Reflected colour and the transmitted share at a microfacet seen under cos_h."""
    f = fresnel_dielectric(cos_h, s.eta)
    dielectric = (1.0 - s.metalness) * f * s.glass_gain
    m, gain = s.metalness, s.metal_gain
    red = m * fresnel_schlick(s.red, cos_h) * (1.0 + s.red * gain) + dielectric
    green = m * fresnel_schlick(s.green, cos_h) * (1.0 + s.green * gain) + dielectric
    blue = m * fresnel_schlick(s.blue, cos_h) * (1.0 + s.blue * gain) + dielectric
    through = (1.0 - s.metalness) * s.transmission * (1.0 - f) * s.glass_gain
    return red, green, blue, through


@device
def _p_reflect(red, green, blue, through):
    reflected = (red + green + blue) / 3.0
    return reflected / max(reflected + through, 1e-12)


@device
def _diffuse_value(s, mu_o, mu_i, cos_between, tables):
    """f · cos of the diffuse base under the dielectric (reciprocal form of Kulla and Conty)."""
    share = (1.0 - s.metalness) * (1.0 - s.transmission)
    albedo_i = lookup3(tables.dielectric, math.sqrt(mu_i), s.roughness, s.ior_axis)
    layer = (1.0 - s.albedo_o) * (1.0 - albedo_i) / max(1.0 - s.albedo_mean, 1e-6)
    single, multiple, mean = eon_terms(mu_i, mu_o, cos_between, s.diffuse_roughness)
    k = share * layer * mu_i
    return (
        k * eon_value(single, multiple, mean, s.red),
        k * eon_value(single, multiple, mean, s.green),
        k * eon_value(single, multiple, mean, s.blue),
    )


@device
def evaluate(s, wo, wi, tables):
    """f·|cos wi| per channel and the density of `sample` (1/sr). Mirror-smooth facets are left out."""
    ox, oy, oz = wo
    ix, iy, iz = wi
    r = g = b = pdf = 0.0
    if oz <= 0.0 or iz == 0.0:
        return r, g, b, pdf
    rough = s.alpha > MIRROR_ALPHA
    if iz > 0.0:
        if s.p_diffuse > 0.0:
            r, g, b = _diffuse_value(s, oz, min(iz, 1.0), ox * ix + oy * iy + oz * iz, tables)
            pdf = s.p_diffuse * iz / math.pi
        if rough and s.p_diffuse < 1.0:
            hx, hy, hz = ox + ix, oy + iy, oz + iz
            inv = 1.0 / math.sqrt(hx * hx + hy * hy + hz * hz)
            hz *= inv
            cos_h = (ox * hx + oy * hy) * inv + oz * hz
            cr, cg, cb, through = _facet_colours(s, cos_h)
            lambda_o, d = smith_lambda(oz, s.alpha), ggx_d(hz, s.alpha)
            common = d / (4.0 * oz)
            value = common / (1.0 + lambda_o + smith_lambda(iz, s.alpha))
            r, g, b = r + cr * value, g + cg * value, b + cb * value
            pdf += (1.0 - s.p_diffuse) * _p_reflect(cr, cg, cb, through) * common / (1.0 + lambda_o)
    elif rough and s.transmission > 0.0:
        r, g, b, pdf = _evaluate_refraction(s, ox, oy, oz, ix, iy, iz)
    return r, g, b, pdf


@routine
def _evaluate_refraction(s, ox, oy, oz, ix, iy, iz):
    """Walter 2007, equations 16 and 21."""
    hx, hy, hz = ox + s.eta * ix, oy + s.eta * iy, oz + s.eta * iz
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    if length < 1e-9:
        return 0.0, 0.0, 0.0, 0.0
    sign = 1.0 / length if hz > 0.0 else -1.0 / length
    hx, hy, hz = hx * sign, hy * sign, hz * sign
    cos_o = ox * hx + oy * hy + oz * hz
    cos_i = ix * hx + iy * hy + iz * hz
    if cos_o <= 0.0 or cos_i >= 0.0:
        return 0.0, 0.0, 0.0, 0.0
    cr, cg, cb, through = _facet_colours(s, cos_o)
    lambda_o = smith_lambda(oz, s.alpha)
    half = cos_i + cos_o / s.eta
    jacobian = -cos_i / max(half * half, 1e-12)
    visible = ggx_d(hz, s.alpha) * cos_o / oz
    value = through * visible * jacobian / (1.0 + lambda_o + smith_lambda(-iz, s.alpha))
    pdf = (1.0 - s.p_diffuse) * (1.0 - _p_reflect(cr, cg, cb, through))
    pdf *= visible * jacobian / (1.0 + lambda_o)
    return value * s.tint_r, value * s.tint_g, value * s.tint_b, pdf


@device
def sample(s, wo, u_lobe, u1, u2, tables):
    """A direction by importance: kind, wi, weight f·|cos|/density per channel, density (0 for smooth kinds)."""
    ox, oy, oz = wo
    nothing = (FAILED, (0.0, 0.0, 1.0), (0.0, 0.0, 0.0), 0.0)
    if u_lobe < s.p_diffuse:
        radius, phi = math.sqrt(u1), 2.0 * math.pi * u2
        wi = (radius * math.cos(phi), radius * math.sin(phi), math.sqrt(max(1.0 - u1, 1e-12)))
        kind = DIFFUSE
    else:
        u_lobe = (u_lobe - s.p_diffuse) / (1.0 - s.p_diffuse)
        smooth = s.alpha <= MIRROR_ALPHA
        hx, hy, hz = 0.0, 0.0, 1.0
        if not smooth:
            hx, hy, hz = sample_visible_normal(ox, oy, oz, s.alpha, u1, u2)
        cos_h = ox * hx + oy * hy + oz * hz
        if cos_h <= 0.0:
            return nothing
        cr, cg, cb, through = _facet_colours(s, cos_h)
        p_reflect = _p_reflect(cr, cg, cb, through)
        if u_lobe < p_reflect:
            wi = (2.0 * cos_h * hx - ox, 2.0 * cos_h * hy - oy, 2.0 * cos_h * hz - oz)
            if smooth:
                k = 1.0 / ((1.0 - s.p_diffuse) * p_reflect)
                return MIRROR, wi, (cr * k, cg * k, cb * k), 0.0
            kind = GLOSSY
        else:
            ok, tx, ty, tz = refract(ox, oy, oz, hx, hy, hz, s.eta)
            if not ok:
                return nothing
            wi = (tx, ty, tz)
            if smooth:
                k = through / ((1.0 - s.p_diffuse) * (1.0 - p_reflect))
                return CLEAR, wi, (k * s.tint_r, k * s.tint_g, k * s.tint_b), 0.0
            kind = REFRACTED
    if (kind == REFRACTED) != (wi[2] < 0.0):
        return nothing
    r, g, b, pdf = evaluate(s, wo, wi, tables)
    if pdf <= 1e-12:
        return nothing
    return kind, wi, (r / pdf, g / pdf, b / pdf), pdf
