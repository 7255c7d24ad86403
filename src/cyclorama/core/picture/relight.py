"""What can still be changed once a film is exposed: the look, and how strong and of which colour each light is.

Light adds up, so a light's share of a picture is in proportion to its radiance. Everything else of a document (where
things stand, what they are made of, how a beam is shaped) is in the exposed film for good.
"""

import numpy as np
from numpy.typing import NDArray

from ..light.rows import light_colour, luminance_nit
from ..light.sky import shining
from ..scene import Light, Project, depending
from ..scene.base import Affects

MOST_GAIN = 64.0
"""A light that is raised further shows nothing but the noise of the few samples it was given while it was weak."""
_THINGS: frozenset[Affects] = frozenset({"motion", "transform", "geometry", "camera", "film"})
_BEAM: frozenset[Affects] = frozenset({"light"})
_EXPOSED = _THINGS | _BEAM | frozenset[Affects]({"surface"})
"""What is in an exposed film for good."""
Gains = NDArray[np.float32]
"""(n + 2, 3) factors of each exposed light, of glowing things, of the environment"""


def gains(exposed: Project, now: Project) -> Gains | None:
    """By what a film of `exposed` has to be multiplied, light by light, to be one of `now`; None when it cannot be.

    In the order of `mix.light_layer_names(exposed)`; a light that shines no more has 0.
    """
    if _depending(exposed, _EXPOSED) != _depending(now, _EXPOSED):
        return None
    around = _environment_gain(exposed, now)
    before, after = ({light.id: light for light in shining(project)} for project in (exposed, now))
    if around is None or any(
        key not in before or depending(light, _BEAM) != depending(before[key], _BEAM) for key, light in after.items()
    ):
        return None
    rows = [_gain(light, after.get(key)) for key, light in before.items()]
    result = np.array([*rows, np.ones(3), np.full(3, around)], np.float32)
    if not np.all(result <= MOST_GAIN):
        return None
    # what clamping took away depends on how bright everything was
    clamps = exposed.shoot.clamp_indirect is not None
    return None if clamps and np.any(result != 1) else result


def same_view(a: Project, b: Project) -> bool:
    """Whether both show the same things from the same place, be they lit or painted otherwise."""
    seen = [p.environment.seen_by_camera and p.environment_lit for p in (a, b)]
    return seen[0] == seen[1] and _depending(a, _THINGS) == _depending(b, _THINGS)


def _depending(project: Project, on: frozenset[Affects]) -> tuple[object, ...]:
    """What affects some things as seen through the camera, without the lights, which are looked at one by one."""
    if project.shoot.clamp_indirect is not None:  # what clamping took away depends on the exposure
        on = on | {"picture"}
    return depending(project.model_copy(update={"cameras": (project.camera,), "lights": ()}), on)


def _gain(exposed: Light, now: Light | None) -> NDArray[np.float64]:
    """(3,); infinite where there was no light to begin with."""
    if now is None:
        return np.zeros(3)
    was, wanted = (light_colour(light) * luminance_nit(light) for light in (exposed, now))
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(np.where(wanted == was, 1.0, wanted / was))


def _environment_gain(exposed: Project, now: Project) -> float | None:
    lit, wanted = exposed.environment_lit, now.environment_lit
    if lit and wanted:
        return float(2.0 ** (now.environment.strength_stops - exposed.environment.strength_stops))
    if lit == wanted:
        return 1.0
    # one that is seen by the camera covers the background, which only another film can bring back
    return 0.0 if lit and not exposed.environment.seen_by_camera else None
