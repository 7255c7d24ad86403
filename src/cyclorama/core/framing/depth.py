"""Depth of field, and the blur of the subject in every frame.

A point at d from a lens of focal length f and f-number N that is focused at s is drawn as a disc of the diameter
c = f² |d − s| / (N d (s − f)) on the sensor (thin lens; Ray, "Applied Photographic Optics", 3rd ed., ch. 22). What is
drawn no wider than a 1500th of the sensor's diagonal counts as sharp, the trade's measure for prints and screens that
are seen whole.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arrays import Points
from ..scene import Camera
from .margins import POINTS_AT_ONCE
from .view import View

F64 = NDArray[np.float64]
SHARP = 1 / 1500
"""Diameter of the widest disc that counts as a point, as a share of the sensor's diagonal."""


@dataclass(frozen=True, slots=True)
class Depth:
    """Zone of sharpness along the axis of a lens, m from the camera."""

    near_m: float
    far_m: float
    """infinite from the hyperfocal distance on"""
    hyperfocal_m: float
    """focused there, everything from half of it on is sharp"""


def depth_of_field(camera: Camera, focal_mm: float, focus_m: float, width: int, height: int) -> Depth | None:
    """Depth of field of a camera focused at a distance; None where everything is sharp. width, height: of the picture,
    whose longer side spans the sensor."""
    if camera.f_number is None or not camera.blurs:
        return None
    f = focal_mm / 1000
    circle = sharp_m(camera, width, height)
    hyperfocal = f * f / (camera.f_number * circle) + f
    s = max(focus_m, f * 1.001)
    near = s * (hyperfocal - f) / (hyperfocal + s - 2 * f)
    far = s * (hyperfocal - f) / (hyperfocal - s) if s < hyperfocal else math.inf
    return Depth(near, far, hyperfocal)


def sharp_m(camera: Camera, width: int, height: int) -> float:
    """Diameter on the sensor below which a disc counts as a point, m."""
    return SHARP * camera.sensor_mm / 1000 * math.hypot(width, height) / max(width, height)


def subject_blur_px(view: View, f_number: F64, focus_m: F64, points: Points) -> F64:
    """Diameter (n,), px of the delivered picture, of the disc as which the sharpest of the subject's depths is drawn:
    0 while the plane of focus goes through it. points (p, 3): of the subject at rest; f_number, focus_m: (n,)."""
    to_camera = (np.linalg.inv(view.poses.cameras) @ view.carried)[:, 2]
    near, far = np.empty(len(to_camera)), np.empty(len(to_camera))
    at_once = max(1, POINTS_AT_ONCE // max(len(points), 1))
    for first in range(0, len(to_camera), at_once):
        some = slice(first, first + at_once)
        depth = -(to_camera[some, :3] @ points.T + to_camera[some, 3:])
        near[some], far[some] = depth.min(axis=1), depth.max(axis=1)
    f = view.poses.focal_mm / 1000
    s = np.maximum(focus_m, f * 1.001)
    d = np.maximum(np.clip(s, near, far), 1e-9)
    disc = f * f * np.abs(d - s) / (f_number * d * (s - f))
    # the longer side of the picture spans the sensor; across it lie width pixels by the extent of the lens
    across_m = 2 * np.broadcast_to(np.ravel(view.lens.half_w), len(f)) * f
    return np.asarray(disc / across_m * view.width)
