"""Where the lights of a moment stand, and how far their faces reach."""

import numpy as np
from numpy.typing import NDArray

from ..arrays import Points
from ..motion import Moment
from ..scene import Light
from .rows import carry, light_row
from .shapes import CENTRE, HALF_U, HALF_V, KIND, RADIUS, RECT, SPHERE, TUBE
from .sky import SUN_OF_SKY

ROUND = 16
"""Points of a round outline."""
SQUARE = 9
"""Points along each side of a rectangle."""


def row_at(light: Light, moment: Moment) -> NDArray[np.float32]:
    """A light's row; the sky's sun travels with the sky, others with the rig or with what they ride on."""
    shutter = moment.shutter
    if light.id == SUN_OF_SKY:
        travelled = moment.look.environment.rotation_deg + float(moment.around.environment_deg[0])
        return light_row(light, moment.aim, travelled, while_open(shutter.environment_deg))
    aim = np.array([light.aim.x_m, light.aim.y_m, light.aim.z_m])
    if light.id in moment.light_at:
        row = light_row(light, aim, 0.0)
        carry(row, moment.light_at[light.id])
        return row
    return light_row(light, aim, float(moment.around.lights_deg[0]), while_open(shutter.lights_deg))


def while_open(degrees: NDArray[np.float64]) -> float:
    """Angle between the first and the last pose of the shutter."""
    return float(degrees[-1] - degrees[0])


def outline(row: NDArray[np.float32]) -> Points:
    """Points (n, 3), m, around what shines of a light that stands somewhere (no sun): its lowest, highest and farthest
    are among them, or a hundredth of its size beside."""
    centre, u, v = (row[at : at + 3].astype(np.float64) for at in (CENTRE, HALF_U, HALF_V))
    if row[KIND] == RECT:
        side = np.linspace(-1.0, 1.0, SQUARE)
        across, up = np.meshgrid(side, side)
        edge = np.maximum(abs(across), abs(up)) == 1.0
        return centre + across[edge][:, None] * u + up[edge][:, None] * v
    if row[KIND] in (SPHERE, TUBE):
        axes = np.concatenate([np.eye(3), -np.eye(3)]) * float(row[RADIUS])
        ends = np.stack([u, -u]) if row[KIND] == TUBE else np.zeros((1, 3))
        return (centre + ends[:, None] + axes).reshape(-1, 3)
    turn = np.arange(ROUND) * (2 * np.pi / ROUND)
    return centre + np.cos(turn)[:, None] * u + np.sin(turn)[:, None] * v
