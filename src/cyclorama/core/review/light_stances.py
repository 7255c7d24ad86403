"""Lights that stand in the set, or behind it."""

from typing import Literal

import numpy as np

from ..arrays import Points
from ..framing import Projection, cuts, hides, wall_m
from ..light.kinds import kind_of
from ..light.standing import outline, row_at
from ..motion import Moment, moment, moments_over
from ..scene import Light, Project
from ..scene.light import WITH_RIG

Stance = Literal["floor", "wall", "hidden"]
"""It goes through the floor or the wall where the picture shows it, or they hide it from what it aims at."""
ABOVE = 0.01
"""What lies on the floor is looked at from so far above it, as a share of the distance of the light."""
LOOKED_AT = 12
"""So many moments of a move are looked at."""
SAYS: dict[Stance, str] = {
    "floor": "‘{}’ reaches through the floor, where the picture shows a hard bright line: raise it or make it smaller.",
    "wall": "‘{}’ reaches through the wall, where the picture shows a hard bright line: bring it nearer or make it "
    "smaller.",
    "hidden": "‘{}’ stands behind the sweep, which holds its light back: bring it nearer or raise it.",
}


Stances = tuple[tuple[str, Stance], ...]
"""Names of lights, and how they do not stand freely."""


def stances_of(project: Project) -> Stances:
    """Lights that shine and do not stand freely in the sweep in some moment of the open shot."""
    found: dict[str, tuple[str, Stance]] = {}
    doubtful = _doubtful(project)
    for here in moments_over(project, LOOKED_AT) if doubtful else ():
        for light in here.look.lit_lights:
            if light.id in doubtful and light.id not in found and (how := _stance(light, here)) is not None:
                found[light.id] = light.name, how
    return tuple(found.values())


def stance_sentences(stances: Stances) -> list[str]:
    """One for each light."""
    return [SAYS[how].format(name) for name, how in stances]


def _doubtful(project: Project) -> set[str]:
    """Lights that are to be followed. Others stand on or above the floor, and so far from the wall that they stay free
    of it however their rig turns about what they aim at."""
    sweep, shot, look = project.set.sweep, project.shot, project.look
    if not sweep.on:
        return set()
    first = moment(project, shot.first_frame)
    keyed = {c.path.split("/")[3] for c in shot.channels if c.path.startswith(f"looks/{look.id}/lights/")}

    def is_doubtful(light: Light) -> bool:
        if kind_of(light).distant or "sweep" in light.excluded_parts:
            return False
        if light.id in keyed or light.rides not in (WITH_RIG, "set"):
            return True
        points, aim = outline(row_at(light, first)), np.array([light.aim.x_m, light.aim.z_m])
        farthest = np.linalg.norm(aim) + np.linalg.norm(points[:, ::2] - aim, axis=1).max()
        return bool(points[:, 1].min() < 0 or farthest > wall_m(sweep))

    return {light.id for light in look.lights if is_doubtful(light)}


def _stance(light: Light, here: Moment) -> Stance | None:
    sweep, points = here.set.sweep, outline(row_at(light, here))
    if hides(sweep, points, np.array([light.aim.x_m, max(light.aim.y_m, ABOVE * light.distance_m), light.aim.z_m])):
        return "hidden"
    floor, wall = cuts(sweep, points)
    return "floor" if _seen(here, floor) else "wall" if _seen(here, wall) else None


def _seen(here: Moment, places: Points) -> bool:
    """True when the picture shows one of some places (n, 3), were nothing before it."""
    camera = here.around.cameras[0]
    x, y, z = ((places - camera[:3, 3]) @ camera[:3, :3]).T
    lens = Projection.of(here.camera, here.shoot.width, here.shoot.height)
    before = z < 0
    across, up = lens.places(x[before] / -z[before], y[before] / -z[before])
    return bool(((np.abs(across) <= lens.half_w) & (np.abs(up) <= lens.half_h)).any())
