"""Light from a glow behind glass, found on purpose.

A ray that is aimed at such a glow ends at the glass, so that only scattering finds it, and rarely: bright specks stay
for thousands of samples. Two choices that every path makes anyway are therefore turned to it, each with its chance
told, so that the picture's mean stays what it is:

- A surface scatters a share of its paths into cones around the glow and the glass before it (one-sample mixture, Veach,
  "Robust Monte Carlo Methods for Light Transport Simulation", 1997, section 9.2.4).
- Polished glass reflects or refracts by Fresnel and by which of the two rays goes to the glow (choice by what a path is
  worth, after Vorba and Křivánek, "Adjoint-Driven Russian Roulette and Splitting in Light Transport Simulation", ACM
  TOG 35(4), 2016). Paths at glass are seldom ended by chance.

How light that is aimed at shares with light that is met stays as it is (`direct.heuristic` with the density of the
surface alone): both shares add up to one, whatever the directions are drawn by.
"""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...kernel import device, routine
from ...material.bsdf import DIFFUSE, FAILED, GLOSSY, evaluate
from ...material.microfacet import refract
from ...material.plain import evaluate_plain
from ...material.record import AX, ETA, GLASS_SHARE, MIRROR_ALPHA
from ...material.row import THIN
from ...trig import sincos_turns
from ...vectors import dot, normalize, off_axis, to_local, to_world

LEAST, MOST = 0.05, 0.5
"""Share of a surface's paths that goes to the targets where the glow gives next to nothing, and where it gives all."""
WORTH = 8.0
"""Factor on the odds of the one ray, mirrored or refracted, that goes to the glow."""
BEHIND_GLASS = 32.0
"""Factor on the chance that Russian roulette leaves to a path at glass."""
CENTRE, RADIUS, SHARE = 0, 3, 4
"""Columns of a target: middle (m), radius (m), share of the paths turned to any that is turned to it."""


class Targets(NamedTuple):
    """Balls in the studio in one frame."""

    balls: NDArray[np.float64]
    """(k, 5) CENTRE to SHARE; the glow's first; (0, 5): nothing glows behind glass"""
    glowing: int
    """how many hold the glow, the others glass"""


NO_TARGETS = Targets(np.zeros((0, 5)), 0)


@device
def any_target(targets):
    """True when something glows behind glass."""
    return targets.balls.shape[0] > 0


@device
def _to_ball(balls, k, p):
    """From p (3,) to the k-th ball: vector (3,), its square, and that of the tangent from p; negative from within."""
    x, y, z = balls[k, CENTRE] - p[0], balls[k, CENTRE + 1] - p[1], balls[k, CENTRE + 2] - p[2]
    d2 = x * x + y * y + z * z
    return (x, y, z), d2, d2 - balls[k, RADIUS] * balls[k, RADIUS]


@device
def _meets(to, tangent2, d):
    """True when a ray along d (3,) meets the ball."""
    along = dot(to, d)
    return tangent2 <= 0.0 or (along > 0.0 and along * along >= tangent2)


@device
def _solid_angle(d2, tangent2):
    """Solid angle (sr) of a ball."""
    return 2.0 * math.pi * (1.0 - math.sqrt(tangent2 / d2)) if tangent2 > 0.0 else 4.0 * math.pi


@device
def density_to(targets, p, d):
    """Density (1/sr) of the direction d (3,) among those that `draw_direction` draws at p (3,)."""
    found = 0.0
    for k in range(targets.balls.shape[0]):
        to, d2, tangent2 = _to_ball(targets.balls, k, p)
        if _meets(to, tangent2, d):
            found += targets.balls[k, SHARE] / _solid_angle(d2, tangent2)
    return found


