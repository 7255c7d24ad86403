"""Placing a light by eye: where its highlight or its grazing light falls, or on the other side of the camera."""

import math
from typing import Literal

import numpy as np

from ..arrays import Points
from ..errors import ChangeError
from ..geometry.copies import shown_hull
from ..light.balance import even_gains, spread_stops
from ..light.kinds import kind_of
from ..light.placement import LightPosition, Surface, grazing, grazing_direction, mirror_position, stand_for
from ..light.rows import direction
from ..motion import Moment, moment, moments_over, value_of
from ..scene import Doc, Light, Project, place_of, put_all
from ..scene.base import Id
from ..scene.light import WITH_RIG
from .base import PicturePoint, performs
from .keys import with_value_in_frame
from .tools import Tools

EVENED = 8
"""So many moments of a move are looked at for even light."""
CLOSE_DEG = 1.0
"""Who misses by less hits."""
FLOOR_M = 0.02
"""A light keeps so far above the floor, as a share of its distance."""


class PlaceLight(PicturePoint):
    """Move a light of the open shot's look, at its distance, so that its highlight, its grazing light or the edge of
    the subject's shadow falls on the surface at a point of the picture."""

    kind: Literal["place_light"] = "place_light"
    light: Id
    wanted: Literal["highlight", "graze", "shadow"] = "highlight"


@performs(PlaceLight)
def with_light_placed(project: Project, change: PlaceLight, tools: Tools) -> tuple[Project, str]:
    """The project with a light where it is wanted, at its distance, and what was done.

    Raises ChangeError when nothing is seen there, or the light is gone.
    """
    here = moment(project, change.frame)
    light = _light_named(here, change.light)
    surface = tools.eye.surface(here, change.x, change.y)
    if surface is None:
        raise ChangeError("There is nothing at that place. Point at the subject or the set.")
    hull = _hull(here, tools) if change.wanted == "shadow" else None
    stand = _stand(here, light, surface, change.wanted, hull)
    at = f"look/lights/{light.id}"
    for name, value in (("azimuth_deg", stand.azimuth_deg), ("elevation_deg", stand.elevation_deg)):
        project = with_value_in_frame(project, f"{at}/{name}", change.frame, round(value, 2))
    what = {"highlight": "Highlight", "graze": "Grazing light", "shadow": "Edge of the shadow"}[change.wanted]
    missed = f", as near as it can stand: {stand.off_deg:.0f}° off" if stand.off_deg > CLOSE_DEG else ""
    return project, f"{what} of {light.name}{missed}"


class MirrorLight(Doc):
    """Move a light of the open shot's look to the other side of the camera, as it stands in a frame."""

    kind: Literal["mirror_light"] = "mirror_light"
    light: Id
    frame: int


@performs(MirrorLight)
def _mirror_light(project: Project, change: MirrorLight, _: Tools) -> tuple[Project, str]:
    """In the plane of the camera and the axis through what it looks at. Raises ChangeError when the light is gone."""
    here = moment(project, change.frame)
    light = _light_named(here, change.light)
    away = here.around.cameras[0][:3, 3] - here.aim
    camera_deg = math.degrees(math.atan2(away[0], away[2]))
    travelled = float(here.around.lights_deg[0]) if light.rides == WITH_RIG else 0.0
    azimuth = 2.0 * (camera_deg - travelled) - light.azimuth_deg
    path = f"look/lights/{light.id}/azimuth_deg"
    return with_value_in_frame(project, path, change.frame, round(_wrapped(azimuth), 2)), f"Mirror {light.name}"


def _light_named(here: Moment, identity: str) -> Light:
    light = next((x for x in here.look.lights if x.id == identity), None)
    if light is None:
        raise ChangeError("That light is not there any more.")
    return light


def _wrapped(degrees: float) -> float:
    """The same angle from −180° to 180°."""
    return (degrees + 180.0) % 360.0 - 180.0


class EvenLights(Doc):
    """Set the strengths of the open shot's lights so that the subject is lit evenly over the move."""

    kind: Literal["even_lights"] = "even_lights"


@performs(EvenLights)
def with_even_lights(project: Project, _: EvenLights, tools: Tools) -> tuple[Project, str]:
    """The project whose lights keep the subject as even over the move as they can, and how even it was and is.

    Lights whose strength is keyed stay as they are. Raises ChangeError where there is nothing to be done.
    """
    keyed = {c.path for c in project.shot.channels}
    at = f"looks/{project.look.id}/lights"
    lights = tuple(x for x in project.look.lit_lights if f"{at}/{x.id}/strength_stops" not in keyed)
    if not lights:
        raise ChangeError("No light is on whose strength could be set. Turn one on, or take its keys away.")
    ids = tuple(light.id for light in lights)
    seen = [tools.eye.apart(here, ids) for here in moments_over(project, EVENED)]
    frames = [one for one in seen if one is not None]
    if not frames:
        raise ChangeError("The subject is not seen in this shot: there is nothing to light evenly.")
    gains = even_gains(frames)
    place = place_of(f"{at}/x/strength_stops")
    values = {
        f"{at}/{light.id}/strength_stops": value_of(place, np.round(light.strength_stops + np.log2([g]), 2))
        for light, g in zip(lights, gains, strict=True)
    }
    before, after = (spread_stops(frames, by) for by in (np.ones(len(gains)), gains))
    return put_all(project, values), f"Even over the move: ±{before:.1f} stops become ±{after:.1f}"


def _hull(here: Moment, tools: Tools) -> Points:
    """The subject's hull (n, 3) as it stands in a moment."""
    subject = here.subject
    measures = None if subject is None else tools.measures_of(subject)
    if subject is None or measures is None:
        raise ChangeError("There is no subject that could cast a shadow. Bring a model in first.")
    carried = here.carried(here.carriages[subject.id], here.around)[0]
    return np.asarray(shown_hull(measures, subject) @ carried[:3, :3].T + carried[:3, 3])


def _stand(here: Moment, light: Light, surface: Surface, wanted: str, hull: Points | None) -> LightPosition:
    """Where it stands, told as its document tells it: before it has travelled."""
    back = np.linalg.inv(here.light_at[light.id]) if light.rides != WITH_RIG else np.eye(4)
    travelled = float(here.around.lights_deg[0]) if light.rides == WITH_RIG else 0.0
    at_rest = Surface(
        back[:3, :3] @ surface.point + back[:3, 3],
        back[:3, :3] @ surface.normal,
        back[:3, :3] @ surface.eye + back[:3, 3],
    )
    aim = np.array([light.aim.x_m, light.aim.y_m, light.aim.z_m])
    now = aim + light.distance_m * direction(light.azimuth_deg + travelled, light.elevation_deg)
    towards = mirror_position(at_rest) if wanted == "highlight" else grazing(at_rest, now)
    if hull is not None:
        passing = grazing_direction(at_rest.point, hull @ back[:3, :3].T + back[:3, 3], now)
        if passing is None:
            raise ChangeError("Point at the floor, or at something beside the subject: its shadow falls there.")
        towards = passing
    grounded = here.set.sweep.on or here.set.disc.on
    lowest = FLOOR_M * light.distance_m if grounded else None
    stand = stand_for(at_rest.point, towards, aim, None if kind_of(light).distant else light.distance_m, lowest)
    return stand._replace(azimuth_deg=_wrapped(stand.azimuth_deg - travelled))
