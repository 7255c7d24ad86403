"""Where camera, items and lights stand at some times of a shot."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arrays import Mat4, Mat4s, Points, Vec3
from ..geometry.placement import placement_matrix
from ..scene import Item, Project, Shot
from ..scene.item import ON_DISC, ON_SET
from ..scene.shot import CAMERA, DISC
from .closing import plain, rows_close
from .curve import values_at
from .rows import travels, turned_deg
from .stands import channels_under, stand_of

F64 = NDArray[np.float64]
STILL = ""
"""The carriage of what does not move."""


@dataclass(frozen=True, slots=True)
class Poses:
    """What moves, at n times."""

    frames: F64
    """(n,) counted from the shot's first"""
    cameras: Mat4s
    """camera → studio, cameras look along −z"""
    disc_deg: F64
    aims: Points
    """(n, 3) what the camera goes round"""
    aim_m: F64
    """(n,) how far that is away, along its axis"""
    focal_mm: F64
    item_deg: dict[str, F64]
    """by item: how far it has turned about its own axis, of those that do"""
    item_at: dict[str, Mat4s]
    """by item: where it stands, seen from where it is at rest, of those whose place is keyed"""
    lights_deg: F64
    """how far the rig has travelled about the axis"""
    environment_deg: F64

    def __len__(self) -> int:
        return len(self.frames)

    def carried(self, carriage: str, items: tuple[Item, ...]) -> Mat4s:
        """Where what rides on a carriage stands (n, 4, 4), seen from where it is at rest."""
        if carriage == STILL:
            return np.tile(np.eye(4), (len(self), 1, 1))
        if carriage == DISC:
            return turned(self.disc_deg)
        item = next(x for x in items if x.id == carriage)
        own = turned(self.item_deg.get(carriage, np.zeros(len(self))))
        axis = np.array([item.placement.x_m, 0.0, item.placement.z_m])
        own[:, :3, 3] = axis - own[:, :3, :3] @ axis
        if carriage in self.item_at:
            own = self.item_at[carriage] @ own
        below = self._below(item, items)
        return own if below == STILL else self.carried(below, items) @ own

    def _below(self, item: Item, items: tuple[Item, ...]) -> str:
        """What moves the thing that an item rides on."""
        while item.rides not in (ON_DISC, ON_SET):
            item = next(x for x in items if x.id == item.rides)
            if item.id in self.item_deg or item.id in self.item_at:
                return item.id
        return DISC if item.rides == ON_DISC else STILL


def carriage_of(item: Item, shot: Shot, items: tuple[Item, ...]) -> str:
    """What an item moves with in a shot: itself, what it rides on, the disc, or nothing."""
    while not (travels(shot, item.id) or is_placed(item, shot)):
        if item.rides == ON_SET:
            return STILL
        if item.rides == ON_DISC:
            return DISC if travels(shot, DISC) else STILL
        item = next(x for x in items if x.id == item.rides)
    return item.id


def turned(angles_deg: F64) -> Mat4s:
    """Rotations (k, 4, 4) about the axis of the turn."""
    a = np.radians(angles_deg)
    m = np.tile(np.eye(4), (len(a), 1, 1))
    m[:, 0, 0] = m[:, 2, 2] = np.cos(a)
    m[:, 0, 2], m[:, 2, 0] = np.sin(a), -np.sin(a)
    return m


def focus_distance_m(point: Vec3, camera: Mat4) -> float:
    """Distance of a point in front of a camera (4, 4), along its axis."""
    return float((camera[:3, 3] - point) @ camera[:3, 2])


def poses_at(project: Project, shot: Shot, frames: F64) -> Poses:
    """The poses of a shot at frames (n,) counted from its first, also between and beyond them.

    What a loop does before its first and after its last frame it does at its other end.
    """
    look = project.look_of(shot)
    if not (shot.frames < 2 or plain(shot)) and rows_close(project, shot):
        frames = np.mod(frames, shot.frames)
    still = np.zeros(len(frames))
    camera_turn, disc_turn = (turned_deg(shot, who, frames) for who in (CAMERA, DISC))
    travelled = {"set": still, "camera": camera_turn, "subject": disc_turn}
    stand = stand_of(project, shot, frames)
    cameras = stand.matrices(len(frames))
    return Poses(
        frames=frames,
        cameras=cameras,
        aims=np.broadcast_to(stand.aim, (len(frames), 3)),
        aim_m=stand.aim_m(cameras),
        focal_mm=np.broadcast_to(stand.values["focal_mm"], len(frames)),
        disc_deg=disc_turn,
        item_deg={x.id: turned_deg(shot, x.id, frames) for x in project.items if travels(shot, x.id)},
        item_at={x.id: _moved(x, shot, frames) for x in project.items if is_placed(x, shot)},
        lights_deg=travelled[look.lights_travel_with],
        environment_deg=travelled[look.environment.travels_with],
    )


def is_placed(item: Item, shot: Shot) -> bool:
    """Whether the place of an item is keyed in a shot."""
    return any(c.path.startswith(f"items/{item.id}/placement/") for c in shot.channels)


def _moved(item: Item, shot: Shot, frames: F64) -> Mat4s:
    """Where an item whose place is keyed stands (n, 4, 4), seen from where it is at rest."""
    keyed = channels_under(shot, f"items/{item.id}/placement/")
    values = {name: values_at(channel, frames, shot.frames)[:, 0] for name, channel in keyed.items()}
    rest = np.linalg.inv(placement_matrix(item.placement))
    there = [
        placement_matrix(item.placement.model_copy(update={name: float(v[i]) for name, v in values.items()}))
        for i in range(len(frames))
    ]
    return np.array(there).reshape(-1, 4, 4) @ rest
