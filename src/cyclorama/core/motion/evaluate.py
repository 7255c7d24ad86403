"""Moments: a project at one time of one shot, as a plain scene in which nothing is left to be looked up.

Everything that makes or judges a picture takes moments. Two moments whose values are equal show the same.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arrays import Mat4, Mat4s, Points, Vec3
from ..geometry.skeleton import AnimationState
from ..scene import (
    Aim,
    Camera,
    Item,
    Light,
    Look,
    Material,
    Path,
    Project,
    Property,
    ShootSettings,
    Shot,
    Stage,
    at_values,
    place_of,
    with_worn_colourway,
)
from ..scene.camera import NEAREST_M
from ..scene.light import WITH_RIG
from ..scene.shot import DISC
from ..scene.writing import derive
from .aiming import aim_point
from .animation import Playing, acting_at, playing_of
from .attachments import carriage_named, carriage_of
from .curve import values_at
from .focus import focused_m
from .frames import FrameRate
from .loop import plain, rows_close
from .poses import Poses, poses_at
from .rows import most_turned_deg, travels

F64 = NDArray[np.float64]

PINHOLE_F_NUMBER = 8.0
"""What a camera without an aperture exposes with."""
MOST_STEPS = 33
_NO_STAND = {"id": "camera", "azimuth_deg": 0.0, "elevation_deg": 0.0, "distance_m": 1.0, "aim": Aim(), "rise_m": 0.0,
             "follows": "along", "pan_deg": 0.0, "tilt_deg": 0.0, "roll_deg": 0.0,
             "focus_point_m": None, "focus_item": None,
             "exposure_by": "meter", "iso": 100.0}  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class Moment:
    """Moment: the document and its poses at one time, and while the shutter is open."""

    frame: int
    since_first: int
    """frames since the first of the shot"""
    frames: int
    """how many the shot has"""
    items: tuple[Item, ...]
    """those that are on the set, the subject last, each with no other colourways than it wears"""
    all_items: tuple[Item, ...]
    """those too that are not on the set, which may carry others"""
    subject_id: str | None
    materials: tuple[Material, ...]
    paths: tuple[Path, ...]
    set: Stage
    look: Look
    """every light aims at a point of the studio; the exposure is the one that counts"""
    camera: Camera
    """its lens, focused at a distance; where it stands is in the poses"""
    shoot: ShootSettings
    fps: float
    aim: Vec3
    """(3,) what the camera looks at"""
    shutter: Poses
    """at even times while the shutter is open"""
    around: Poses
    """in this frame, the next and the one before"""
    carriages: dict[str, str]
    """by item: what it moves with"""
    light_at: dict[str, Mat4]
    """by light: where it has gone in this frame, seen from where it is at rest, of those that do not go with the rig"""
    disc_turns: bool
    playing: dict[str, Playing]
    """by item: what it plays"""
    acting: dict[str, tuple[AnimationState, AnimationState, AnimationState]]
    """by item that plays: what it does in this frame, the next and the one before"""

    @property
    def subject(self) -> Item | None:
        """The item that is presented."""
        return next((item for item in self.items if item.id == self.subject_id), None)

    def carried(self, carriage: str, poses: Poses) -> Mat4s:
        """Where what rides on a carriage stands (k, 4, 4) in some poses of this moment, seen from where it rests."""
        return poses.carried(carriage, self.all_items)


def moment(project: Project, frame: int, shot: Shot | None = None) -> Moment:
    """A project in a frame of a shot, the open one unless another is told.

    A loop goes on before its first and after its last frame.
    """
    shot = shot or project.shot
    around = [n - shot.first_frame for n in (frame, frame + 1, frame - 1)]
    if rows_close(project, shot):
        around = [n % shot.frames for n in around]
    since = around[0]
    project = at_time(project, shot, since)
    rate, camera = FrameRate.of(project), project.camera_of(shot)
    open_for = camera.shutter_deg / 360.0
    steps = shutter_steps(project, shot, since)
    half = np.linspace(-0.5, 0.5, steps) if steps > 1 else np.array([-0.5])
    items = _items(project, shot)
    poses = poses_at(project, shot, np.array(around, float))
    opens, shuts = (frame - shot.first_frame + end * open_for for end in (-0.5, 0.5))
    playing = {x.id: play for x in items if (play := playing_of(x, shot, rate, opens, shuts))}
    each = {x.id: acting_at(x, shot, rate, np.array(around, float)) for x in items if x.id in playing}
    fps = project.rate_num / project.rate_den
    return Moment(
        frame=frame,
        since_first=frame - shot.first_frame,
        frames=shot.frames,
        items=items,
        all_items=project.items,
        subject_id=project.subject_id,
        materials=project.materials,
        paths=project.paths,
        set=project.set,
        look=_look(project, shot, poses, fps),
        camera=derive(
            camera, **_NO_STAND, focus_m=float(focused_m(project, shot, poses)[0]), focal_mm=float(poses.focal_mm[0])
        ),
        shoot=shot.shoot,
        fps=fps,
        aim=poses.aims[0],
        shutter=poses_at(project, shot, frame - shot.first_frame + half * open_for),
        around=poses,
        carriages={x.id: carriage_of(x, shot, project.items) for x in items},
        light_at=_light_at(project, shot, poses),
        disc_turns=travels(shot, DISC),
        playing=playing,
        acting={who: (here, after, before) for who, (here, after, before) in each.items()},
    )


def moment_of_first(project: Project, shot: Shot | None = None) -> Moment:
    """The project in the first frame of a shot."""
    return moment(project, (shot or project.shot).first_frame, shot)


def moments_over(project: Project, count: int) -> list[Moment]:
    """So many moments of the open shot, evenly from its first frame on."""
    shot = project.shot
    return [moment(project, shot.first_frame + i * shot.frames // count) for i in range(count)]


def at_time(project: Project, shot: Shot, since: float) -> Project:
    """The project with the values that its channels have in a shot, a time in frames after its first.

    What moves something is left at rest: it is followed by the poses.
    """
    values: dict[str, float | bool | tuple[float, ...]] = {}
    for channel in shot.channels:
        place = place_of(channel.path)
        if not place.moves:
            found = values_at(channel, np.array([float(since)]), shot.frames)[0]
            values[channel.path] = value_of(place, found)
    dark = {path.removesuffix("/on") for path, value in values.items() if "/lights/" in path and value is False}
    for light in dark:  # it stays there without light: what keeps lights apart has the same layers in every frame
        values |= {f"{light}/on": True, f"{light}/power": 0.0}
    return at_values(project, values) if values else project


def value_of(place: Property, numbers: F64) -> float | bool | tuple[float, ...]:
    """Numbers (k,) of a channel as the place takes them, within its range."""
    if place.kind == "switch":
        return bool(numbers[0] >= 0.5)
    least, most = -np.inf if place.least is None else place.least, np.inf if place.most is None else place.most
    several = tuple(float(x) for x in np.clip(numbers, least, most))
    return several if place.numbers > 1 else several[0]


def shutter_steps(project: Project, shot: Shot, since: float = 0.0) -> int:
    """Number of poses that describe the movement while the shutter is open at a time, in frames after the first of a
    shot: one a degree, one if nothing moves."""
    shutter_deg = project.camera_of(shot).shutter_deg
    if shutter_deg <= 0:
        return 1
    turned = most_turned_deg(shot, shutter_deg)
    if not plain(shot) or any(place_of(c.path).moves for c in shot.channels):
        turned = max(turned, _swept_deg(poses_at(project, shot, since + np.array([-0.5, 0.5]) * shutter_deg / 360.0)))
    if not turned:
        # everything stands, but samples need a time for what bends
        return 2 if any(item.playing for item in project.items) else 1
    return min(2 + int(turned), MOST_STEPS)


def camera_ev100(camera: Camera, fps: float) -> float:
    """EV100 = log2(N² / t · 100 / S) of f-number, shutter time and sensitivity (ISO 2720)."""
    open_s = (camera.shutter_deg if camera.shutter_deg > 0 else 180.0) / 360.0 / fps
    n = camera.f_number or PINHOLE_F_NUMBER
    return math.log2(n * n / open_s * 100.0 / camera.iso)


def shown_ev100(project: Project, shot: Shot) -> float:
    """The exposure that counts, without its offset: as metered, or as the camera is set."""
    camera = project.camera_of(shot)
    if camera.exposure_by == "meter":
        return project.look_of(shot).tone.ev100
    return camera_ev100(camera, project.rate_num / project.rate_den)


def _swept_deg(poses: Poses) -> float:
    """About by how many degrees the picture changes between the first and the last of some poses."""
    first, last = poses.cameras[0], poses.cameras[-1]
    cosine = (np.trace(first[:3, :3].T @ last[:3, :3]) - 1.0) / 2.0
    moved = [last[:3, 3] - first[:3, 3], *(at[-1, :3, 3] - at[0, :3, 3] for at in poses.item_at.values())]
    away = max(float(poses.aim_m.min()), NEAREST_M)
    turned = [np.arccos(np.clip(cosine, -1.0, 1.0)), *(np.linalg.norm(by) / away for by in moved)]
    return float(np.degrees(max(turned)))


def _items(project: Project, shot: Shot) -> tuple[Item, ...]:
    on = [with_worn_colourway(item, shot) for item in project.items if item.on]
    on.sort(key=lambda item: item.id == project.subject_id)
    return tuple(item if _dresses_copies(item) else derive(item, variants=(item.variant,)) for item in on)


def _dresses_copies(item: Item) -> bool:
    """True for items whose copies wear all colourways."""
    return item.copies is not None and item.copies.colourways


def _look(project: Project, shot: Shot, poses: Poses, fps: float) -> Look:
    """The look of a shot, with lights that aim at points; those that ride are told of at rest."""
    look, camera = project.look_of(shot), project.camera_of(shot)
    lights = tuple(_aimed(light, project, shot, poses) for light in look.lights)
    tone = look.tone
    if camera.exposure_by == "camera":
        tone = derive(tone, ev100=camera_ev100(camera, fps))
    return derive(look, lights=lights, tone=tone)


def _aimed(light: Light, project: Project, shot: Shot, poses: Poses) -> Light:
    """The light, aiming at a point: of one that rides on something, where that is at rest."""
    if light.aim.item is None:
        return light
    with_rig = light.rides == WITH_RIG
    point = poses.aimed(light.aim, project, shot) if with_rig else aim_point(light.aim, project)
    return derive(light, aim=_point(point))


def _point(places: Points) -> Aim:
    """A point of the studio, the first of some if there are several."""
    x, y, z = (float(c) for c in places.reshape(-1, 3)[0])
    return Aim.model_construct(x_m=x, y_m=y, z_m=z, item=None, part=None)


def _light_at(project: Project, shot: Shot, poses: Poses) -> dict[str, Mat4]:
    return {
        light.id: poses.carried(carriage_named(light.rides, shot, project.items), project.items)[0]
        for light in project.look_of(shot).lights
        if light.rides != WITH_RIG
    }
