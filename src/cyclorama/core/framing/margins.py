"""How far the subject stays from the edge of the frame, for every frame of a move."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arrays import Points
from ..motion import Poses, pose_project
from ..scene import Project
from .lens import Projection

NEAR_M = 1e-7
"""A point nearer to the camera plane than this counts as outside the frame."""
OUTSIDE = -0.5


@dataclass(frozen=True, slots=True)
class Margins:
    """Smallest distance of the subject to the frame edge, as a share of the frame's size along that axis.

    0 touches the edge, negative is cut off, 0.5 would be the middle of the frame.
    """

    first_frame: int
    per_frame: NDArray[np.float64]
    nearest_m: float
    """depth of the subject's nearest point in the frame where it comes nearest; 0 where the camera is inside of it"""
    pixel_at_1m: float
    """how wide a pixel of the delivered picture is at a depth of a metre, m"""

    @property
    def pixel_m(self) -> float:
        """How much of the subject a pixel shows where it comes nearest, m."""
        return self.nearest_m * self.pixel_at_1m

    @property
    def worst(self) -> float:
        return float(self.per_frame.min())

    @property
    def worst_frame(self) -> int:
        return self.first_frame + int(self.per_frame.argmin())

    @property
    def cut_frames(self) -> list[int]:
        """Frames in which something is cut off."""
        return [self.first_frame + int(i) for i in np.flatnonzero(self.per_frame < 0)]


def camera_space(points: Points, poses: Poses, index: int) -> Points:
    """Points (n, 3) of the subject at rest, in the camera's space in frame number `index` of the move."""
    a = np.radians(poses.subject_deg[index])
    c, s = np.cos(a), np.sin(a)
    turned = points @ np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]]).T
    m = poses.cameras[index]
    return np.asarray((turned - m[:3, 3]) @ m[:3, :3])


def frames_inside(poses: Poses, hull: Points) -> list[int]:
    """Frames in which the camera stands inside the box of the subject; hull (k, 3) m in studio space at rest."""
    a = np.radians(-poses.subject_deg)
    p = poses.cameras[:, :3, 3]
    x, z = np.cos(a) * p[:, 0] + np.sin(a) * p[:, 2], np.cos(a) * p[:, 2] - np.sin(a) * p[:, 0]
    at = np.stack([x, p[:, 1], z], axis=1)
    inside = ((at > hull.min(axis=0)) & (at < hull.max(axis=0))).all(axis=1)
    return [poses.first_frame + int(i) for i in np.flatnonzero(inside)]


def frame_margins(project: Project, points: Points) -> Margins:
    """Margins for the subject's points (n, 3), e.g. its convex hull, in studio space at rest."""
    poses = pose_project(project)
    lens = Projection.of_project(project)
    margins, nearest = np.empty(len(poses)), np.inf
    for i in range(len(poses)):
        p = camera_space(points, poses, i)
        depth = -p[:, 2]
        if len(depth) == 0 or depth.min() < NEAR_M:
            margins[i], nearest = OUTSIDE, 0.0
            continue
        nearest = min(nearest, float(depth.min()))
        x, y = lens.places(p[:, 0] / depth, p[:, 1] / depth)
        reach = max(np.abs(x).max() / lens.half_w, np.abs(y).max() / lens.half_h)
        margins[i] = (1.0 - reach) / 2.0
    pixel = 2 * lens.half_w / project.shoot.width
    return Margins(poses.first_frame, np.maximum(margins, OUTSIDE), nearest if np.isfinite(nearest) else 0.0, pixel)
