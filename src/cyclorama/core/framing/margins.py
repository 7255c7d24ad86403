"""Margins between the subject and the edge of the frame, for every frame of a move."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arrays import Mat4, Points
from .lens import Projection
from .view import View

NEAR_M = 1e-7
"""A point nearer to the camera plane than this counts as outside the frame."""
OUTSIDE = -0.5
POINTS_AT_ONCE = 1 << 15
"""So many are looked at together: as much as stays near the processor."""
Distances = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Margins:
    """Smallest distance of the subject to the frame edge, as a share of the frame's size along that axis.

    0 touches the edge, negative is cut off, 0.5 would be the middle of the frame.
    """

    view: View
    per_frame: NDArray[np.float64]
    """(n,) in each frame that is looked at"""
    nearest_m: float
    """depth of the subject's nearest point in the frame where it comes nearest; 0 where the camera is inside of it"""

    @property
    def pixel_m(self) -> float:
        """Size of a pixel of the delivered picture on the subject where it comes nearest, m."""
        return self.nearest_m * 2 * float(np.min(self.view.lens.half_w)) / self.view.width

    @property
    def worst(self) -> float:
        return float(self.per_frame.min())

    @property
    def worst_frame(self) -> int:
        return int(self.view.frames[self.per_frame.argmin()])

    @property
    def cut_frames(self) -> list[int]:
        """Frames in which something is cut off."""
        return self.view.every(self.per_frame < 0)


def camera_space(points: Points, camera: Mat4, carried: Mat4) -> Points:
    """Points (n, 3) of an item at rest in the space of a camera (4, 4), when the item is carried (4, 4)."""
    turned = points @ carried[:3, :3].T + carried[:3, 3]
    return np.asarray((turned - camera[:3, 3]) @ camera[:3, :3])


def frames_inside(view: View, hull: Points) -> list[int]:
    """Frames in which the camera stands inside the box of the subject; hull (k, 3) m in studio space at rest."""
    at = view.eyes_in(np.linalg.inv(view.carried))
    return view.every(((at > hull.min(axis=0)) & (at < hull.max(axis=0))).all(axis=1))


def frame_margins(view: View, points: Points) -> Margins:
    """Margins for the subject's points (n, 3), e.g. its convex hull, in studio space at rest."""
    lens, count = view.lens, len(view.poses)
    if len(points) == 0:
        return Margins(view, np.full(count, OUTSIDE), 0.0)
    to_camera = (np.linalg.inv(view.poses.cameras) @ view.carried)[:, :3]
    margins, nearest = np.empty(count), np.empty(count)
    at_once = max(1, POINTS_AT_ONCE // len(points))
    for first in range(0, count, at_once):
        some = slice(first, first + at_once)
        margins[some], nearest[some] = _margins(to_camera[some], points, lens.some(some))
    return Margins(view, np.maximum(margins, OUTSIDE), float(nearest.min()))


def _margins(to_camera: NDArray[np.float64], points: Points, lens: Projection) -> tuple[Distances, Distances]:
    """Margin (n,) of points (p, 3) in each of n frames, by rest → camera (n, 3, 4), and depth (n,) of the nearest.

    In arrays: a kernel would have to wait while others are compiled, and the page with it.
    """
    x, y, z = (m[:, :3] @ points.T + m[:, 3:] for m in to_camera.transpose(1, 0, 2))
    depth = -z
    near = depth.min(axis=1)
    safe = np.maximum(depth, NEAR_M)
    u, v = lens.places(x / safe, y / safe)
    reach = np.maximum((np.abs(u) / lens.half_w).max(axis=1), (np.abs(v) / lens.half_h).max(axis=1))
    outside = near < NEAR_M
    return np.where(outside, OUTSIDE, (1.0 - reach) / 2.0), np.where(outside, 0.0, near)
