"""The short way for plain surfaces: a metal, or a dielectric over an even diffuse base, and mixtures.

Metals, and dielectrics that are mapped, turn or glow; all other dielectrics are shaded side by side (`even`). The same
model as `bsdf`, written without what such a surface does not have (layers, transmission, scattering, film, grain,
diffuse roughness); a test holds both together.
"""

import math

from ..kernel import device
from ..trig import sincos_turns
from .bsdf import DIFFUSE, FAILED, GLOSSY, MIRROR
from .fresnel import edge_loss, fresnel_dielectric, fresnel_metal
from .microfacet import sample_visible_normal, smith_lambda_round
from .record import (
    ALBEDO,
    ALBEDO_MEAN,
    AX,
    AXIS,
    DIFFUSE_COLOR,
    ETA,
    F0,
    LAMBDA_O,
    LOSS,
    METAL_GAIN,
    MIRROR_ALPHA,
    P_DIFFUSE,
    ROUGH,
)
from .row import BASE, BASE_WEIGHT, IOR, METALNESS, PROFILE_MEAN, PROFILED, ROUGHNESS, SPECULAR_COLOR
from .tables import (
    DIELECTRIC,
    METAL,
    index_axis,
    lookup_block,
    lookup_mean,
    lookup_plane,
    lookup_profile,
    profile_steps,
)


@device
def _albedo_towards(v, s, mu, tables):
    """Reflectance of the dielectric from a direction, from the row's own table where it has one."""
    if v[PROFILED] > 0.0:
        return lookup_profile(v, profile_steps(mu))
    return lookup_block(tables, DIELECTRIC, mu, s[ROUGH], s[AXIS])


@device
def prepare_plain(v, s, mu_o, tables):
    """As `record.prepare`, for a row with PLAIN set."""
    mu_o = min(mu_o, 1.0)
    metal, rough = v[METALNESS], v[ROUGHNESS]
    alpha = max(rough * rough, 1e-6)
    ior = max(v[IOR], 1.000001)
    s[AX], s[ROUGH], s[ETA], s[AXIS] = alpha, rough, ior, index_axis(ior)
    s[LAMBDA_O] = smith_lambda_round(mu_o, alpha)
    albedo, mean = 0.0, 0.0
    if metal < 1.0:
        albedo = _albedo_towards(v, s, mu_o, tables)
        mean = v[PROFILE_MEAN] if v[PROFILED] > 0.0 else lookup_mean(tables, rough, s[AXIS])
    s[ALBEDO], s[ALBEDO_MEAN] = albedo, mean
    weight = v[BASE_WEIGHT]
    r, g, b = weight * v[BASE], weight * v[BASE + 1], weight * v[BASE + 2]
    s[DIFFUSE_COLOR], s[DIFFUSE_COLOR + 1], s[DIFFUSE_COLOR + 2] = r, g, b
    if metal > 0.0:
        s[METAL_GAIN] = lookup_plane(tables, METAL, mu_o, rough)
        for c in range(3):
            s[F0 + c] = weight * v[BASE + c]
            s[LOSS + c] = edge_loss(s[F0 + c], v[SPECULAR_COLOR + c])
    luma = 0.2126 * r + 0.7152 * g + 0.0722 * b
    w_diffuse = (1.0 - metal) * luma * (1.0 - albedo)
    w_facet = metal * max(luma, 0.1) + (1.0 - metal) * albedo
    p_diffuse = w_diffuse / max(w_diffuse + w_facet, 1e-9)
    if 0.0 < p_diffuse < 1.0:
        p_diffuse = min(max(p_diffuse, 0.1), 0.9)
    s[P_DIFFUSE] = p_diffuse


@device
def _reflected(v, s, cos_h, gain_i):
    metal = v[METALNESS]
    r = g = b = 0.0
    if metal < 1.0:
        f = (1.0 - metal) * fresnel_dielectric(cos_h, s[ETA])
        r, g, b = f * v[SPECULAR_COLOR], f * v[SPECULAR_COLOR + 1], f * v[SPECULAR_COLOR + 2]
    if metal > 0.0:
        extra = s[METAL_GAIN] * gain_i - 1.0
        r += metal * fresnel_metal(s[F0], s[LOSS], cos_h) * (1.0 + s[F0] * extra)
        g += metal * fresnel_metal(s[F0 + 1], s[LOSS + 1], cos_h) * (1.0 + s[F0 + 1] * extra)
        b += metal * fresnel_metal(s[F0 + 2], s[LOSS + 2], cos_h) * (1.0 + s[F0 + 2] * extra)
    return r, g, b


