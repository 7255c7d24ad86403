"""A sweep that is large enough for the move of the camera."""

from typing import Literal

from ..errors import ChangeError
from ..framing import View, scale_to_enclose
from ..scene import Doc, Project, place_of, put_all, value_at
from .base import performs
from .tools import Tools

_SIZES = ("width_m", "depth_m", "height_m", "fillet_m")


def sweep_scale(project: Project) -> float:
    """Factor by which the sweep must grow for the camera to stand inside it in every frame of the open shot; 1: the
    camera does."""
    return scale_to_enclose(View.of(project), project.set.sweep)


def with_sweep_scaled(project: Project, by: float) -> Project:
    """The project with its sweep larger by a factor, in its proportions. Raises ChangeError when no sweep may be so
    large."""
    values = {path: by * value_at(project, path) for path in (f"set/sweep/{size}" for size in _SIZES)}
    if any(value > (place_of(path).most or value) for path, value in values.items()):
        raise ChangeError("No sweep is large enough for this camera. Bring the camera nearer, or turn the sweep off.")
    return put_all(project, values)


class WidenSweep(Doc):
    """Make the sweep large enough for the camera to stand inside it in every frame."""

    kind: Literal["widen_sweep"] = "widen_sweep"


@performs(WidenSweep)
def _widen(project: Project, _: WidenSweep, tools: Tools) -> tuple[Project, str]:
    by = sweep_scale(project)
    if by == 1.0:
        raise ChangeError("The sweep is large enough: the camera passes its wall in no frame.")
    return with_sweep_scaled(project, by), "Widen sweep"
