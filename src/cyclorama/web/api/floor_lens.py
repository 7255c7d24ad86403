"""State of stand-in and plan besides the poses: lens, lights, and their strengths."""

import math
from typing import Any
from urllib.parse import urlencode

import numpy as np
from numpy.typing import NDArray

from ...core.colour_temperature import white_balance_rgb
from ...core.framing import Projection, depth_of_field
from ...core.geometry.cache_keys import copies_key, hollow_key
from ...core.light.environment import environment_turn
from ...core.light.kinds import fields_of, kind_of, mask_of
from ...core.light.rows import light_colour, light_row, reach_of
from ...core.light.shapes import RADIANCE
from ...core.motion import Poses, aim_point, at_time, carriage_named, focused_m, shown_ev100
from ...core.picture.exposure import exposure_scale
from ...core.review.stations import lens_figures
from ...core.scene import Item, Light, Look, Project
from ...core.scene.light import BASE_ENVIRONMENT_NIT, WITH_RIG
from ...core.scene.writing import derive
from .answers import HazeState, LensState, LightState, SurroundingsState

LEAST_METERED = 3
"""Frames of a proof from which on it is told how the light goes."""
LIGHT_RANGE = 1.0
"""Stops by which the subject may become lighter than in the mean of the move before it is said."""
MOST_BURNT = 0.005
"""Share of the subject that may burn out before it is said."""


def round_all(values: Any, digits: int = 6) -> Any:
    return np.round(np.asarray(values, float), digits).tolist()


def near(values: Any, digits: int = 6) -> Any:
    """Lengths rounded to so many digits of the longest: subjects may be small or large."""
    values = np.asarray(values, float)
    longest = float(np.abs(values).max(initial=0.0))
    return np.round(values, digits - math.ceil(math.log10(longest)) if longest > 0 else digits).tolist()


def lens_state(project: Project, poses: Poses, index: int) -> LensState:
    """Lens and lights of the open shot at one of some times."""
    focus = float(focused_m(project, project.shot, poses)[index])
    project = at_time(project, project.shot, float(poses.frames[index]))
    lens = Projection.of_project(project)
    look, shoot, camera = project.look, project.shot.shoot, project.camera
    ev100 = shown_ev100(project, project.shot)
    gain = exposure_scale(derive(look.tone, ev100=ev100))
    white = white_balance_rgb(look.tone.white_k, look.tone.white_tint)
    if look.grade.on:
        gain *= 2.0**look.grade.exposure_stops
        white = white * white_balance_rgb(look.grade.white_k, look.grade.white_tint)
    size = shoot.width, shoot.height
    depth = depth_of_field(camera, float(poses.focal_mm[index]), focus, *size)
    lit = {light.id for light in look.lit_lights}
    lights = []
    for light in look.lights:
        aim = aim_point(light.aim, project)
        row = light_row(light, aim, 0.0)
        colour = light_colour(light)
        lights.append(
            LightState(
                id=light.id,
                name=light.name,
                distant=kind_of(light).distant,
                signs=kind_of(light).signs(light),
                lit=light.id in lit,
                centre=near(row[0:3]),
                aim=near(aim, 7),
                half_u=near(row[3:6]),
                half_v=near(row[6:9]),
                colour=round_all(colour / colour.max(), 4),
                shadows=light.shadow_density if light.casts_shadows else 0.0,
                gives=_figures(gain * white * _illuminance(row, aim)),
                gobo=_gobo_url(light),
                cone=math.tan(math.radians(light.cone_deg / 2)) if "cone_deg" in fields_of(kind_of(light)) else 0.0,
                edge=light.edge,
                carriage=light_carriage(project, light),
            )
        )
    return LensState(
        ev100=ev100 - look.tone.offset_stops,
        focal_mm=project.camera.focal_mm,
        half_width=float(lens.half_w),
        half_height=float(lens.half_h),
        field=list(lens.field),
        shift=list(lens.shift),
        figures=lens_figures(Projection.over(camera, poses.focal_mm[index:][:1], *size), depth, focus),
        sharp=None if depth is None else (depth.near_m, depth.far_m if math.isfinite(depth.far_m) else None),
        bend=float(lens.k),
        widest=lens.widest,
        aim=near(aim_point(project.camera.aim, project), 7),
        lights=lights,
        gain=gain,
        surroundings=_surroundings(look, gain * white),
        haze=_haze(project, lights),
        liquids={item.id: _liquid_url(project, item) for item in project.items if item.filling is not None},
        copies={item.id: _copies_url(project, item) for item in project.items if item.copies is not None},
    )


def _liquid_url(project: Project, item: Item) -> str:
    """Address of the mesh of the liquid in an item: another one for every shape of it, the same wherever it stands."""
    held = {} if item.filling is None else item.filling.model_dump()
    told = urlencode(held | {"stance": item.placement.stance.model_dump_json(exclude_defaults=True)})
    return f"/api/projects/{project.id}/items/{item.id}/liquid/{hollow_key(item)}?{told}"


def _copies_url(project: Project, item: Item) -> str:
    """Address of the poses of an item's copies: another one for everything they depend on."""
    told = "" if item.copies is None else urlencode({"copies": item.copies.model_dump_json(exclude_defaults=True)})
    return f"/api/projects/{project.id}/items/{item.id}/copies/{copies_key(project, item)}?{told}"


def _haze(project: Project, lights: list[LightState]) -> HazeState | None:
    """Haze while it is on. Its colour is about what all lights together give to it."""
    haze = project.set.haze
    if not haze.on:
        return None
    given = np.sum([light.gives for light in lights if light.lit] or [[0.0, 0.0, 0.0]], axis=0)
    colour = np.array(haze.colour) * given / (4 * math.pi)
    return HazeState(per_m=1 / haze.path_m, colour=_figures(colour), forward=haze.forward)


def _surroundings(look: Look, gain: NDArray[np.float64]) -> SurroundingsState | None:
    """Reflected environment, while the environment of a look is on."""
    environment = look.environment
    if not look.environment_lit:
        return None
    url, unit = f"/api/environments/{environment.asset}.half", BASE_ENVIRONMENT_NIT
    if environment.kind == "sky":
        url, unit = f"/api/sky.half?{urlencode({'sky': environment.sky.model_dump_json()})}", 1.0
    turn = environment_turn(math.radians(environment.rotation_deg), math.radians(environment.tilt_deg))
    return SurroundingsState(
        url=url, gain=_figures(gain * unit * 2.0**environment.strength_stops), turn=turn.ravel().tolist()
    )


def _gobo_url(light: Light) -> str | None:
    mask = mask_of(light)
    if mask is None:
        return None
    # a parallel beam is as wide as the light
    wide = light.width_m / 2 / light.distance_m if mask.projection == "parallel" else 1.0
    told = {"gobo": mask.model_dump_json(), "wide": f"{wide:.4g}", "roll_deg": f"{light.roll_deg:g}"}
    return f"/api/gobo.png?{urlencode(told)}"


def _illuminance(row: NDArray[np.float32], aim: NDArray[np.float64]) -> NDArray[np.float64]:
    """About what a light gives (3,) at `aim`, in lux."""
    radiance = row[RADIANCE : RADIANCE + 3].astype(np.float64)
    return radiance * reach_of(row, aim) / max(float(radiance.mean()), 1e-30)


def _figures(values: NDArray[np.float64]) -> list[float]:
    """To five digits, whatever their size."""
    return [float(f"{x:.5g}") for x in values]


def light_carriage(project: Project, light: Light) -> str:
    return WITH_RIG if light.rides == WITH_RIG else carriage_named(light.rides, project.shot, project.items)
