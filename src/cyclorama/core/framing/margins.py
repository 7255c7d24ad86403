"""How far the subject stays from the edge of the frame, for every frame of a move."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arrays import Mat4, Points
from ..kernel import kernel
from .lens import picture_factor
from .view import View

NEAR_M = 1e-7
"""A point nearer to the camera plane than this counts as outside the frame."""
OUTSIDE = -0.5


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
        """How much of the subject a pixel of the delivered picture shows where it comes nearest, m."""
        return self.nearest_m * 2 * self.view.lens.half_w / self.view.width

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
    back = np.linalg.inv(view.carried)
    at = np.einsum("nij,nj->ni", back[:, :3, :3], view.poses.cameras[:, :3, 3]) + back[:, :3, 3]
    return view.every(((at > hull.min(axis=0)) & (at < hull.max(axis=0))).all(axis=1))


def frame_margins(view: View, points: Points) -> Margins:
    """Margins for the subject's points (n, 3), e.g. its convex hull, in studio space at rest."""
    lens, count = view.lens, len(view.poses)
    if len(points) == 0:
        return Margins(view, np.full(count, OUTSIDE), 0.0)
    to_camera = np.ascontiguousarray((np.linalg.inv(view.poses.cameras) @ view.carried)[:, :3])
    margins, nearest = np.empty(count), np.empty(count)
    _reach(np.ascontiguousarray(points, np.float64), to_camera, lens.half_w, lens.half_h, lens.k, margins, nearest)
    return Margins(view, np.maximum(margins, OUTSIDE), float(nearest.min()))


@kernel
def _reach(points, to_camera, half_w, half_h, k, margins, nearest):  # type: ignore[no-untyped-def]
    """Margin (n,) of points (p, 3) in each of n frames, by rest → camera (n, 3, 4), and depth (n,) of the nearest."""
    for i in range(len(to_camera)):
        m = to_camera[i]
        near, reach = np.inf, 0.0
        for j in range(len(points)):
            x, y, z = points[j, 0], points[j, 1], points[j, 2]
            depth = -(m[2, 0] * x + m[2, 1] * y + m[2, 2] * z + m[2, 3])
            near = min(near, depth)
            if depth < NEAR_M:
                break
            u = (m[0, 0] * x + m[0, 1] * y + m[0, 2] * z + m[0, 3]) / depth
            v = (m[1, 0] * x + m[1, 1] * y + m[1, 2] * z + m[1, 3]) / depth
            by = picture_factor(k, u * u + v * v)
            reach = max(reach, abs(u * by) / half_w, abs(v * by) / half_h)
        outside = near < NEAR_M
        margins[i] = -1.0 if outside else (1.0 - reach) / 2.0
        nearest[i] = 0.0 if outside else near
