"""Many even surfaces side by side: opaque dielectrics over an even diffuse base, without maps, layers or glow.

The same model as `plain` for metalness 0; a test holds them together. The loops follow the rules of `core.wide`.
"""

import math

from ..batched import BLOCK
from ..kernel import device, routine
from ..trig import cos_turns, sin_turns
from .fresnel import fresnel_dielectric
from .microfacet import smith_lambda_round
from .row import BASE, BASE_WEIGHT, IOR, PROFILE_MEAN, ROUGHNESS, SPECULAR_COLOR
from .tables import lookup_profile, profile_steps

ALPHA, ETA, MEAN, ROW = 0 * BLOCK, 1 * BLOCK, 2 * BLOCK, 3 * BLOCK
"""GGX alpha, index of refraction, mean reflectance, row of the material."""
BASE_R, BASE_G, BASE_B = 4 * BLOCK, 5 * BLOCK, 6 * BLOCK
TINT_R, TINT_G, TINT_B = 7 * BLOCK, 8 * BLOCK, 9 * BLOCK
OX, OY, OZ = 10 * BLOCK, 11 * BLOCK, 12 * BLOCK
"""Towards the viewer, in the frame of the surface; not below it."""
IX, IY, IZ = 13 * BLOCK, 14 * BLOCK, 15 * BLOCK
"""Towards the light."""
PLACE_O, PLACE_I = 16 * BLOCK, 17 * BLOCK
"""√cos of both, as a place in the table of reflectance."""
ALBEDO_O, ALBEDO_I = 18 * BLOCK, 19 * BLOCK
"""Reflectance from both."""
LAMBDA_O, P_DIFFUSE = 20 * BLOCK, 21 * BLOCK
DIFFUSED, FACETED, DENSITY = 22 * BLOCK, 23 * BLOCK, 24 * BLOCK
"""f·cos of base and facets, to be multiplied by their colours, and the density of `choose_directions` (1/sr)."""
LOBE, V1, V2 = 25 * BLOCK, 26 * BLOCK, 27 * BLOCK
"""Random numbers."""
ROWS = 28


@device
def put_material(values, row, b, j):
    """Enter the material of the j-th point."""
    v = values[row]
    rough, weight = v[ROUGHNESS], v[BASE_WEIGHT]
    b[ALPHA + j], b[ETA + j], b[MEAN + j], b[ROW + j] = rough * rough, max(v[IOR], 1.000001), v[PROFILE_MEAN], row
    b[BASE_R + j], b[BASE_G + j], b[BASE_B + j] = weight * v[BASE], weight * v[BASE + 1], weight * v[BASE + 2]
    b[TINT_R + j], b[TINT_G + j] = v[SPECULAR_COLOR], v[SPECULAR_COLOR + 1]
    b[TINT_B + j] = v[SPECULAR_COLOR + 2]


@routine
def _look_up(values, count, b, places, albedos):
    """Reflectances at places in the tables of their rows."""
    for j in range(count):
        b[albedos + j] = lookup_profile(values[int(b[ROW + j])], b[places + j])


@routine
def prepare_wide(values, count, b):
    """Terms that do not depend on the direction of light."""
    for j in range(BLOCK):
        b[PLACE_O + j] = profile_steps(b[OZ + j])
    _look_up(values, count, b, PLACE_O, ALBEDO_O)
    for j in range(BLOCK):
        mu, albedo = min(b[OZ + j], 1.0), b[ALBEDO_O + j]
        b[LAMBDA_O + j] = smith_lambda_round(mu, b[ALPHA + j])
        luma = 0.2126 * b[BASE_R + j] + 0.7152 * b[BASE_G + j] + 0.0722 * b[BASE_B + j]
        diffuse = luma * (1.0 - albedo)
        p = diffuse / max(diffuse + albedo, 1e-9)
        b[P_DIFFUSE + j] = min(max(p, 0.1), 0.9) if 0.0 < p < 1.0 else p


@routine
def choose_directions(b):
    """Directions towards the light by LOBE, V1 and V2, as `plain.sample_plain` chooses them."""
    for j in range(BLOCK):
        v1, v2, alpha = b[V1 + j], b[V2 + j], b[ALPHA + j]
        diffuse = b[LOBE + j] < b[P_DIFFUSE + j]
        turns = v2 if diffuse else v1
        s, c = sin_turns(turns), cos_turns(turns)
        # cosine-weighted
        radius = math.sqrt(v1)
        lx, ly, lz = radius * c, radius * s, math.sqrt(max(1.0 - v1, 1e-12))
        # a visible normal (see `microfacet.sample_visible_normal`), and the mirror image in it
        x, y, z = b[OX + j], b[OY + j], b[OZ + j]
        sx, sy, sz = x * alpha, y * alpha, z
        inv = 1.0 / math.sqrt(sx * sx + sy * sy + sz * sz)
        sx, sy, sz = sx * inv, sy * inv, sz * inv
        up = (1.0 - v2) * (1.0 + sz) - sz
        side = math.sqrt(max(1.0 - up * up, 0.0))
        hx, hy, hz = (side * c + sx) * alpha, (side * s + sy) * alpha, max(up + sz, 0.0)
        h2 = hx * hx + hy * hy + hz * hz
        k = 1.0 / math.sqrt(max(h2, 1e-40))
        hx, hy, hz = hx * k, hy * k, (hz * k if h2 > 1e-40 else 1.0)
        twice = 2.0 * (x * hx + y * hy + z * hz)
        b[IX + j] = lx if diffuse else twice * hx - x
        b[IY + j] = ly if diffuse else twice * hy - y
        b[IZ + j] = lz if diffuse else twice * hz - z


@routine
def evaluate_wide(values, count, b):
    """DIFFUSED, FACETED and DENSITY towards (IX, IY, IZ); nothing from below."""
    for j in range(BLOCK):
        b[PLACE_I + j] = profile_steps(b[IZ + j])
    _look_up(values, count, b, PLACE_I, ALBEDO_I)
    for j in range(BLOCK):
        oz, iz, alpha, p = b[OZ + j], b[IZ + j], b[ALPHA + j], b[P_DIFFUSE + j]
        above = oz > 0.0 and iz > 0.0
        mu = min(max(iz, 0.0), 1.0)
        layer = (1.0 - b[ALBEDO_O + j]) * (1.0 - b[ALBEDO_I + j]) / max(1.0 - b[MEAN + j], 1e-6)
        diffused = layer * mu * (1.0 / math.pi)
        # |o + i|² = 2 + 2 o·i: the half vector itself is not needed, only two cosines
        between = 2.0 + 2.0 * (b[OX + j] * b[IX + j] + b[OY + j] * b[IY + j] + oz * iz)
        inv = 1.0 / math.sqrt(max(between, 1e-20))
        cos_h, hz = min(0.5 * between * inv, 1.0), min((oz + iz) * inv, 1.0)
        a2 = alpha * alpha
        t = (1.0 - hz * hz) + hz * hz * a2
        common = a2 / (max(t * t, 1e-24) * math.pi * 4.0 * max(oz, 1e-6))
        lambda_o = b[LAMBDA_O + j]
        reflected = fresnel_dielectric(cos_h, b[ETA + j]) * common / (1.0 + lambda_o + smith_lambda_round(mu, alpha))
        density = p * mu * (1.0 / math.pi) + (1.0 - p) * common / (1.0 + lambda_o)
        b[DIFFUSED + j] = diffused if above and p > 0.0 else 0.0
        b[FACETED + j] = reflected if above and p < 1.0 else 0.0
        b[DENSITY + j] = density if above else 0.0
