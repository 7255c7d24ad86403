"""Where camera, items and lights stand at some times of a shot."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arrays import Mat4, Mat4s, Vec3
from ..scene import Camera, Item, Project, Shot
from ..scene.item import ON_DISC, ON_SET
from ..scene.shot import CAMERA, DISC
from .aiming import aim_point
from .rows import travels, turned_deg

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
    item_deg: dict[str, F64]
    """by item: how far it has turned about its own axis, of those that do"""
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
        own = turned(self.item_deg[carriage])
        axis = np.array([item.placement.x_m, 0.0, item.placement.z_m])
        own[:, :3, 3] = axis - own[:, :3, :3] @ axis
        below = self._below(item, items)
        return own if below == STILL else self.carried(below, items) @ own

    def _below(self, item: Item, items: tuple[Item, ...]) -> str:
        """What moves the thing that an item rides on."""
        while item.rides not in (ON_DISC, ON_SET):
            item = next(x for x in items if x.id == item.rides)
            if item.id in self.item_deg:
                return item.id
        return DISC if item.rides == ON_DISC else STILL


def carriage_of(item: Item, shot: Shot, items: tuple[Item, ...]) -> str:
    """What an item moves with in a shot: itself, what it rides on, the disc, or nothing."""
    while not travels(shot, item.id):
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


def camera_matrices(azimuth_deg: F64, camera: Camera, aim: Vec3) -> Mat4s:
    """Cameras (n, 4, 4) at these azimuths (n,), looking at the aim point (3,) from the camera's distance."""
    a, e = np.radians(azimuth_deg), np.radians(camera.elevation_deg)
    sin_a, cos_a, zero = np.sin(a), np.cos(a), np.zeros_like(a)
    back = np.stack([sin_a * np.cos(e), zero + np.sin(e), cos_a * np.cos(e)], axis=1)
    right = np.stack([cos_a, zero, -sin_a], axis=1)
    up = np.cross(back, right)
    m = np.zeros((len(a), 4, 4))
    m[:, :3, 0], m[:, :3, 1], m[:, :3, 2] = right, up, back
    m[:, :3, 3] = aim + back * camera.distance_m
    m[:, 3, 3] = 1.0
    return m


def poses_at(project: Project, shot: Shot, frames: F64) -> Poses:
    """The poses of a shot at frames (n,) counted from its first, also between and beyond them."""
    camera, look = project.camera_of(shot), project.look_of(shot)
    still = np.zeros(len(frames))
    camera_turn, disc_turn = (turned_deg(shot, who, frames) for who in (CAMERA, DISC))
    travelled = {"set": still, "camera": camera_turn, "subject": disc_turn}
    return Poses(
        frames=frames,
        cameras=camera_matrices(camera.azimuth_deg + camera_turn, camera, aim_point(camera.aim, project)),
        disc_deg=disc_turn,
        item_deg={x.id: turned_deg(shot, x.id, frames) for x in project.items if travels(shot, x.id)},
        lights_deg=travelled[look.lights_travel_with],
        environment_deg=travelled[look.environment.travels_with],
    )
