"""Relighting: changes of tone and light that an exposed film allows.

Light adds up, so a light's share of a picture is in proportion to its radiance. Everything else of a document (where
things stand, what they are made of, how a beam is shaped) is in the exposed film for good.
"""

import numpy as np
from numpy.typing import NDArray

from ..light.kinds import mask_of
from ..light.masks import moves
from ..light.rows import light_colour, luminance_nit
from ..light.sky import shining
from ..motion import Moment
from ..scene import Light, dependency_key
from ..scene.base import Affects
from ..scene.writing import derive

MOST_GAIN = 64.0
"""A light that is raised further shows nothing but the noise of the few samples it was given while it was weak."""
_THINGS: frozenset[Affects] = frozenset({"motion", "transform", "geometry", "amount", "camera", "film"})
_BEAM: frozenset[Affects] = frozenset({"light"})
_EXPOSED = _THINGS | _BEAM | frozenset[Affects]({"surface"})
"""What is in an exposed film for good."""
Gains = NDArray[np.float32]
"""(n + 2, 3) factors of each exposed light, of glowing things, of the environment"""


def gains(exposed: Moment, now: Moment) -> Gains | None:
    """By what a film of `exposed` has to be multiplied, light by light, to be one of `now`; None when it cannot be.

    In the order of `mix.light_layer_names(exposed)`; a light that shines no more has 0.
    """
    if _depending(exposed, _EXPOSED) != _depending(now, _EXPOSED):
        return None
    around = _environment_gain(exposed, now)
    before, after = ({light.id: light for light in shining(moment.look)} for moment in (exposed, now))
    if around is None or any(
        key not in before or dependency_key(light, _BEAM) != dependency_key(before[key], _BEAM)
        for key, light in after.items()
    ):
        return None
    rows = [_gain(light, after.get(key)) for key, light in before.items()]
    result = np.array([*rows, np.ones(3), np.full(3, around)], np.float32)
    if not np.all(result <= MOST_GAIN):
        return None
    # light lost to clamping depends on how bright everything was
    clamps = exposed.shoot.clamp_indirect is not None
    return None if clamps and np.any(result != 1) else result


def same_view(a: Moment, b: Moment) -> bool:
    """True when both show the same things from the same place, be they lit or painted otherwise."""
    seen = [m.look.environment.seen_by_camera and m.look.environment_lit for m in (a, b)]
    return seen[0] == seen[1] and _depending(a, _THINGS) == _depending(b, _THINGS)


def _depending(moment: Moment, on: frozenset[Affects]) -> tuple[object, ...]:
    """Dependency key of a moment without its lights, which are compared one by one."""
    if moment.shoot.clamp_indirect is not None:  # light lost to clamping depends on the exposure
        on = on | {"picture"}
    look = derive(moment.look, lights=())
    documents = (moment.camera, moment.set, look, moment.shoot, *moment.materials, *moment.items)
    held = tuple(dependency_key(document, on) for document in documents)
    shutter = moment.shutter
    moved = [shutter.cameras, shutter.disc_deg if moment.disc_turns else np.zeros(0)]
    moved += [moment.carried(moment.carriages[item.id], shutter) for item in moment.items]
    if "light" in on:
        steps = np.array((_gobo_step(moment), _haze_step(moment)))
        moved += [shutter.lights_deg, shutter.environment_deg, steps]
        moved += moment.light_at.values()
    return held, tuple(a.tobytes() for a in moved), moment.playing


def _gobo_step(moment: Moment) -> int:
    """Step of moving gobos; 0 where none moves."""
    gobos = [mask for light in moment.look.lights if (mask := mask_of(light))]
    moving = any(len(g.pictures) > 1 or (not g.pictures and moves(g.pattern or "window")) for g in gobos)
    return moment.since_first if moving else 0


def _haze_step(moment: Moment) -> int:
    """Step of drifting haze; 0 where none drifts."""
    return moment.since_first % moment.frames if moment.set.haze.drifts else 0


def _gain(exposed: Light, now: Light | None) -> NDArray[np.float64]:
    """(3,); infinite where there was no light to begin with."""
    if now is None:
        return np.zeros(3)
    was, wanted = (light_colour(light) * luminance_nit(light) for light in (exposed, now))
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(np.where(wanted == was, 1.0, wanted / was))


def _environment_gain(exposed: Moment, now: Moment) -> float | None:
    lit, wanted = exposed.look.environment_lit, now.look.environment_lit
    if lit and wanted:
        return float(2.0 ** (now.look.environment.strength_stops - exposed.look.environment.strength_stops))
    if lit == wanted:
        return 1.0
    # one that is seen by the camera covers the background, which only another film can bring back
    return 0.0 if lit and not exposed.look.environment.seen_by_camera else None
