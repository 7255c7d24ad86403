"""Haze of a thickness that suits the set."""

from typing import Literal

from ..errors import ChangeError
from ..scene import Doc, Project, put_all
from ..scene.haze import THICKNESSES, Haze, Thickness
from .base import performs
from .tools import Tools


class SetHaze(Doc):
    """Fill the air with haze of a thickness, or clear it."""

    kind: Literal["set_haze"] = "set_haze"
    thickness: Thickness | Literal["off"]


@performs(SetHaze)
def _haze(project: Project, change: SetHaze, tools: Tools) -> tuple[Project, str]:
    """The thickness goes by how far the camera is away. Where haze has not been set yet, it is given a size as well."""
    if change.thickness == "off":
        if not project.set.haze.on:
            raise ChangeError("There is no haze.")
        return put_all(project, {"set/haze/on": False}), "Clear haze"
    size = project.camera.distance_m
    values = {"on": True, "path_m": THICKNESSES[change.thickness].path * size}
    if project.set.haze == Haze():
        sweep = project.set.sweep
        wide = max(sweep.width_m, sweep.depth_m) / 2 if sweep.on else 0.0
        values |= {
            "reach_m": max(wide, 1.5 * size),
            "height_m": 0.1 * size,
            "thinning_m": 0.06 * size,
            "grain_m": 0.12 * size,
            **{f"box_{side}_m": 0.8 * size for side in ("width", "height", "depth")},
        }
    rounded = {f"set/haze/{name}": x if x is True else float(f"{x:.3g}") for name, x in values.items()}
    return put_all(project, rounded), f"Haze: {change.thickness}"
