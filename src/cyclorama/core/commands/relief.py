"""True relief: as fine as shows where the camera is nearest."""

from typing import Literal

import numpy as np

from ..errors import ChangeError
from ..framing import View, frame_margins
from ..geometry.measure import placed_hull
from ..scene import Doc, Project, put
from ..scene.base import Id
from .base import performs
from .replace import LEAST_PIXEL
from .tools import Tools

MOST_SHOWN_PX = 1.0
"""Size of the finest triangles in the picture."""


class FitRelief(Doc):
    """Set the finest step of a material's true relief to a pixel where the camera is nearest."""

    kind: Literal["fit_relief"] = "fit_relief"
    material: Id


@performs(FitRelief)
def _fit_relief(project: Project, change: FitRelief, tools: Tools) -> tuple[Project, str]:
    material = next((m for m in project.materials if m.id == change.material), None)
    if material is None:
        raise ChangeError("That material is gone. Choose another.")
    view, pixels = View.of(project), []
    for item in project.items:
        measures = tools.measures_of(item)
        if measures is not None and any(w.material == material.id for w in item.variant.parts):
            hull = placed_hull(measures, item.placement)
            least = float(np.ptp(hull, axis=0).max()) * LEAST_PIXEL
            pixels.append(max(frame_margins(view, hull).pixel_m, least))
    if not pixels:
        raise ChangeError(f"Nothing wears ‘{material.name}’. Dress a part with it first.")
    path = f"materials/{material.id}/relief_step_m"
    return put(project, path, MOST_SHOWN_PX * min(pixels)), f"Fit the relief of ‘{material.name}’"
