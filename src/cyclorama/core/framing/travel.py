"""Travel of the subject through the picture, share of the frame it fills, and speed of the camera, from frame to
frame."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arrays import Mat4s, Points
from ..motion import STILL, carriage_of, poses_at
from ..scene import Project
from .lens import Projection
from .margins import NEAR_M, POINTS_AT_ONCE
from .view import View

F64 = NDArray[np.float64]
CROSSING_S = 7.0
"""What crosses the picture in less than this judders: the seven-second rule of the trade, for about 24 pictures a
second and an open angle of 180°."""


@dataclass(frozen=True, slots=True)
class SubjectTravel:
    """Measurements in each frame that is looked at (n,)."""

    px: F64
    """by how many pixels of the delivered picture the middle of the box around the subject goes to the next frame,
    while it is seen"""
    filled: F64
    """share of the picture inside the box around the subject, 0…1"""
    low: F64
    """(n, 2) left and lower side of the box around the subject, ±1 at the edges of the picture"""
    high: F64
    """(n, 2) right and upper side"""
    camera_m_s: F64
    """speed of the camera, m/s"""
    turn_deg_s: F64
    """its turn, °/s"""
    most_px: float
    """beyond this many pixels a frame a movement judders"""

    @property
    def largest(self) -> float:
        """Share of the picture's height or width, whichever is more, that the box has where it is largest."""
        return float(((self.high - self.low) / 2.0).max(initial=0.0))


def travel_of(project: Project, view: View, points: Points) -> SubjectTravel:
    """Measures of the open shot, as it is seen, for the subject's points (p, 3), e.g. its convex hull, in studio space
    at rest."""
    shot, subject = project.shot, project.subject
    width, height = shot.shoot.width, shot.shoot.height
    fps = project.rate_num / project.rate_den
    now, then = view.poses, poses_at(project, shot, view.poses.frames + 1.0)
    carriage = carriage_of(subject, shot, project.items) if subject else STILL
    later = Projection.over(project.camera, then.focal_mm, width, height)
    first = _seen(points, now.cameras, view.carried, view.lens)
    second = _seen(points, then.cameras, then.carried(carriage, project.items), later)
    seen_in_both = first.in_picture() & second.in_picture()
    step = (second.middle() - first.middle()) * (width / 2, height / 2)
    turned = np.einsum("nij,nij->n", now.cameras[:, :3, :3], then.cameras[:, :3, :3])
    return SubjectTravel(
        px=np.where(seen_in_both, np.hypot(step[:, 0], step[:, 1]), 0.0),
        filled=first.filled(),
        low=first.low,
        high=first.high,
        camera_m_s=np.linalg.norm(then.cameras[:, :3, 3] - now.cameras[:, :3, 3], axis=1) * fps,
        turn_deg_s=np.degrees(np.arccos(np.clip((turned - 1.0) / 2.0, -1.0, 1.0))) * fps,
        most_px=width / (CROSSING_S * fps),
    )


@dataclass(frozen=True, slots=True)
class _Seen:
    """The box around points in the picture, ±1 at its edges."""

    low: F64
    """(n, 2) left and lower side"""
    high: F64
    there: NDArray[np.bool_]
    """(n,) whether any point lies in front of the camera"""

    def middle(self) -> F64:
        """Middle (n, 2) of the box."""
        return (self.high + self.low) / 2.0

    def in_picture(self) -> NDArray[np.bool_]:
        """True where (n,) something of the box is."""
        inside = (self.low <= 1.0) & (self.high >= -1.0)
        return np.asarray(inside.all(axis=1) & self.there)

    def filled(self) -> F64:
        """Share (n,) of the picture inside the box."""
        sides = np.clip(self.high, -1, 1) - np.clip(self.low, -1, 1)
        return np.asarray(sides[:, 0] * sides[:, 1] / 4.0)


def _seen(points: Points, cameras: Mat4s, carried: Mat4s, lens: Projection) -> _Seen:
    to_camera, n = (np.linalg.inv(cameras) @ carried)[:, :3], len(cameras)
    low, high, any_there = np.zeros((n, 2)), np.zeros((n, 2)), np.zeros(n, bool)
    at_once = max(1, POINTS_AT_ONCE // max(len(points), 1))
    for begin in range(0, n if len(points) else 0, at_once):
        some = slice(begin, begin + at_once)
        here = lens.some(some)
        x, y, z = (m[:, :3] @ points.T + m[:, 3:] for m in to_camera[some].transpose(1, 0, 2))
        there, safe = -z > NEAR_M, np.maximum(-z, NEAR_M)
        a, b = here.places(x / safe, y / safe)
        for axis, places in enumerate((a / here.half_w, b / here.half_h)):
            low[some, axis] = np.where(there, places, np.inf).min(axis=1)
            high[some, axis] = np.where(there, places, -np.inf).max(axis=1)
        any_there[some] = there.any(axis=1)
    low[~any_there], high[~any_there] = 0.0, 0.0
    return _Seen(low, high, any_there)