@device
def evaluate_plain(v, s, wo, wi, tables):
    """As `bsdf.evaluate`."""
    oz, iz = wo[2], wi[2]
    dr = dg = db = sr = sg = sb = pdf = 0.0
    if oz <= 0.0 or iz <= 0.0:
        return dr, dg, db, sr, sg, sb, pdf
    mu_i = min(iz, 1.0)
    p_diffuse, metal = s[P_DIFFUSE], v[METALNESS]
    if p_diffuse > 0.0:
        layer = (1.0 - s[ALBEDO]) * (1.0 - _albedo_towards(v, s, mu_i, tables)) / max(1.0 - s[ALBEDO_MEAN], 1e-6)
        k = (1.0 - metal) * layer * mu_i * (1.0 / math.pi)
        dr, dg, db = k * s[DIFFUSE_COLOR], k * s[DIFFUSE_COLOR + 1], k * s[DIFFUSE_COLOR + 2]
        pdf = p_diffuse * iz * (1.0 / math.pi)
    alpha = s[AX]
    if alpha > MIRROR_ALPHA and p_diffuse < 1.0:
        # |o + i|² = 2 + 2 o·i: the half vector itself is not needed, only two cosines
        between = 2.0 + 2.0 * (wo[0] * wi[0] + wo[1] * wi[1] + oz * iz)
        inv = 1.0 / math.sqrt(max(between, 1e-20))
        cos_h = min(0.5 * between * inv, 1.0)
        hz = min((oz + iz) * inv, 1.0)
        a2 = alpha * alpha
        t = (1.0 - hz * hz) + hz * hz * a2
        common = a2 / (max(t * t, 1e-24) * math.pi * 4.0 * oz)
        gain_i = lookup_plane(tables, METAL, mu_i, s[ROUGH]) if metal > 0.0 else 1.0
        cr, cg, cb = _reflected(v, s, cos_h, gain_i)
        value = common / (1.0 + s[LAMBDA_O] + smith_lambda_round(mu_i, alpha))
        sr, sg, sb = cr * value, cg * value, cb * value
        pdf += (1.0 - p_diffuse) * common / (1.0 + s[LAMBDA_O])
    return dr, dg, db, sr, sg, sb, pdf


@device
def sample_plain(v, s, wo, u_lobe, u1, u2, tables):
    """As `bsdf.sample`."""
    nothing = (FAILED, (0.0, 0.0, 1.0), (0.0, 0.0, 0.0), 0.0)
    ox, oy, oz = wo
    if u_lobe < s[P_DIFFUSE]:
        kind, radius = DIFFUSE, math.sqrt(u1)
        sin_p, cos_p = sincos_turns(u2)
        wi = (radius * cos_p, radius * sin_p, math.sqrt(max(1.0 - u1, 1e-12)))
    elif s[AX] <= MIRROR_ALPHA:
        p = 1.0 - s[P_DIFFUSE]
        r, g, b = _reflected(v, s, oz, s[METAL_GAIN] if v[METALNESS] > 0.0 else 1.0)
        return MIRROR, (-ox, -oy, oz), (r / p, g / p, b / p), 0.0
    else:
        kind = GLOSSY
        hx, hy, hz = sample_visible_normal(ox, oy, oz, s[AX], s[AX], u1, u2)
        c = 2.0 * (ox * hx + oy * hy + oz * hz)
        wi = (c * hx - ox, c * hy - oy, c * hz - oz)
    if wi[2] <= 0.0:
        return nothing
    dr, dg, db, sr, sg, sb, pdf = evaluate_plain(v, s, wo, wi, tables)
    if pdf <= 1e-12:
        return nothing
    k = 1.0 / pdf
    return kind, wi, ((dr + sr) * k, (dg + sg) * k, (db + sb) * k), pdf
