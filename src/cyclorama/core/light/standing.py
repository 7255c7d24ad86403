"""Where the lights of a moment stand, and how far their faces reach."""

import numpy as np
from numpy.typing import NDArray

from ..arrays import Points
from ..motion import Moment
from ..scene import Light
from .kinds import BY_KERNEL
from .rows import carry, light_row
from .shapes import CENTRE, KIND
from .sky import SUN_OF_SKY


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
    return row[CENTRE : CENTRE + 3].astype(np.float64) + BY_KERNEL[int(row[KIND])].outline(row)
