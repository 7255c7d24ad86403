"""Attachments: carriers, and their poses at some times of a shot."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arrays import Mat4s, Points
from ..geometry.placement import placement_matrix
from ..scene import Aim, Item, Project, Shot
from ..scene.item import GROUNDS, ON_CAMERA, ON_DISC
from ..scene.shot import CAMERA, DISC
from ..scene.writing import derive
from .aiming import aim_point
from .curve import channels_under, values_at
from .rows import travels, turned_deg

F64 = NDArray[np.float64]
STILL = ""
"""The carriage of what does not move."""


@dataclass(frozen=True, slots=True)
class Attachments:
    """Carriers at n times. The camera is none here: see Poses."""

    frames: F64
    """(n,) counted from the shot's first"""
    disc_deg: F64
    item_deg: dict[str, F64]
    """by item: how far it has turned about its own axis, of those that do"""
    item_at: dict[str, Mat4s]
    """by item: where it stands, seen from where it is at rest, of those whose place is keyed"""

    def __len__(self) -> int:
        return len(self.frames)

    def carried(self, carriage: str, items: tuple[Item, ...]) -> Mat4s:
        """Where what rides on a carriage stands (n, 4, 4), seen from where it is at rest."""
        if carriage == DISC:
            return axis_rotations(self.disc_deg)
        item = next((x for x in items if x.id == carriage), None)
        if item is None:
            return np.tile(np.eye(4), (len(self), 1, 1))
        own = axis_rotations(self.item_deg.get(carriage, np.zeros(len(self))))
        axis = np.array([item.placement.x_m, 0.0, item.placement.z_m])
        own[:, :3, 3] = axis - own[:, :3, :3] @ axis
        if carriage in self.item_at:
            own = self.item_at[carriage] @ own
        below = self._below(item, items)
        return own if below == STILL else self.carried(below, items) @ own

    def aimed(self, aim: Aim, project: Project, shot: Shot) -> Points:
        """Aim point: (3,) where it stands still, (n, 3) where it is an item that moves."""
        point, item = aim_point(aim, project), project.item(aim.item)
        carriage = STILL if item is None else carriage_of(item, shot, project.items)
        if carriage in (STILL, CAMERA):  # a camera that looks at what it carries along looks where it is at rest
            return point
        at = self.carried(carriage, project.items)
        return np.asarray(at[:, :3, :3] @ point + at[:, :3, 3])

    def _below(self, item: Item, items: tuple[Item, ...]) -> str:
        """Carrier below the item that an item rides on."""
        while item.rides not in GROUNDS:
            item = next(x for x in items if x.id == item.rides)
            if item.id in self.item_deg or item.id in self.item_at:
                return item.id
        return {ON_DISC: DISC, ON_CAMERA: CAMERA}.get(item.rides, STILL)


def carriers_at(project: Project, shot: Shot, frames: F64) -> Attachments:
    """Carriers of a shot, at frames (n,) counted from its first."""
    return Attachments(
        frames=frames,
        disc_deg=turned_deg(shot, DISC, frames),
        item_deg={x.id: turned_deg(shot, x.id, frames) for x in project.items if travels(shot, x.id)},
        item_at={x.id: _moved(x, shot, frames) for x in project.items if is_placed(x, shot)},
    )


def carriage_of(item: Item, shot: Shot, items: tuple[Item, ...]) -> str:
    """The carrier of an item in a shot: itself, what it rides on, the disc, the camera, or none."""
    own = travels(shot, item.id) or is_placed(item, shot)
    return item.id if own else carriage_named(item.rides, shot, items)


def carriage_named(rides: str, shot: Shot, items: tuple[Item, ...]) -> str:
    """The carriage of what rides on `rides`: `set`, `disc`, `camera`, or an item."""
    item = next((x for x in items if x.id == rides), None)
    if item is not None:
        return carriage_of(item, shot, items)
    return {ON_DISC: DISC if travels(shot, DISC) else STILL, ON_CAMERA: CAMERA}.get(rides, STILL)


def is_placed(item: Item, shot: Shot) -> bool:
    """True when the place of an item is keyed in a shot."""
    return any(c.path.startswith(f"items/{item.id}/placement/") for c in shot.channels)


def axis_rotations(angles_deg: F64) -> Mat4s:
    """Rotations (k, 4, 4) about the axis of the turn."""
    a = np.radians(angles_deg)
    m = np.tile(np.eye(4), (len(a), 1, 1))
    m[:, 0, 0] = m[:, 2, 2] = np.cos(a)
    m[:, 0, 2], m[:, 2, 0] = np.sin(a), -np.sin(a)
    return m


def _moved(item: Item, shot: Shot, frames: F64) -> Mat4s:
    """Where an item whose place is keyed stands (n, 4, 4), seen from where it is at rest."""
    keyed = channels_under(shot, f"items/{item.id}/placement/")
    values = {name: values_at(channel, frames, shot.frames)[:, 0] for name, channel in keyed.items()}
    rest = np.linalg.inv(placement_matrix(item.placement))
    there = [
        placement_matrix(derive(item.placement, **({name: float(v[i]) for name, v in values.items()})))
        for i in range(len(frames))
    ]
    return np.array(there).reshape(-1, 4, 4) @ rest
