"""Where camera, items and lights stand at some times of a shot."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arrays import Mat4, Mat4s, Points
from ..scene import Item, Project, Shot
from ..scene.shot import CAMERA
from .attachments import Attachments, carriers_at
from .camera_rig import at_rest, stand_of
from .loop import plain, rows_close
from .rows import turned_deg

F64 = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Poses(Attachments):
    """Poses of everything that moves, at n times."""

    cameras: Mat4s
    """camera → studio, cameras look along −z"""
    resting: Mat4
    """camera → studio, where it stands without anything that it does"""
    aims: Points
    """(n, 3) what the camera goes round"""
    aim_m: F64
    """(n,) how far that is away, along its axis"""
    focal_mm: F64
    lights_deg: F64
    """how far the rig has travelled about the axis"""
    environment_deg: F64

    def carried(self, carriage: str, items: tuple[Item, ...]) -> Mat4s:
        """Where what rides on a carriage stands (n, 4, 4), seen from where it is at rest."""
        if carriage == CAMERA:
            return np.asarray(self.cameras @ np.linalg.inv(self.resting))
        return Attachments.carried(self, carriage, items)


def poses_at(project: Project, shot: Shot, frames: F64) -> Poses:
    """The poses of a shot at frames (n,) counted from its first, also between and beyond them.

    What a loop does before its first and after its last frame it does at its other end.
    """
    look = project.look_of(shot)
    if not (shot.frames < 2 or plain(shot)) and rows_close(project, shot):
        frames = np.mod(frames, shot.frames)
    still = np.zeros(len(frames))
    carriers = carriers_at(project, shot, frames)
    travelled = {"set": still, "camera": turned_deg(shot, CAMERA, frames), "subject": carriers.disc_deg}
    stand = stand_of(project, shot, carriers)
    cameras = stand.matrices(len(frames))
    return Poses(
        frames=frames,
        cameras=cameras,
        resting=at_rest(project, project.camera_of(shot)),
        aims=np.broadcast_to(stand.target, (len(frames), 3)),
        aim_m=stand.aim_m(cameras),
        focal_mm=np.broadcast_to(stand.values["focal_mm"], len(frames)),
        disc_deg=carriers.disc_deg,
        item_deg=carriers.item_deg,
        item_at=carriers.item_at,
        lights_deg=travelled[look.lights_travel_with],
        environment_deg=travelled[look.environment.travels_with],
    )
