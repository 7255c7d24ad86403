"""Laying the file's own space into the studio."""

from typing import Literal

import numpy as np

from ..arrays import Mat3, Mat4
from ..scene import Placement


def axis_to_y(up: Literal["y", "z"]) -> Mat3:
    """The turn (3, 3) that brings the file's up axis to +Y."""
    return np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]) if up == "z" else np.eye(3)


def file_to_metres(placement: Placement) -> Mat4:
    """File space → metres, Y up, scaled, tipped and rolled over; not centred, turned or brought to its place yet."""
    tip, roll = np.radians(placement.tip_deg), np.radians(placement.roll_deg)
    tipped = np.array([[1, 0, 0], [0, np.cos(tip), -np.sin(tip)], [0, np.sin(tip), np.cos(tip)]])
    rolled = np.array([[np.cos(roll), np.sin(roll), 0], [-np.sin(roll), np.cos(roll), 0], [0, 0, 1]])
    m = np.eye(4)
    m[:3, :3] = rolled @ tipped @ axis_to_y(placement.up) * (placement.unit_m * placement.scale)
    return m


def placement_matrix(placement: Placement) -> Mat4:
    """File space → studio at rest: unit, axis, scale, tip and roll, centre onto its axis, turn, lift, place."""
    centre = np.eye(4)
    centre[0, 3], centre[2, 3] = -placement.centre_x_m, -placement.centre_z_m
    a = np.radians(placement.turn_deg)
    turn = np.eye(4)
    turn[0, 0], turn[0, 2], turn[2, 0], turn[2, 2] = np.cos(a), np.sin(a), -np.sin(a), np.cos(a)
    turn[:3, 3] = placement.x_m, placement.lift_m, placement.z_m
    return turn @ centre @ file_to_metres(placement)
