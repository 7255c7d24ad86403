"""Haze as kernels see it: how dense the air is, what passes through it, and where light is scattered in it.

Distances are measured along rays in m. Density is even in a box, up to a height from which it thins exponentially; its
optical depth has a closed form, which is inverted to draw places. Unevenness multiplies it by 1 + grain · n with a
band-limited n of −1…1: then transmittance is estimated by residual ratio tracking and free paths by delta tracking
(Novák, Georgiev, Hanika and Jarosz, "Monte Carlo Methods for Volumetric Light Transport Simulation", CGF 37(2), 2018,
sections 4 and 5).
"""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...kernel import device, routine
from ...light.shapes import FAR
from .sampler import TO_UNIT, U32, combine

LEVEL = 1e-7
"""Rays whose direction rises less than this have one density all the way."""
MOST_DEPTH = 80.0
"""Nothing passes an optical depth beyond this."""
MOST_STEPS = 4096
"""Uneven haze that is still not passed after so many steps lets nothing through."""


class Air(NamedTuple):
    """Haze in one frame."""

    on: bool
    density: float
    """extinction at most, 1/m, where it is even"""
    albedo: NDArray[np.float32]
    """(3,) share of light that is scattered and not absorbed"""
    forward: float
    """mean cosine of scattering, −1…1"""
    low: NDArray[np.float32]
    """(3,) lower corner of the box that holds it, m"""
    high: NDArray[np.float32]
    """(3,) upper corner"""
    top: float
    """m above the floor, from where it thins; FAR: nowhere"""
    thinning: float
    """m within which it thins to 1/e"""
    grain: float
    """how much density varies, 0…1"""
    noise: NDArray[np.float32]
    """(n, n, n) tile of band-limited noise, −1…1"""
    per_tile: float
    """tiles a metre"""
    drift: NDArray[np.float32]
    """(6,) how far two blended swathes have moved, m"""
    now: float
    """weight of the first"""
    before: float
    """weight of the second"""


CLEAR_AIR = Air(
    False, 0.0, np.zeros(3, np.float32), 0.0, np.zeros(3, np.float32), np.zeros(3, np.float32), 0.0, 1.0,
    0.0, np.zeros((1, 1, 1), np.float32), 1.0, np.zeros(6, np.float32), 1.0, 0.0,
)  # fmt: skip


@device
def _between(o, d, low, high, near, far):
    """The part from `near` to `far` of a ray's way in which one of its coordinates is between two planes."""
    if abs(d) < 1e-12:
        inside = low <= o <= high
        return near, (far if inside else near - 1.0)
    inv = 1.0 / d
    a, b = (low - o) * inv, (high - o) * inv
    return max(near, min(a, b)), min(far, max(a, b))


@device
def way_in_haze(air, o, d, reach):
    """Part of a ray from o (3,) along d (3,) within the haze before `reach`: from, to. None where from ≥ to."""
    near, far = _between(o[0], d[0], air.low[0] * 1.0, air.high[0] * 1.0, 0.0, reach)
    near, far = _between(o[1], d[1], air.low[1] * 1.0, air.high[1] * 1.0, near, far)
    return _between(o[2], d[2], air.low[2] * 1.0, air.high[2] * 1.0, near, far)


@device
def _thickness(air, y):
    """Relative density at a height."""
    return 1.0 if y <= air.top else math.exp((air.top - y) / air.thinning)


@device
def _risen(air, y):
    """Integral of the relative density over the height."""
    return y if y <= air.top else air.top - air.thinning * math.expm1((air.top - y) / air.thinning)


@device
def _height_of(air, risen):
    """Inverse of `_risen`; infinite where nothing rises so far."""
    if risen <= air.top:
        return risen
    left = 1.0 - (risen - air.top) / air.thinning
    return air.top - air.thinning * math.log(left) if left > 0.0 else FAR


@device
def optical_depth(air, y, rise, near, far):
    """Optical depth of even haze between two distances along a ray from height y whose direction rises by `rise`."""
    if air.top >= FAR:
        return air.density * (far - near)
    if abs(rise) < LEVEL:
        return air.density * (far - near) * _thickness(air, y)
    return air.density * (_risen(air, y + far * rise) - _risen(air, y + near * rise)) / rise


@device
def distance_at(air, y, rise, near, depth):
    """Distance along the ray at which its optical depth since `near` is `depth`; at least FAR where it never is."""
    way = depth / air.density
    if air.top >= FAR:
        return near + way
    if abs(rise) < LEVEL:
        return near + way / max(_thickness(air, y), 1e-30)
    return (_height_of(air, _risen(air, y + near * rise) + way * rise) - y) / rise


@device
def extinction(air, y):
    """Extinction coefficient of even haze at a height, 1/m."""
    return air.density * _thickness(air, y)