@device
def draw_direction(targets, p, u, u1, u2):
    """A direction (3,) from p (3,) into the cone of one of the targets."""
    k, last = 0, targets.balls.shape[0] - 1
    while k < last and u >= targets.balls[k, SHARE]:
        u -= targets.balls[k, SHARE]
        k += 1
    to, d2, tangent2 = _to_ball(targets.balls, k, p)
    c = 1.0 - u1 * _solid_angle(d2, tangent2) / (2.0 * math.pi)
    r = math.sqrt(max(1.0 - c * c, 0.0))
    sin_p, cos_p = sincos_turns(u2)
    axis = normalize(to[0], to[1], to[2]) if d2 > 0.0 else (0.0, 1.0, 0.0)
    return off_axis(axis, r * cos_p, r * sin_p, c)


@device
def goes_to_glow(targets, p, d):
    """True when the ray from p (3,) along d (3,) passes through a ball that holds a part of the glow."""
    for k in range(targets.glowing):
        to, _, tangent2 = _to_ball(targets.balls, k, p)
        if _meets(to, tangent2, d):
            return True
    return False


@routine
def lean_of(targets, v, s, p, wo, frame):
    """Factor on the odds that a polished facet reflects, by which of its two rays goes to the glow.

    frame: tangent, bitangent, normal; wo: (3,) in it.
    """
    if s[GLASS_SHARE] <= 0.0 or s[AX] > MIRROR_ALPHA:
        return 1.0
    mirrored = goes_to_glow(targets, p, to_world((-wo[0], -wo[1], wo[2]), *frame))
    if v[THIN] > 0.0:
        passed = goes_to_glow(targets, p, to_world((-wo[0], -wo[1], -wo[2]), *frame))
    else:
        ok, x, y, z = refract(wo[0], wo[1], wo[2], 0.0, 0.0, 1.0, s[ETA])
        passed = ok and goes_to_glow(targets, p, to_world((x, y, z), *frame))
    if mirrored == passed:
        return 1.0
    return WORTH if mirrored else 1.0 / WORTH


@device
def share_turned(targets, p, gives, total):
    """Share of the paths that a surface at p (3,) turns to the targets, by what the glow gives there of all light; few
    from within the glass, where the glow is seen without it."""
    if not gives > 0.0:
        return 0.0
    for k in range(targets.glowing, targets.balls.shape[0]):
        if _to_ball(targets.balls, k, p)[2] <= 0.0:
            return LEAST
    return LEAST + (MOST - LEAST) * min(gives / max(total, 1e-30), 1.0)


@routine
def turn_to_target(world, v, s, plain, p, wo, frame, turned, numbers, drawn):
    """A direction as `bsdf.sample` draws it, or, for a share `turned` of all paths, to a target.

    numbers: which of the two, lobe, two for the direction; drawn: kind, wi, weight, density. The density stays that of
    the surface alone.
    """
    targets, tables = world.targets, world.tables
    kind, wi, weight, density = drawn
    u, u_lobe, u1, u2 = numbers
    rest = 1.0 - turned
    if u >= turned:
        k = 1.0 / rest
        if density > 0.0:
            k = density / (rest * density + turned * density_to(targets, p, to_world(wi, *frame)))
        return kind, wi, (k * weight[0], k * weight[1], k * weight[2]), density
    towards = draw_direction(targets, p, u / turned, u1, u2)
    wi = to_local(towards, *frame)
    if plain:
        dr, dg, db, sr, sg, sb, density = evaluate_plain(v, s, wo, wi, tables)
    else:
        dr, dg, db, sr, sg, sb, density = evaluate(v, s, wo, wi, world.materials.films, tables)
    diffuse, glossy = dr + dg + db, sr + sg + sb
    if not diffuse + glossy > 0.0:
        return FAILED, wi, (0.0, 0.0, 0.0), 0.0
    density = max(density, 1e-12)
    k = 1.0 / (rest * density + turned * density_to(targets, p, towards))
    kind = DIFFUSE if u_lobe * (diffuse + glossy) < diffuse else GLOSSY
    return kind, wi, (k * (dr + sr), k * (dg + sg), k * (db + sb)), density
