"""A shot as framing judges it: where the camera is in the frames that are looked at, and through what lens it sees."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arrays import Mat4s, Points
from ..motion import STILL, Poses, carriage_of, poses_at, sampled_frames
from ..scene import Project
from .lens import Projection


@dataclass(frozen=True, slots=True)
class View:
    """The open shot of a project."""

    poses: Poses
    """of the frames that are looked at"""
    carried: Mat4s
    """(n, 4, 4) where the subject stands in them, seen from where it rests"""
    lens: Projection
    width: int
    """of the delivered picture, px"""
    frames: NDArray[np.int64]
    """(n,) numbers of the frames that are looked at; each stands for those up to the next"""
    last_frame: int

    @classmethod
    def of(cls, project: Project, frame: int | None = None) -> "View":
        """The open shot of a project as it stands, or one frame of it."""
        shot, subject = project.shot, project.subject
        since = sampled_frames(shot) if frame is None else np.array([float(frame - shot.first_frame)])
        poses = poses_at(project, shot, since)
        carriage = carriage_of(subject, shot, project.items) if subject else STILL
        return cls(
            poses=poses,
            carried=poses.carried(carriage, project.items),
            lens=Projection.over(project.camera, poses.focal_mm, shot.shoot.width, shot.shoot.height),
            width=shot.shoot.width,
            frames=poses.frames.astype(np.int64) + shot.first_frame,
            last_frame=shot.all_frames[-1],
        )

    def eyes_in(self, to_space: NDArray[np.floating]) -> Points:
        """Where the camera is (n, 3) in a space into which matrices (n, 4, 4) lead from the studio."""
        eyes = self.poses.cameras[:, :3, 3]
        return np.asarray(np.einsum("nij,nj->ni", to_space[:, :3, :3], eyes) + to_space[:, :3, 3])

    def every(self, which: NDArray[np.bool_]) -> list[int]:
        """All frames that some of those looked at (n,) stand for."""
        ends = np.append(self.frames[1:], self.last_frame + 1)
        return [n for i in np.flatnonzero(which) for n in range(int(self.frames[i]), int(ends[i]))]
