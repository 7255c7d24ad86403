"""The random walk inside a scattering medium.

Free paths by the colour channel that is still brightest, weighted over all three (one-sample balance heuristic, Veach
1997, section 9.2.4). Below a surface every scattering is even in all directions, which is what the colour of OpenPBR's
subsurface is inverted for; in cloudy media it follows Henyey and Greenstein.
"""

import math

from ...kernel import device
from ...material.row import FORWARD, SCATTER, SUBSURFACE_ALBEDO
from ...trig import sincos_turns
from ...vectors import get, off_axis
from .haze import phase_cosine
from .sampler import sample_pair

LONGEST_WALK = 1024
ROULETTE_AFTER = 12


@device
def scatter_in(medium, i, rays, reach, throughput, seed, index, pair, step):
    """Go on inside: 0 the boundary is reached, 1 absorbed, 2 scattered; throughput (3,), new origin and direction."""
    nothing = (0.0, 0.0, 0.0)
    # a pair of its own: where the boundary is reached, the surface goes on to use all others of this step
    u1, u2 = sample_pair(seed, index, pair + 4)
    a, b, c = medium[SCATTER] * 1.0, medium[SCATTER + 1] * 1.0, medium[SCATTER + 2] * 1.0
    total = throughput[0] + throughput[1] + throughput[2]
    if total <= 0.0:
        return 1, throughput, nothing, nothing
    wa, wb = throughput[0] / total, throughput[1] / total
    wc = 1.0 - wa - wb
    sigma = a if u1 < wa else (b if u1 < wa + wb else c)
    distance = -math.log(max(1.0 - u2, 1e-12)) / sigma
    if distance >= reach:
        ta, tb, tc = math.exp(-a * reach), math.exp(-b * reach), math.exp(-c * reach)
        k = 1.0 / max(wa * ta + wb * tb + wc * tc, 1e-30)
        return 0, (throughput[0] * ta * k, throughput[1] * tb * k, throughput[2] * tc * k), nothing, nothing
    ta, tb, tc = a * math.exp(-a * distance), b * math.exp(-b * distance), c * math.exp(-c * distance)
    k = 1.0 / max(wa * ta + wb * tb + wc * tc, 1e-30)
    throughput = (
        throughput[0] * ta * k * medium[SUBSURFACE_ALBEDO],
        throughput[1] * tb * k * medium[SUBSURFACE_ALBEDO + 1],
        throughput[2] * tc * k * medium[SUBSURFACE_ALBEDO + 2],
    )
    if step > ROULETTE_AFTER:
        u3, _ = sample_pair(seed, index, pair + 2)
        keep = min(0.998, max(throughput[0], max(throughput[1], throughput[2])))
        if u3 >= keep or step > LONGEST_WALK:
            return 1, throughput, nothing, nothing
        throughput = (throughput[0] / keep, throughput[1] / keep, throughput[2] / keep)
    v1, v2 = sample_pair(seed, index, pair + 1)
    z = phase_cosine(medium[FORWARD] * 1.0, v1)
    r = math.sqrt(max(1.0 - z * z, 0.0))
    s, co = sincos_turns(v2)
    o, d = get(rays.origin, i), get(rays.direction, i)
    origin = (o[0] + distance * d[0], o[1] + distance * d[1], o[2] + distance * d[2])
    return 2, throughput, origin, off_axis(d, r * co, r * s, z)
