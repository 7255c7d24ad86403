"""Where the camera of a shot stands at some times: at rest, by its row of segments, by its channels."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..arrays import Mat4, Mat4s, Points
from ..scene import Camera, Channel, Path, Project, Segment, Shot
from ..scene.shot import CAMERA
from .aiming import aim_point
from .attachments import Attachments
from .curve import channels_under, number_over, values_at
from .easing import ease
from .paths import along, lean
from .rows import lengths_of, row_of, turned_deg
from .segments import SEGMENTS

F64 = NDArray[np.float64]
Values = float | F64
"""One for all times, or (n,)."""
STAND = ("azimuth_deg", "elevation_deg", "distance_m", "rise_m", "pan_deg", "tilt_deg", "roll_deg", "focal_mm")
UP = np.array([0.0, 1.0, 0.0])


@dataclass(slots=True)
class CameraPose:
    """A camera at n times."""

    aim: Points
    """(3,) or (n, 3) what it goes round, m"""
    values: dict[str, Values]
    """by the names of the camera's fields, those of STAND"""
    place: Points | None = None
    """(n, 3) where it rides along a path, NaN at times when it does not"""
    ahead: Points | None = None
    """(n, 3) where it looks along its path, NaN at times when it looks at what it goes round"""
    after: Points | None = None
    """(n, 3) what it turns after, where it does not go along with what moves"""
    bank_deg: Values = 0.0
    """how far it leans into the curves of its path"""

    @property
    def target(self) -> Points:
        """(3,) or (n, 3) what it looks at."""
        return self.aim if self.after is None else self.after

    def matrices(self, count: int) -> Mat4s:
        """camera → studio (n, 4, 4); cameras look along −z."""
        m = _around(self.aim, self.values, count)
        if self.place is not None and self.ahead is not None:
            riding = ~np.isnan(self.place[:, 0])
            m[riding, :3, 3] = self.place[riding]
            back = m[:, :3, 3] - self.target
            looks = ~np.isnan(self.ahead[:, 0])
            back[looks] = -self.ahead[looks]
            m[riding, :3, :3] = _looking(back[riding])
        if np.any(rise := self.values["rise_m"]):
            raised = np.broadcast_to(rise, count) != 0.0
            m[raised, 1, 3] += np.broadcast_to(rise, count)[raised]
            m[raised, :3, :3] = _looking((m[:, :3, 3] - self.target)[raised])
        if self.after is not None:
            ahead = np.zeros(count, bool) if self.ahead is None else ~np.isnan(self.ahead[:, 0])
            m[~ahead, :3, :3] = _looking((m[:, :3, 3] - self.after)[~ahead])
        pan, tilt, roll = (self.values[name] for name in ("pan_deg", "tilt_deg", "roll_deg"))
        if np.any(self.bank_deg):
            roll = roll + self.bank_deg
        if np.any(pan) or np.any(tilt) or np.any(roll):
            m[:, :3, :3] = (
                rotations(pan, 1, count) @ m[:, :3, :3] @ rotations(tilt, 0, count) @ rotations(roll, 2, count)
            )
        return m

    def aim_m(self, cameras: Mat4s) -> F64:
        """Distance of the aim (n,) from cameras (n, 4, 4), along their axes, m."""
        turned = any(np.any(self.values[name]) for name in ("rise_m", "pan_deg", "tilt_deg"))
        if self.place is None and self.after is None and not turned:
            return np.broadcast_to(self.values["distance_m"], len(cameras))
        return np.asarray(np.einsum("ni,ni->n", cameras[:, :3, 3] - self.target, cameras[:, :3, 2]))


def at_rest(project: Project, camera: Camera) -> Mat4:
    """camera → studio (4, 4) of a camera, without anything that it does."""
    stand = CameraPose(aim_point(camera.aim, project), {name: getattr(camera, name) for name in STAND})
    return np.asarray(stand.matrices(1)[0])


def stand_of(project: Project, shot: Shot, carriers: Attachments) -> CameraPose:
    """Where the camera of a shot stands at the times of what carries others, also between and beyond its frames."""
    camera, frames = project.camera_of(shot), carriers.frames
    keyed = channels_under(shot, f"cameras/{camera.id}/")
    aim, values = carriers.aimed(camera.aim, project, shot), {name: getattr(camera, name) for name in STAND}
    stand = CameraPose(aim, values)
    if camera.follows == "turns" and aim.ndim == 2:
        stand = CameraPose(aim_point(camera.aim, project), values, after=aim)
    _aimed(stand, camera, keyed, frames, shot.frames)
    _travel(stand, project, shot, frames)
    for name in STAND:
        if name in keyed:
            stand.values[name] = values_at(keyed[name], frames, shot.frames)[:, 0]
    return stand


def _aimed(stand: CameraPose, camera: Camera, keyed: dict[str, Channel], frames: F64, length: int) -> None:
    """Let the aim follow its channels."""
    for axis, name in enumerate(("x_m", "y_m", "z_m")):
        if (channel := keyed.get(f"aim/{name}")) is not None:
            by = np.zeros((len(frames), 3))
            by[:, axis] = values_at(channel, frames, length)[:, 0] - getattr(camera.aim, name)
            stand.aim = stand.aim + by
            stand.after = None if stand.after is None else stand.after + by


@dataclass(slots=True)
class _Here:
    """Where the segments so far have brought the camera, and what there is of each time."""

    now: dict[str, float]
    track: dict[str, F64]
    paths: dict[str, Path]
    aim: Points
    place: Points
    ahead: Points
    lean: F64
    stays: tuple[Points, Points] | None = None
    """place and direction (3,) where a ride has ended, until it travels on"""
    used: set[str] = field(default_factory=set)


