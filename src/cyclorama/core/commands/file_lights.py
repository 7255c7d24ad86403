"""Cameras and lights that came with the model, taken into the studio."""

import math
from typing import Literal

import numpy as np

from ..arrays import Vec3
from ..errors import ChangeError
from ..geometry.placement import placement_matrix
from ..light.kinds import KINDS
from ..motion import aim_point
from ..scene import Aim, Doc, Item, Light, Project, insert_item, place_of, put_all
from ..scene.base import Id, new_id
from ..scene.came_with import FileCamera, FileLight
from ..scene.camera import NEAREST_M
from .base import performs
from .names import free_light_name
from .tools import Tools

SMALL = 0.05
"""Lights without a size get this share of their distance: in a studio nothing is a point."""


def with_file_camera(project: Project, identity: str) -> Project:
    """The camera that is shot through stands at the file's, with its field of view, and looks at the axis of the turn
    where that one looks past it.

    Raises ChangeError when there is no such camera, or the axis is not before it.
    """
    subject, found = _came_with(project, identity, "cameras")
    assert isinstance(found, FileCamera)
    at, towards = _placed(subject, found)
    aim = _nearest_on_axis(at, towards)
    if aim is None:
        raise ChangeError(f"‘{found.name}’ looks away from the axis of the turn. Turn the subject, or aim anew.")
    azimuth, elevation, distance = _around(at, aim)
    shoot = project.shot.shoot
    long_side = found.half_height * max(shoot.width / shoot.height, 1.0)
    return put_all(
        project,
        _within(
            {
                "camera/distance_m": distance,
                "camera/elevation_deg": elevation,
                "camera/aim": Aim(y_m=_held(aim)),
                "camera/focal_mm": project.camera.sensor_mm / 2 / long_side,
                "camera/azimuth_deg": azimuth,
            }
        ),
    )


def with_file_light(project: Project, identity: str) -> Project:
    """A light like the file's on the set, where that stands, aimed at the axis of the turn as it is.

    Raises ChangeError when there is no such light, or no room for one more.
    """
    subject, found = _came_with(project, identity, "lights")
    assert isinstance(found, FileLight)
    name = free_light_name(project.look, found.name)
    at, towards = _placed(subject, found)
    middle = float(aim_point(project.camera.aim, project)[1])
    aim = middle
    kind = KINDS[found.shape]
    if kind.distant:
        distance = max(project.camera.distance_m, NEAREST_M)
        azimuth, elevation, _ = _around(np.array([0.0, middle, 0.0]) - towards, middle)
    else:
        met = _nearest_on_axis(at, towards) if kind.beam else None
        aim = middle if met is None else met
        azimuth, elevation, distance = _around(at, middle)
    unit = subject.placement.unit_m * subject.placement.scale
    width = found.width * unit or distance * SMALL
    light = Light(id=new_id("light"), name=name)
    values = {
        "shape": found.shape,
        "azimuth_deg": azimuth,
        "elevation_deg": elevation,
        "distance_m": distance,
        "aim": Aim(y_m=middle),
        "aim_above_m": aim - middle,
        "width_m": width,
        "height_m": found.height * unit or width,
        "power": found.power,
        "power_unit": found.power_unit,
        "colour": found.colour,
        "temperature_k": 6500.0,
        "cone_deg": found.cone_deg,
        "edge": found.edge,
        "sun_deg": found.sun_deg,
    }
    project = insert_item(project, "look/lights", light)
    return put_all(project, _within({f"look/lights/{light.id}/{name}": value for name, value in values.items()}))


def _came_with(project: Project, identity: str, what: str) -> tuple[Item, FileCamera | FileLight]:
    subject = project.subject
    found = next((x for x in getattr(subject, what, ()) if x.id == identity), None)
    if subject is None or found is None:
        raise ChangeError(f"No such {what[:-1]} came with the model.")
    return subject, found


def _placed(subject: Item, thing: FileCamera | FileLight) -> tuple[Vec3, Vec3]:
    """Where something of the file stands in the studio, and the direction it looks in."""
    m = placement_matrix(subject.placement)
    towards = m[:3, :3] @ np.array(thing.towards)
    return m[:3, :3] @ np.array(thing.at) + m[:3, 3], towards / max(float(np.linalg.norm(towards)), 1e-300)


def _nearest_on_axis(at: Vec3, towards: Vec3) -> float | None:
    """The height at which the axis of the turn passes nearest to a ray; None where that is not before it."""
    level = float(towards[0] ** 2 + towards[2] ** 2)
    if level < 1e-9:
        return None
    ahead = -float(at[0] * towards[0] + at[2] * towards[2]) / level
    return float(at[1] + ahead * towards[1]) if ahead > 0 else None


def _around(at: Vec3, aim: float) -> tuple[float, float, float]:
    """Azimuth and elevation (°) and distance (m) of a place as seen from a height on the axis."""
    x, y, z = float(at[0]), float(at[1]) - aim, float(at[2])
    level = math.hypot(x, z)
    return math.degrees(math.atan2(x, z)), math.degrees(math.atan2(y, level)), math.hypot(level, y)


def _held(height: float) -> float:
    place = place_of("camera/aim/y_m")
    return min(max(height, place.least or 0.0), place.most or 0.0)


def _within(values: dict[str, object]) -> dict[str, object]:
    """Values by their places, numbers held within what the studio can do."""
    held = dict(values)
    for path, value in values.items():
        place = place_of(path)
        if isinstance(value, float):
            value = value if place.least is None else max(value, place.least)
            held[path] = value if place.most is None else min(value, place.most)
    return held


class TakeCamera(Doc):
    """Shoot from where a camera of the model's file stands, with its field of view."""

    kind: Literal["take_camera"] = "take_camera"
    id: Id


@performs(TakeCamera)
def _file_camera(project: Project, change: TakeCamera, _: Tools) -> tuple[Project, str]:
    return with_file_camera(project, change.id), "Take the file's camera"


class TakeLight(Doc):
    """Put a light like one of the model's file on the set."""

    kind: Literal["take_light"] = "take_light"
    id: Id


@performs(TakeLight)
def _file_light(project: Project, change: TakeLight, _: Tools) -> tuple[Project, str]:
    return with_file_light(project, change.id), "Take a light of the file"
