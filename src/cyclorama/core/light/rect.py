"""Soft rectangular lights: from the document to arrays, and their sampling by area."""

import math

import numpy as np
from numpy.typing import NDArray

from ..arrays import Vec3
from ..kernel import device
from ..scene import RectLight
from ..scene.light import BASE_FLUX_LM
from .temperature import temperature_to_rgb

RECT_COLUMNS = 16
"""centre 0:3, half width vector 3:6, half height vector 6:9, unit normal 9:12, radiance 12:15, area 15"""


def direction(azimuth_deg: float, elevation_deg: float) -> Vec3:
    """Unit vector towards an azimuth and elevation."""
    a, e = math.radians(azimuth_deg), math.radians(elevation_deg)
    return np.array([math.sin(a) * math.cos(e), math.sin(e), math.cos(a) * math.cos(e)])


def flux_lm(light: RectLight) -> float:
    """Luminous flux of a light."""
    return BASE_FLUX_LM * 2.0**light.strength_stops


def luminance_nit(light: RectLight) -> float:
    """Luminance of its evenly diffusing, one-sided face: flux / (π · area)."""
    return flux_lm(light) / (math.pi * light.width_m * light.height_m)


def rect_row(light: RectLight, aim: Vec3, travel_deg: float) -> NDArray[np.float32]:
    """The light as one row of RECT_COLUMNS, facing `aim` (3,) m, after the rig has travelled `travel_deg`."""
    out = direction(light.azimuth_deg + travel_deg, light.elevation_deg)
    normal = -out
    side = np.cross([0.0, 1.0, 0.0], out)
    side /= np.linalg.norm(side)
    up = np.cross(out, side)
    radiance = temperature_to_rgb(light.temperature_k) * luminance_nit(light)
    row = np.concatenate([
        aim + out * light.distance_m, side * light.width_m / 2, up * light.height_m / 2, normal, radiance,
        [light.width_m * light.height_m],
    ])  # fmt: skip
    return row.astype(np.float32)


@device
def rect_hit(rects, k, ox, oy, oz, dx, dy, dz):
    """Distance along a ray to the lit side of the light and its density per solid angle, or (−1, 0)."""
    facing = -(dx * rects[k, 9] + dy * rects[k, 10] + dz * rects[k, 11])
    if facing <= 1e-7:
        return -1.0, 0.0
    t = (
        -((rects[k, 0] - ox) * rects[k, 9] + (rects[k, 1] - oy) * rects[k, 10] + (rects[k, 2] - oz) * rects[k, 11])
        / facing
    )
    if t <= 1e-5:
        return -1.0, 0.0
    px, py, pz = ox + t * dx - rects[k, 0], oy + t * dy - rects[k, 1], oz + t * dz - rects[k, 2]
    u2 = rects[k, 3] * rects[k, 3] + rects[k, 4] * rects[k, 4] + rects[k, 5] * rects[k, 5]
    v2 = rects[k, 6] * rects[k, 6] + rects[k, 7] * rects[k, 7] + rects[k, 8] * rects[k, 8]
    along_u = px * rects[k, 3] + py * rects[k, 4] + pz * rects[k, 5]
    along_v = px * rects[k, 6] + py * rects[k, 7] + pz * rects[k, 8]
    if abs(along_u) > u2 or abs(along_v) > v2:
        return -1.0, 0.0
    return t, t * t / (facing * rects[k, 15])


@device
def sample_rect(rects, k, u1, u2, ox, oy, oz):
    """A direction to an even point of the light: x, y, z, distance, density per solid angle (0: unlit side)."""
    a, b = 2.0 * u1 - 1.0, 2.0 * u2 - 1.0
    x = rects[k, 0] + a * rects[k, 3] + b * rects[k, 6] - ox
    y = rects[k, 1] + a * rects[k, 4] + b * rects[k, 7] - oy
    z = rects[k, 2] + a * rects[k, 5] + b * rects[k, 8] - oz
    d2 = x * x + y * y + z * z
    distance = math.sqrt(d2)
    x, y, z = x / distance, y / distance, z / distance
    facing = -(x * rects[k, 9] + y * rects[k, 10] + z * rects[k, 11])
    if facing <= 1e-7:
        return x, y, z, distance, 0.0
    return x, y, z, distance, d2 / (facing * rects[k, 15])
