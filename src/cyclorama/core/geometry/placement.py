"""Laying the file's own space into the studio."""

import numpy as np

from ..arrays import Mat4
from ..scene import Placement


def file_to_metres(placement: Placement) -> Mat4:
    """Only the up axis and the unit: file space → metres, Y up."""
    m = np.eye(4)
    if placement.up == "z":
        m[:3, :3] = [[1, 0, 0], [0, 0, 1], [0, -1, 0]]
    m[:3, :3] *= placement.unit_m
    return m


def placement_matrix(placement: Placement) -> Mat4:
    """File space → studio at rest: unit and axis, centre onto the axis of the turn, turn, lift."""
    centre = np.eye(4)
    centre[0, 3], centre[2, 3] = -placement.centre_x_m, -placement.centre_z_m
    a = np.radians(placement.turn_deg)
    turn = np.eye(4)
    turn[0, 0], turn[0, 2], turn[2, 0], turn[2, 2] = np.cos(a), np.sin(a), -np.sin(a), np.cos(a)
    turn[1, 3] = placement.lift_m
    return turn @ centre @ file_to_metres(placement)
