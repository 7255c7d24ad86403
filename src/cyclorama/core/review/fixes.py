"""Fixes: what a button beside a hint does. They are told as changes that the document can be given; nothing is done
here."""

import math
from collections.abc import Iterable
from typing import Any

from ..light.kinds import kind_of
from ..light.rigs import above_floor
from ..motion import FrameRate
from ..scene import Doc, Project
from . import phrases
from .light_stances import Stances
from .measures import Review, haze_is_keyed

SLACK = 1.1
"""A move becomes so much longer than would just do: what is measured of a longer one is a little other."""
ROOM = 1.05
"""A disc is made so much larger than what stands over its edge."""


class Fix(Doc):
    """A way to mend what a hint is about."""

    title: str
    """what its button says"""
    changes: tuple[dict[str, Any], ...]
    """typed changes of the document, one step for undo"""


class Hints(list[str]):
    """Sentences about what is odd, and what mends it."""

    def __init__(self, hints: Iterable[str] = ()):
        super().__init__(hints)
        self.fixes: dict[str, Fix] = {}

    def add(self, hint: str, fix: Fix | None = None) -> None:
        self.append(hint)
        if fix is not None:
            self.fixes[hint] = fix


def change(kind: str, **values: Any) -> dict[str, Any]:
    """A typed change as JSON."""
    return {"kind": kind, **values}


def set_value(path: str, value: Any) -> dict[str, Any]:
    """Change of one value."""
    return change("set", path=path, value=value)


FIT = Fix(title="Fit subject", changes=(change("fit"),))
CENTRE = Fix(title="Centre it", changes=(change("centre"),))
DROP = Fix(title="Drop to floor", changes=(change("stand"),))
WIDEN = Fix(title="Widen sweep", changes=(change("widen_sweep"),))
WHOLE_TIMES = Fix(title="Play whole times", changes=(set_value("subject/play/repeat", "whole"),))
THREE_LIGHTS = Fix(title="Light with three-point", changes=(change("rig", rig="three-point"),))
AS_PNG = Fix(title="Use PNG", changes=(set_value("shot/shoot/file_format", "png"),))
AS_EXR = Fix(title="Use EXR", changes=(set_value("shot/shoot/file_format", "exr"),))
SWEEP_OFF = Fix(title="Turn sweep off", changes=(set_value("set/sweep/on", False),))
SWEEP_ON = Fix(title="Turn sweep on", changes=(set_value("set/sweep/on", True),))
WITH_SHADOW = Fix(title="Keep its shadow in alpha", changes=(set_value("shot/shoot/background", "shadow"),))
KEEP_MASTERS = Fix(title="Keep masters", changes=(set_value("shot/shoot/masters", True),))


def enlarge_disc(reach_m: float) -> Fix:
    """A disc on which everything stands that reaches so far from its middle."""
    return Fix(title="Enlarge disc", changes=(set_value("set/disc/radius_m", float(f"{reach_m * ROOM:.4g}")),))


def thinner_haze(r: Review, hidden: float) -> Fix | None:
    """Haze so thin that it hides no more than a share of the subject's light; None where it is keyed."""
    haze = r.project.set.haze
    if haze_is_keyed(r.project):
        return None
    path_m = haze.path_m * math.log(1.0 - min(r.hidden, 0.999999)) / math.log(1.0 - hidden)
    return Fix(title="Thin haze", changes=(set_value("set/haze/path_m", float(f"{path_m:.3g}")),))


def end_solo(project: Project) -> Fix:
    """No light on solo any more."""
    on = [light.id for light in project.look.lights if light.solo]
    return Fix(title="End solo", changes=tuple(set_value(f"look/lights/{name}/solo", False) for name in on))


def lengthen(r: Review, px: float, most_px: float) -> Fix:
    """A shot so long that its subject moves no farther a frame than it may."""
    frames = math.ceil(r.project.shot.frames * px / most_px * SLACK)
    seconds = phrases.clip_length(FrameRate.of(r.project).seconds(frames))
    return Fix(title=f"Lengthen to {seconds}", changes=(set_value("shot/frames", frames),))


def raise_lights(project: Project, stances: Stances) -> Fix | None:
    """Lights that reach through the floor, raised until they stand on it; None where that needs no raising."""
    low = {name for name, how in stances if how == "floor"}
    changes = []
    for light in project.look.lights:
        if light.name in low and not kind_of(light).distant:
            degrees = round(above_floor(light).elevation_deg, 2)
            if degrees > light.elevation_deg:
                changes.append(set_value(f"look/lights/{light.id}/elevation_deg", degrees))
    return Fix(title="Raise it" if len(changes) == 1 else "Raise them", changes=tuple(changes)) if changes else None
