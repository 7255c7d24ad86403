"""Two procedural studio environments as linear equirectangular pictures."""

import numpy as np

from ..core.arrays import RGBImage
from ..core.light.studio_environments import directions, panel
from .pictures import noise


def north_light_studio(height: int = 512) -> RGBImage:
    """A room with one wall of tall windows, a long overhead bank and dim walls."""
    azimuth, elevation = directions(height)
    wall = 0.055 + 0.05 * np.clip(elevation / 90, 0, 1)
    floor = np.clip(-elevation / 90, 0, 1)
    picture = np.stack([wall + 0.05 * floor, wall + 0.045 * floor, wall * 1.04 + 0.038 * floor], -1)
    for centre in (-78, -52, -26):
        pane = panel(azimuth, elevation, (centre, 24), (19, 62), 3.0)
        bars = 1 - 0.85 * ((np.abs((elevation - 24) % 16 - 8) < 0.7) & (pane > 0.02))
        picture += (pane * bars)[..., None] * np.array([2.5, 2.8, 3.2])
    picture += panel(azimuth, elevation, (100, 58), (64, 22), 8.0)[..., None] * np.array([2.6, 2.4, 2.1])
    picture += panel(azimuth, elevation, (165, 18), (26, 70), 10.0)[..., None] * np.array([1.1, 1.0, 0.9])
    picture += panel(azimuth, elevation, (40, 10), (14, 80), 6.0)[..., None] * np.array([0.55, 0.55, 0.58])
    return picture.astype(np.float32)


def harbour_dusk(height: int = 512) -> RGBImage:
    """Open water after sunset: a warm band on one side, blue above, a few quay lamps."""
    azimuth, elevation = directions(height)
    up = np.clip(elevation / 90, 0, 1)
    sky = np.array([0.16, 0.26, 0.50]) * (0.35 + 0.9 * np.exp(-up[..., None] * 2.2))
    towards = np.cos(np.radians(azimuth - 110)) * 0.5 + 0.5
    band = np.exp(-(((elevation - 3) / 13) ** 2)) * towards**3
    sky = sky + band[..., None] * np.array([3.0, 1.25, 0.42])
    cloud = np.clip(noise((height, 2 * height), (7, 40), 3) * 0.5 + 0.2, 0, 1) * np.exp(-(((elevation - 16) / 12) ** 2))
    sky = sky * (1 - 0.45 * cloud[..., None]) + (cloud * towards**2)[..., None] * np.array([0.9, 0.38, 0.25])
    water = np.array([0.05, 0.075, 0.11]) + (towards**4 * np.exp(elevation / 14))[..., None] * np.array(
        [0.8, 0.34, 0.14]
    )
    picture = np.where(elevation[..., None] > 0, sky, water)
    for at in (-150, -120, -95, -60, -20, 15):
        lamp = np.exp(-(((azimuth - at + 180) % 360 - 180) ** 2 + (elevation - 5) ** 2) / 5.0)
        picture = picture + lamp[..., None] * np.array([22.0, 13.0, 6.0])
    picture += panel(azimuth, elevation, (-35, 55), (70, 26), 14.0)[..., None] * np.array([1.0, 1.15, 1.5])
    return picture.astype(np.float32)
