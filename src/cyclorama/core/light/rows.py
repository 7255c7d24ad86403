"""Lights of the document as rows for the kernels: where they stand, how bright they are, what shapes their beam."""

import math

import numpy as np
from numpy.typing import NDArray

from ..arrays import Mat4, Vec3
from ..colour_temperature import temperature_to_rgb
from ..scene import Gobo, Light
from .kinds import BY_KERNEL, kind_of
from .shapes import (
    AREA,
    CASTS,
    CENTRE,
    CONTACT,
    COS_OUTER,
    FAR,
    FREE,
    FREE_SHARE,
    GOBO,
    GOBO_BLUR,
    GOBO_PARALLEL,
    GRID_TAN,
    HALF_U,
    HALF_V,
    HELD_SHARE,
    KIND,
    LIFTED,
    LIGHT_COLUMNS,
    MASK_OFFSET,
    MASK_U,
    MASK_V,
    NORMAL,
    RADIANCE,
    RADIUS,
    REACH,
    REFLECTED,
    SEEN,
    SPOT,
    SUN,
    TRAVEL,
)

MOST_FREE = 0.97
"""At most so often light is taken as passing everything."""


def direction(azimuth_deg: float, elevation_deg: float) -> Vec3:
    """Unit vector towards an azimuth and elevation."""
    a, e = math.radians(azimuth_deg), math.radians(elevation_deg)
    return np.array([math.sin(a) * math.cos(e), math.sin(e), math.cos(a) * math.cos(e)])


def face_area_m2(light: Light) -> float:
    """The area that shines."""
    return kind_of(light).area_m2(light)


def luminance_nit(light: Light) -> float:
    """Luminance of its face, in nit: along the axis for a spot, of the disc for the sun."""
    return kind_of(light).luminance_nit(light, light.power * 2.0**light.strength_stops)


def light_colour(light: Light) -> Vec3:
    """Linear Rec.709 of luminance 1 from temperature and tint, through the filter."""
    return temperature_to_rgb(light.temperature_k, tint=light.tint) * np.array(light.colour)


def light_row(light: Light, aim: Vec3, travel_deg: float, while_open_deg: float = 0.0) -> NDArray[np.float32]:
    """The light as (LIGHT_COLUMNS,), facing `aim` (3,) m, after the rig has travelled `travel_deg`, of which
    `while_open_deg` while the shutter is open. No gobo yet."""
    out = direction(light.azimuth_deg + travel_deg, light.elevation_deg)
    target = aim + np.array([0.0, light.aim_above_m, 0.0])
    centre = aim + out * light.distance_m
    back = centre - target
    back = back / max(float(np.linalg.norm(back)), 1e-9)
    side = np.cross([0.0, 1.0, 0.0], back)
    side = side / max(float(np.linalg.norm(side)), 1e-9)
    up = np.cross(back, side)
    roll = math.radians(light.roll_deg)
    side, up = side * math.cos(roll) + up * math.sin(roll), up * math.cos(roll) - side * math.sin(roll)
    row = np.zeros(LIGHT_COLUMNS)
    radius = light.width_m / 2
    kind = kind_of(light)
    tall = light.height_m / 2 if kind.tall else radius
    row[CENTRE : CENTRE + 3], row[NORMAL : NORMAL + 3] = centre, -back
    row[HALF_U : HALF_U + 3], row[HALF_V : HALF_V + 3] = side * radius, up * tall
    row[RADIANCE : RADIANCE + 3] = light_colour(light) * luminance_nit(light)
    row[AREA], row[KIND], row[RADIUS] = face_area_m2(light), kind.kernel, radius
    row[REACH] = math.hypot(radius, tall) * 1.0001
    for column, value in kind.columns(light).items():
        row[column] = value
    if light.grid_deg > 0 and kind.grid:
        row[GRID_TAN] = math.tan(math.radians(light.grid_deg))
    row[TRAVEL] = math.radians(while_open_deg)
    row[GOBO] = -1
    row[CASTS], row[SEEN], row[REFLECTED] = light.casts_shadows, light.seen_by_camera, light.seen_in_reflections
    _lift_shadows(row, light)
    return row.astype(np.float32)


def _lift_shadows(row: NDArray[np.float64], light: Light) -> None:
    """Enter what of a light passes into its own shadows.

    Of its light L a share F = (1 − density) · tint comes through: visible or not, V, what arrives is V·L·(1 − F) + L·F.
    Which of the two terms a sample stands for is chosen at random.
    """
    if not light.casts_shadows or (light.shadow_density >= 1.0 and light.shadow_reach_m is None):
        return
    free = (1.0 - light.shadow_density) * np.array(light.shadow_tint)
    chance = min(float(free.max()), MOST_FREE)
    row[CASTS], row[FREE] = LIFTED, chance
    row[FREE_SHARE : FREE_SHARE + 3] = free / chance if chance > 0 else 0.0
    row[HELD_SHARE : HELD_SHARE + 3] = (1.0 - free) / (1.0 - chance)
    row[CONTACT] = FAR if light.shadow_reach_m is None else light.shadow_reach_m


def carry(row: NDArray[np.float32], at: Mat4) -> None:
    """Move a light to where what it is fixed to has gone: `at` (4, 4), seen from where that is at rest."""
    for name in (NORMAL, HALF_U, HALF_V):
        row[name : name + 3] = at[:3, :3] @ row[name : name + 3]
    row[CENTRE : CENTRE + 3] = at[:3, :3] @ row[CENTRE : CENTRE + 3] + at[:3, 3]


def put_gobo(row: NDArray[np.float32], gobo: Gobo, texture: int) -> None:
    """Enter a mask into a light's row: the beam's square −1…1 is laid onto the picture 0…1.

    A parallel beam is as wide as the light; any other, from the middle of the light through the mask, reaches the edge
    of a spot's cone, or 45° from a panel.
    """
    a = math.radians(gobo.rotation_deg)
    k = 0.5 / gobo.scale
    c, s = math.cos(a) * k, math.sin(a) * k
    parallel = gobo.projection == "parallel"
    wide = 1.0
    if row[KIND] == SPOT:
        cosine = float(row[COS_OUTER])
        wide = math.sqrt(max(1.0 - cosine * cosine, 1e-9)) / max(cosine, 1e-4)

    def growing(half: Vec3) -> Vec3:
        size = max(float(np.linalg.norm(half)), 1e-9)
        return half / (size * size) if parallel else half / (size * wide)

    across, down = (growing(row[at : at + 3].astype(np.float64)) for at in (HALF_U, HALF_V))
    # v grows downwards in the picture
    row[MASK_U : MASK_U + 3], row[MASK_V : MASK_V + 3] = c * across + s * down, s * across - c * down
    row[MASK_OFFSET : MASK_OFFSET + 2] = 0.5 - gobo.offset_u, 0.5 - gobo.offset_v
    row[GOBO], row[GOBO_BLUR] = texture, gobo.softness**2
    row[GOBO_PARALLEL] = parallel


def reach_of(row: NDArray[np.float32], aim: Vec3) -> float:
    """About how much a light gives to a surface at `aim`, for choosing between lights: mean radiance · solid angle."""
    mean = float(row[RADIANCE : RADIANCE + 3].mean())
    if row[KIND] == SUN:
        return mean * 2 * math.pi * (1 - float(row[COS_OUTER]))
    seen = float(row[AREA]) * BY_KERNEL[int(row[KIND])].seen_share
    return mean * seen / max(float(np.sum((row[CENTRE : CENTRE + 3] - aim) ** 2)), 1e-14)