def _travel(stand: CameraPose, project: Project, shot: Shot, frames: F64) -> None:
    """Let the camera go through its row; turns about the axis are `turned_deg`."""
    row = row_of(shot, CAMERA)
    if row is None:
        return
    turned = turned_deg(shot, CAMERA, frames)
    if all(SEGMENTS[s.kind].about_axis for s in row.segments):
        stand.values["azimuth_deg"] = stand.values["azimuth_deg"] + turned
        return
    n = len(frames)
    now = {name: float(np.asarray(stand.values[name])) for name in STAND}
    aim = np.broadcast_to(stand.aim, (n, 3))
    here = _Here(
        dict(now),
        {name: np.full(n, value) for name, value in now.items()},
        {p.id: p for p in project.paths},
        aim,
        np.full((n, 3), np.nan),
        np.full((n, 3), np.nan),
        np.zeros(n),
    )
    lengths = lengths_of(row, shot.frames)
    ends = np.cumsum(lengths)
    which = np.minimum(np.searchsorted(ends, frames, side="right"), len(lengths) - 1)
    for i, segment in enumerate(row.segments):
        u = np.clip((frames - (ends[i] - lengths[i])) / lengths[i], 0.0, 1.0)
        done = np.asarray(ease(u, segment.ease_in, segment.ease_out), float)
        _follow(here, segment, which == i, _ridden(shot, segment, done, np.append(frames, ends[i])))
    for name in here.used & set(STAND):
        stand.values[name] = here.track[name]
    stand.values["azimuth_deg"] = stand.values["azimuth_deg"] + turned
    if "ride" in here.used:
        stand.place, stand.ahead, stand.bank_deg = here.place, here.ahead, here.lean


def _ridden(shot: Shot, segment: Segment, done: F64, frames: F64) -> F64:
    """Shares (n + 1,) of its way that a segment has done at frames (n + 1,) of which the last is its end: by its
    easing, or, on a ride, by how far along its path it is told to be."""
    path = f"shots/{shot.id}/rows/{CAMERA}/segments/{segment.id}/along_pct"
    told = segment.along_pct is not None or any(c.path == path for c in shot.channels)
    if segment.kind != "ride" or not told:
        return np.append(done, 1.0)
    return number_over(shot, path, segment.along_pct or 0.0, frames) / 100.0


def _follow(here: _Here, segment: Segment, within: NDArray[np.bool_], done: F64) -> None:
    """One segment: what it changes, at the times within it and at its end (n + 1,), from where those before have
    led."""
    start = dict(here.now)
    for name in STAND:
        here.track[name][within] = start[name]
    for name, values in SEGMENTS[segment.kind].changed(segment, start, done).items():
        here.used.add(name)
        here.track[name][within] = values[:-1][within]
        here.now[name] = float(values[-1])
    if segment.kind == "ride" and segment.path_id in here.paths:
        places, directions = along(here.paths[segment.path_id], done)
        if segment.looks == "aim":
            directions = np.full_like(directions, np.nan)
        here.used.add("ride")
        here.place[within], here.ahead[within] = places[:-1][within], directions[:-1][within]
        here.stays = places[-1], directions[-1]
        if segment.bank_deg:
            here.lean[within] = segment.bank_deg * lean(here.paths[segment.path_id], done[:-1][within])
    elif here.stays is not None and SEGMENTS[segment.kind].keeps_place:
        here.place[within], here.ahead[within] = here.stays
    else:
        here.stays = None


def _around(aim: Points, values: dict[str, Values], count: int) -> Mat4s:
    """Cameras (n, 4, 4) that look at their aim from a direction and a distance."""
    a, e = np.radians(np.broadcast_to(values["azimuth_deg"], count)), np.radians(values["elevation_deg"])
    sin_a, cos_a, zero = np.sin(a), np.cos(a), np.zeros(count)
    back = np.stack([sin_a * np.cos(e), zero + np.sin(e), cos_a * np.cos(e)], axis=1)
    right = np.stack([cos_a, zero, -sin_a], axis=1)
    up = np.cross(back, right)
    m = np.zeros((count, 4, 4))
    m[:, :3, 0], m[:, :3, 1], m[:, :3, 2] = right, up, back
    distance = values["distance_m"]
    m[:, :3, 3] = aim + back * (distance if np.ndim(distance) == 0 else np.asarray(distance)[:, None])
    m[:, 3, 3] = 1.0
    return m


def _looking(back: Points) -> Points:
    """Rotations (n, 3, 3) of cameras that look against directions (n, 3) and stand upright.

    Who looks straight up or down has its top to the back or to the front; who looks nowhere looks to the back.
    """
    size = np.linalg.norm(back, axis=1, keepdims=True)
    back = np.where(size > 1e-12, back / np.maximum(size, 1e-300), [0.0, 0.0, 1.0])
    right = np.cross(UP, back)
    size = np.linalg.norm(right, axis=1, keepdims=True)
    right = np.where(size > 1e-9, right / np.maximum(size, 1e-300), [1.0, 0.0, 0.0])
    return np.stack([right, np.cross(back, right), back], axis=2)


def rotations(angles_deg: Values, axis: int, count: int) -> Points:
    """Rotations (n, 3, 3) about a coordinate axis."""
    a = np.radians(np.broadcast_to(angles_deg, count))
    i, j = (axis + 1) % 3, (axis + 2) % 3
    m = np.tile(np.eye(3), (count, 1, 1))
    m[:, i, i] = m[:, j, j] = np.cos(a)
    m[:, i, j], m[:, j, i] = -np.sin(a), np.sin(a)
    return m
