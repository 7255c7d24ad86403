"""A sweep that is large enough for the move of the camera."""

from typing import Literal

from ..errors import ChangeError
from ..framing import View, scale_to_enclose
from ..scene import Doc, Project, place_of, put_all, value_at
from .base import performs
from .tools import Tools

_SIZES = ("width_m", "depth_m", "height_m", "fillet_m")


def camera_is_outside(project: Project) -> bool:
    """True when the camera passes the sweep's wall in a frame of the open shot."""
    return scale_to_enclose(View.of(project), project.set.sweep) > 1.0


def with_wide_sweep(project: Project) -> Project:
    """The project with its sweep grown, in its proportions, until the camera stands inside it in every frame of the
    open shot. Raises ChangeError when it does already, or no size is large enough."""
    by = scale_to_enclose(View.of(project), project.set.sweep)
    if by == 1.0:
        raise ChangeError("The sweep is large enough: the camera passes its wall in no frame.")
    values = {path: by * value_at(project, path) for path in (f"set/sweep/{size}" for size in _SIZES)}
    if any(value > (place_of(path).most or value) for path, value in values.items()):
        raise ChangeError("No sweep is large enough for this camera. Bring the camera nearer, or turn the sweep off.")
    return put_all(project, values)


class WidenSweep(Doc):
    """Make the sweep large enough for the camera to stand inside it in every frame."""

    kind: Literal["widen_sweep"] = "widen_sweep"


@performs(WidenSweep)
def _widen(project: Project, _: WidenSweep, tools: Tools) -> tuple[Project, str]:
    return with_wide_sweep(project), "Widen sweep"
