"""At what distance the camera is focused."""

import numpy as np
from numpy.typing import NDArray

from ..arrays import Mat4, Vec3
from ..scene import Project, Shot
from ..scene.camera import NEAREST_M
from .attachments import STILL, carriage_of
from .curve import number_over
from .poses import Poses

F64 = NDArray[np.float64]


def focus_distance_m(point: Vec3, camera: Mat4) -> float:
    """Distance of a point in front of a camera (4, 4), along its axis."""
    return float((camera[:3, 3] - point) @ camera[:3, 2])


def focused_m(project: Project, shot: Shot, poses: Poses) -> F64:
    """Where the camera of a shot is focused (n,), m along its axis: as keyed, at a told distance, on a picked point
    that is followed wherever its item goes, or on what it looks at."""
    camera, items = project.camera_of(shot), project.items
    rest = np.nan if camera.focus_m is None else camera.focus_m
    told = number_over(shot, f"cameras/{camera.id}/focus_m", rest, poses.frames)
    if not np.isnan(told).any():
        return told
    if camera.focus_point_m is None:
        return np.asarray(poses.aim_m, float)
    item = next((x for x in items if x.id == camera.focus_item), None)
    at = poses.carried(STILL if item is None else carriage_of(item, shot, items), items)
    points = at @ np.array([*camera.focus_point_m, 1.0])
    away = [focus_distance_m(p[:3], c) for p, c in zip(points, poses.cameras, strict=True)]
    return np.maximum(away, NEAREST_M)