@device
def _voxel(noise, x, y, z):
    """Noise at a place in tiles, which repeat: between the eight voxels around it."""
    size = noise.shape[0]
    fx, fy, fz = x * size, y * size, z * size
    ix, iy, iz = math.floor(fx), math.floor(fy), math.floor(fz)
    fx, fy, fz = fx - ix, fy - iy, fz - iz
    a, b, c = int(ix) % size, int(iy) % size, int(iz) % size
    p, q, r = (a + 1) % size, (b + 1) % size, (c + 1) % size
    low = (noise[a, b, c] * (1.0 - fx) + noise[p, b, c] * fx) * (1.0 - fy) + (
        noise[a, q, c] * (1.0 - fx) + noise[p, q, c] * fx
    ) * fy
    high = (noise[a, b, r] * (1.0 - fx) + noise[p, b, r] * fx) * (1.0 - fy) + (
        noise[a, q, r] * (1.0 - fx) + noise[p, q, r] * fx
    ) * fy
    return low * (1.0 - fz) + high * fz


@routine
def unevenness(air, x, y, z):
    """Factor of the density at a place, 1 − grain to 1 + grain.

    Two drifting swathes are blended so that the last frame of a shot leads to its first; their weights keep the
    variance.
    """
    s, v = air.per_tile, air.drift
    n = air.now * _voxel(air.noise, (x - v[0]) * s, (y - v[1]) * s, (z - v[2]) * s)
    if air.before > 0.0:
        n += air.before * _voxel(air.noise, (x - v[3]) * s, (y - v[4]) * s, (z - v[5]) * s)
    return 1.0 + air.grain * min(max(n, -1.0), 1.0)


@device
def _uneven_at(air, o, d, t):
    return unevenness(air, o[0] + t * d[0], o[1] + t * d[1], o[2] + t * d[2])


@device
def next_number(word):
    """The next word of a chain, and its number in [0, 1)."""
    word = combine(word, U32(0x68617A65))
    return word, word * TO_UNIT


@routine
def _tracked(air, o, d, near, far, whole, word):
    """Estimate of the share of light that passes uneven haze, by residual ratio tracking.

    whole: optical depth that even haze would have. The least density there is counts in closed form.
    """
    passing = math.exp(-min(whole * (1.0 - air.grain), MOST_DEPTH))
    per_step, depth = 1.0 / (2.0 * air.grain), 0.0
    for _ in range(MOST_STEPS):
        word, u = next_number(word)
        depth -= math.log(1.0 - u) * per_step
        if depth >= whole:
            return passing
        t = distance_at(air, o[1], d[1], near, depth)
        passing *= 1.0 - (_uneven_at(air, o, d, t) - (1.0 - air.grain)) * per_step
    return 0.0


@device
def transmittance(air, o, d, reach, word):
    """Share of light that passes along a ray up to `reach`: exact in even haze, else an unbiased estimate that
    depends on the chain of a word."""
    near, far = way_in_haze(air, o, d, reach)
    passing = 1.0
    if near < far:
        whole = optical_depth(air, o[1], d[1], near, far)
        passing = _tracked(air, o, d, near, far, whole, word) if air.grain > 0.0 else math.exp(-min(whole, MOST_DEPTH))
    return passing


@routine
def _accepted(air, o, d, near, far, whole, word):
    """Distance at which uneven haze scatters light first, −1 where it passes."""
    depth, t, most = 0.0, near, 1.0 + air.grain
    for _ in range(MOST_STEPS):
        word, u = next_number(word)
        depth -= math.log(1.0 - u) / most
        if depth >= whole:
            return -1.0
        t = min(distance_at(air, o[1], d[1], near, depth), far)
        word, u = next_number(word)
        if u * most < _uneven_at(air, o, d, t):
            return t
    return t


@device
def free_path(air, o, d, near, far, u, often, word):
    """Distance at which light that enters the haze at `near` is scattered first, −1 where it passes `far`; and the
    share of the light that this stands for.

    u: random number; often: in even haze light is scattered so many times as often, as long as that is no certainty.
    """
    whole = optical_depth(air, o[1], d[1], near, far)
    if air.grain > 0.0:
        return _accepted(air, o, d, near, far, whole, word), 1.0
    scattered = -math.expm1(-whole)
    often = min(often, 1.0 / max(scattered, 1e-30))
    u /= often
    if u >= scattered:
        return -1.0, 1.0
    return min(distance_at(air, o[1], d[1], near, -math.log1p(-u)), far), 1.0 / often


@device
def phase(g, cosine):
    """Henyey–Greenstein phase function, 1/sr; the cosine is 1 where light goes straight on (Henyey and Greenstein,
    "Diffuse Radiation in the Galaxy", ApJ 93, 1941)."""
    a = 1.0 + g * g - 2.0 * g * cosine
    return (1.0 - g * g) / (4.0 * math.pi * a * math.sqrt(a))


@device
def phase_cosine(g, u):
    """The cosine of a direction drawn by `phase`."""
    if abs(g) < 1e-3:
        return 1.0 - 2.0 * u
    k = (1.0 - g * g) / (1.0 - g + 2.0 * g * u)
    return min(max((1.0 + g * g - k * k) / (2.0 * g), -1.0), 1.0)
