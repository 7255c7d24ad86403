"""Where a light must stand so that the camera sees its reflection, or its grazing light, at a place of a surface."""

import math
from typing import NamedTuple

import numpy as np
import scipy

from ..arrays import Points, Vec3

WIDEST_COSINE = 0.05
"""A hull that fills more of what a point sees holds the point, or nearly."""
GRAZING_DEG = 8.0
"""So far above the surface a light stands that grazes it."""
HIGHEST_DEG = 89.0


class Surface(NamedTuple):
    """A place of a surface, and from where it is seen."""

    point: Vec3
    """(3,) m"""
    normal: Vec3
    """(3,) unit, as it is shaded, to the side that is seen"""
    eye: Vec3
    """(3,) m"""


class LightPosition(NamedTuple):
    """Where a light stands around its aim."""

    azimuth_deg: float
    elevation_deg: float
    off_deg: float
    """its distance, as seen from the surface, from where it should be; 0 where it can stand there"""


def mirror_position(surface: Surface) -> Vec3:
    """The direction (3,) in which a smooth surface shows what is there: r = 2 (n·v) n − v."""
    view = _unit(surface.eye - surface.point)
    return _unit(2.0 * float(surface.normal @ view) * surface.normal - view)


def grazing(surface: Surface, light_at: Vec3) -> Vec3:
    """The direction (3,) GRAZING_DEG above a surface that is nearest to where a light is now."""
    n = surface.normal
    now = _unit(light_at - surface.point)
    along = now - float(now @ n) * n
    if float(np.linalg.norm(along)) < 1e-6:  # it stands straight above: from behind, as the camera sees it
        view = _unit(surface.point - surface.eye)
        along = view - float(view @ n) * n
    if float(np.linalg.norm(along)) < 1e-6:
        along = np.cross(n, [1.0, 0.0, 0.0] if abs(n[0]) < 0.9 else [0.0, 1.0, 0.0])
    a = math.radians(GRAZING_DEG)
    return np.asarray(math.sin(a) * n + math.cos(a) * _unit(along))


def grazing_direction(point: Vec3, hull: Points, light_at: Vec3) -> Vec3 | None:
    """The direction (3,) from a point that just passes a hull (n, 3), nearest to where a light is now: a light there
    has the edge of the hull's shadow at the point. None from within the hull.

    All that is hidden by a convex hull lies, seen from a point outside, in a convex cone: on a plane across its middle
    its outline is the convex outline of its corners.
    """
    rays = hull - point
    away = np.linalg.norm(rays, axis=1)
    middle = _unit(rays.mean(axis=0))
    rays = rays / np.maximum(away, 1e-12)[:, None]
    if (rays @ middle).min() < WIDEST_COSINE:
        return None
    side = _unit(np.cross(middle, [0.0, 1.0, 0.0] if abs(middle[1]) < 0.9 else [1.0, 0.0, 0.0]))
    axes = np.stack([side, np.cross(middle, side)])
    flat = rays @ axes.T / (rays @ middle)[:, None]
    outline = flat[scipy.spatial.ConvexHull(flat).vertices]
    now = _unit(light_at - point)
    here = axes @ now / max(float(now @ middle), 0.05)
    start, along = outline, np.roll(outline, -1, axis=0) - outline
    share = ((here - start) * along).sum(axis=1) / np.maximum((along**2).sum(axis=1), 1e-18)
    nearest = start + np.clip(share, 0.0, 1.0)[:, None] * along
    x, y = nearest[int(np.linalg.norm(nearest - here, axis=1).argmin())]
    return _unit(middle + x * axes[0] + y * axes[1])


def stand_for(point: Vec3, towards: Vec3, aim: Vec3, distance_m: float | None, lowest_m: float | None) -> LightPosition:
    """Where around its aim a light stands in a direction from a point, at its distance from the aim.

    With o from the aim to the point: |o + t·r|² = d² for t > 0. Where no such place is, or it lies lower than
    `lowest_m`, the nearest one. distance_m: None for a sun, which stands at no distance in particular.
    """
    if distance_m is None:
        return _stand(towards, towards, lowest=0.0 if lowest_m is not None else -1.0)
    offset = point - aim
    along = float(offset @ towards)
    under = along * along - float(offset @ offset) + distance_m * distance_m
    t = -along + math.sqrt(under) if under >= 0.0 else max(-along, 0.0)
    if t <= 0.0:  # all of the ray lies beyond the reach of the light
        t = max(-along, 1e-6)
    out = _unit(point + t * towards - aim)
    lowest = -1.0 if lowest_m is None else min(max((lowest_m - float(aim[1])) / distance_m, -1.0), 1.0)
    stand = _stand(out, out, lowest)
    reached = aim + distance_m * _direction(stand) - point
    return stand._replace(off_deg=_angle_deg(reached, towards))


def _stand(out: Vec3, wanted: Vec3, lowest: float) -> LightPosition:
    """The angles of a direction whose height is at least the sine `lowest`."""
    least = max(math.degrees(math.asin(lowest)), -HIGHEST_DEG)
    elevation = min(max(math.degrees(math.asin(min(max(float(out[1]), -1.0), 1.0))), least), HIGHEST_DEG)
    azimuth = math.degrees(math.atan2(float(out[0]), float(out[2])))
    stand = LightPosition(azimuth, elevation, 0.0)
    return stand._replace(off_deg=_angle_deg(_direction(stand), wanted))


def _direction(stand: LightPosition) -> Vec3:
    a, e = math.radians(stand.azimuth_deg), math.radians(stand.elevation_deg)
    return np.array([math.sin(a) * math.cos(e), math.sin(e), math.cos(a) * math.cos(e)])


def _angle_deg(a: Vec3, b: Vec3) -> float:
    return math.degrees(math.atan2(float(np.linalg.norm(np.cross(a, b))), float(a @ b)))


def _unit(v: Vec3) -> Vec3:
    return np.asarray(v / max(float(np.linalg.norm(v)), 1e-12), np.float64)
