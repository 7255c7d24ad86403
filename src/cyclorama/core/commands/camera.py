"""Commands of the camera: fit, exposure, focus, white balance, and a new camera."""

from typing import Literal

import numpy as np

from ..colour_temperature import white_of
from ..errors import ChangeError
from ..framing import fit_subject
from ..geometry.copies import shown_hull
from ..motion import box_corners, focus_distance_m, moment
from ..scene import Doc, Project, put_all
from ..scene.base import Id
from ..scene.camera import FARTHEST_M, NEAREST_M
from .base import Frame, PicturePoint, performs
from .keys import value_in_frame
from .lists import with_copy
from .looks import with_metered_exposure
from .sweeps import sweep_scale, with_sweep_scaled
from .tools import Tools


class FitSubject(Doc):
    """Move the camera to the distance at which the subject stays inside the margin, in every frame or in one."""

    kind: Literal["fit"] = "fit"
    keep: Literal["subject", "disc", "everything"] = "subject"
    """disc: that it stands on stays in the picture as well; everything: so does all else on the set"""
    part: Id | None = None
    """of the subject, instead of all of it"""
    frame: Frame | None = None
    """None: every frame"""


@performs(FitSubject)
def _fit(project: Project, change: FitSubject, tools: Tools) -> tuple[Project, str]:
    item, measures = tools.item(project, None)
    points, what = shown_hull(measures, item), "subject"
    if change.part is not None:
        part = next((p for p in item.parts if p.id == change.part), None)
        corners = None if part is None else box_corners(item, part.id)
        if part is None or corners is None:
            raise ChangeError("That part is not there, or its size is not known. Bring the model in again.")
        points, what = corners, part.name
    disc = project.set.disc
    if change.keep == "everything":
        others = [(x, tools.measures_of(x)) for x in project.items if x.on and x.id != item.id]
        points = np.concatenate([points, *(shown_hull(m, x) for x, m in others if m is not None)])
        what = "everything"
    elif change.keep == "disc" and disc.on:
        around = np.radians(np.arange(0, 360, 5))
        rim = np.stack([disc.radius_m * np.sin(around), np.zeros(72), disc.radius_m * np.cos(around)], axis=1)
        points, what = np.concatenate([points, rim, rim + np.array([0.0, disc.height_m, 0.0])]), f"{what} and disc"
    after = fit_subject(project, points, change.frame)
    needed = sweep_scale(after)
    if needed > 1.0 and sweep_scale(project) == 1.0:
        return with_sweep_scaled(after, needed), f"Fit {what}, widen sweep"
    return after, f"Fit {what}"


class MeterSubject(Doc):
    """Expose for the subject as metered over the whole move."""

    kind: Literal["meter"] = "meter"


@performs(MeterSubject)
def _meter(project: Project, _: MeterSubject, tools: Tools) -> tuple[Project, str]:
    after = with_metered_exposure(project, tools)
    if after is project:
        raise ChangeError("There is no light on the subject to meter. Turn a light on first.")
    return after, "Meter the subject"


class FocusOn(PicturePoint):
    """Focus on the surface at a point of the picture, and keep the focus on it."""

    kind: Literal["focus_on"] = "focus_on"


@performs(FocusOn)
def _focus(project: Project, change: FocusOn, tools: Tools) -> tuple[Project, str]:
    here = moment(project, change.frame)
    seen = tools.eye.point(here, change.x, change.y)
    if seen is None:
        raise ChangeError("There is nothing to focus on at that place. Click on the subject or the set.")
    values: dict[str, object] = {
        "focus_m": None,
        "focus_item": seen.item,
        "focus_point_m": tuple(significant(float(c)) for c in seen.point),
    }
    if seen.item is None:
        distance = focus_distance_m(seen.point, here.around.cameras[0])
        values = {
            "focus_m": significant(min(max(distance, NEAREST_M), FARTHEST_M)),
            "focus_point_m": None,
            "focus_item": None,
        }
    return put_all(project, {f"camera/{name}": value for name, value in values.items()}), "Focus on a point"


class GreyAt(PicturePoint):
    """Set the white balance by a grey surface at a point of the picture."""

    kind: Literal["grey_at"] = "grey_at"


@performs(GreyAt)
def _grey(project: Project, change: GreyAt, tools: Tools) -> tuple[Project, str]:
    colour = tools.eye.colour(moment(project, change.frame), change.x, change.y)
    if colour is None:
        raise ChangeError("There is nothing at that place. Click on something that should be grey.")
    white = white_of(colour)
    if white is None:
        raise ChangeError("What is seen there is black or too colourful to be a grey. Click on something neutral.")
    values = {"look/tone/white_k": round(white[0]), "look/tone/white_tint": round(white[1], 3)}
    return put_all(project, values), "White balance by a grey"


class AddCamera(Doc):
    """Another camera like the open shot's, through which the shot is shot then. Keyed values are as they are in a frame
    (None: in the first)."""

    kind: Literal["add_camera"] = "add_camera"
    frame: Frame | None = None


@performs(AddCamera)
def _add_camera(project: Project, change: AddCamera, tools: Tools) -> tuple[Project, str]:
    after, name = with_copy(project, "camera", tools.measures_of)
    shot, old = project.shot, f"cameras/{project.shot.camera_id}/"
    number = [c.id for c in project.cameras].index(shot.camera_id)
    new = after.cameras[number + 1].id
    frame = shot.first_frame if change.frame is None else change.frame
    seen = {
        f"cameras/{new}/{channel.path.removeprefix(old)}": value_in_frame(project, channel.path, frame)
        for channel in shot.channels
        if channel.path.startswith(old)
    }
    return put_all(after, {**seen, "shot/camera_id": new}), f"Add a camera like {name}"


def significant(metres: float) -> float:
    """A length to six digits, whatever its size."""
    return float(f"{metres:.6g}")
