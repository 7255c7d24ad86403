"""Haze as it fills the set: where it is, and how much light it lets pass between two places."""

import math

import numpy as np

from ..arrays import Vec3
from ..scene.haze import Haze

STEPS = 64


def haze_box(haze: Haze) -> tuple[Vec3, Vec3]:
    """Lower and upper corner (3,) of the box that holds it, m."""
    if haze.where == "box":
        x, y, z = haze.box_x_m, haze.box_y_m, haze.box_z_m
        half, deep = haze.box_width_m / 2, haze.box_depth_m / 2
        return np.array([x - half, y, z - deep]), np.array([x + half, y + haze.box_height_m, z + deep])
    reach = haze.reach_m
    return np.array([-reach, 0.0, -reach]), np.array([reach, reach, reach])


def passing_share(haze: Haze, a: Vec3, b: Vec3) -> float:
    """Share of light that haze lets pass between two places (3,), without its unevenness."""
    if not haze.on:
        return 1.0
    low, high = haze_box(haze)
    along = ((np.arange(STEPS) + 0.5) / STEPS)[:, None]
    p = a + along * (b - a)
    within = np.all((p >= low) & (p <= high), axis=1)
    above = np.maximum(p[:, 1] - haze.height_m, 0.0) / haze.thinning_m if haze.where == "floor" else 0.0
    depth = float((within * np.exp(-above)).mean() * np.linalg.norm(b - a) / haze.path_m)
    return math.exp(-depth)
