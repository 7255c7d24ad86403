"""Paths: ready shapes around what the camera looks at, paths drawn by hand, their points and how they bend."""

import math
from collections.abc import Callable
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..errors import ChangeError
from ..motion import at_rest
from ..motion.paths import handles_of, nearest_stretch
from ..motion.rows import lengths_of
from ..scene import Channel, Doc, Key, Path, PathPoint, Project, insert_item, put, put_all
from ..scene.base import Id, new_id
from ..scene.path import Bends, PathShape
from ..scene.shot import CAMERA
from .base import performs
from .names import free_name
from .tools import Tools

Points = list[tuple[float, float, float]]


def to_four_digits(metres: float) -> float:
    """To four digits: subjects may be small or large."""
    return float(f"{metres:.4g}")


def with_path(project: Project, shape: PathShape) -> Project:
    """One more path, around what the open shot's camera looks at, as far away as it stands. Raises ChangeError."""
    if shape == "camera to camera":
        return _with(project, _between_cameras(project), shape.capitalize(), closed=False)
    camera = project.camera
    far, high = camera.distance_m, camera.aim.y_m + camera.distance_m * math.sin(math.radians(camera.elevation_deg))
    closed = shape in ("circle", "ellipse", "figure eight")
    return _with(project, _SHAPES[shape](far, high), shape.capitalize(), closed)


def with_drawn(project: Project, points: Points, closed: bool) -> Project:
    """One more path through points of the studio. Raises ChangeError when they are one and the same place."""
    return _with(project, points, "Drawn path", closed)


def _with(project: Project, points: Points, name: str, closed: bool) -> Project:
    if np.ptp(np.array(points), axis=0).max() <= 0.0:
        raise ChangeError("All points of the path lie in one place. Say where it is to lead.")
    made = tuple(_point(f"point-{i + 1}", at) for i, at in enumerate(points))
    name = free_name((p.name for p in project.paths), name)
    return put(project, "paths", (*project.paths, Path(id=new_id("path"), name=name, closed=closed, points=made)))


def _point(identity: str, at: tuple[float, float, float]) -> PathPoint:
    x, y, z = map(to_four_digits, at)
    return PathPoint(id=identity, x_m=x, y_m=y, z_m=z)


def with_point(project: Project, path_id: str, at: tuple[float, float, float]) -> Project:
    """One more point of a path, between the two where it comes nearest to a place. Raises ChangeError."""
    path = _path(project, path_id)
    return insert_item(project, f"paths/{path_id}/points", _point(new_id("point"), at), nearest_stretch(path, at) + 1)


def with_bend(project: Project, path_id: str, point_id: str, bends: Bends) -> Project:
    """A point of a path with handles or without: handles begin where the path is left as it was. Raises ChangeError."""
    path = _path(project, path_id)
    number = next((i for i, point in enumerate(path.points) if point.id == point_id), None)
    if number is None:
        raise ChangeError("That point is not there any more.")
    at = f"paths/{path_id}/points/{point_id}"
    values: dict[str, object] = {f"{at}/bends": bends}
    if bends != "smooth":
        arrives, leaves = handles_of(path, number)
        if bends == "even":  # both sides as long as the one that leaves
            arrives = -leaves
        for side, handle in (("in", arrives), ("out", leaves)):
            values |= {f"{at}/{side}_{axis}_m": to_four_digits(float(c)) for axis, c in zip("xyz", handle, strict=True)}
    return put_all(project, values)


def with_pace(project: Project, segment_id: str) -> Project:
    """A ride whose way along its path is keyed, evenly from its beginning to its end, so that its speed is drawn as a
    curve. Raises ChangeError."""
    shot = project.shot
    row = next((row for row in shot.rows if row.id == CAMERA), None)
    number = next((i for i, s in enumerate(row.segments) if s.id == segment_id), None) if row else None
    if row is None or number is None or row.segments[number].kind != "ride":
        raise ChangeError("Only a ride goes along a path.")
    path = f"shots/{shot.id}/rows/{CAMERA}/segments/{segment_id}/along_pct"
    lengths = lengths_of(row, shot.frames).tolist()
    begins, ends = sum(lengths[:number]), sum(lengths[: number + 1])
    keys = tuple(
        Key(id=new_id("key"), frame=round(frame), value=(value,), goes="linear")
        for frame, value in ((begins, 0.0), (max(ends, begins + 1), 100.0))
    )
    others = tuple(c for c in shot.channels if c.path != path)
    return put(project, "shot/channels", (*others, Channel(id=new_id("channel"), path=path, keys=keys)))


def _path(project: Project, path_id: str) -> Path:
    path = next((p for p in project.paths if p.id == path_id), None)
    if path is None:
        raise ChangeError("That path is not there any more.")
    return path


def _between_cameras(project: Project) -> Points:
    """From where the open shot's camera stands to the place of the next one, past no nearer to what it looks at."""
    number = project.cameras.index(project.camera)
    if len(project.cameras) < 2:
        raise ChangeError("There is only one camera. Add another and put it where the path is to end.")
    both = (project.camera, project.cameras[(number + 1) % len(project.cameras)])
    first, last = (at_rest(project, camera)[:3, 3] for camera in both)
    return [(float(x), float(y), float(z)) for x, y, z in (first, last)]


def _ring(far: float, high: float, deep: float = 1.0, count: int = 8) -> Points:
    turns = [2 * math.pi * i / count for i in range(count)]
    return [(far * math.sin(a), high, deep * far * math.cos(a)) for a in turns]


def _eight(far: float, high: float) -> Points:
    """In front of what is looked at, with its crossing in the middle."""
    turns = [2 * math.pi * i / 16 for i in range(16)]
    return [(0.5 * far * math.sin(a), high, far * (1.0 + 0.15 * math.sin(2 * a))) for a in turns]


def _spiral(far: float, high: float) -> Points:
    turns = [2 * math.pi * i / 8 for i in range(13)]
    return [(far * math.sin(a), high + far * 0.08 * i, far * math.cos(a)) for i, a in enumerate(turns)]


def _boom(far: float, high: float) -> Points:
    """Up on the end of an arm that stands to the side."""
    swings = [math.radians(a) for a in (-15.0, 0.0, 15.0, 30.0, 45.0)]
    return [(far * 0.3 * (1.0 - math.cos(a)), high + 0.8 * far * math.sin(a), far) for a in swings]


_SHAPES: dict[PathShape, Callable[[float, float], Points]] = {
    "circle": _ring,
    "ellipse": lambda far, high: _ring(far, high, 0.6),
    "figure eight": _eight,
    "rising spiral": _spiral,
    "boom": _boom,
    "straight track": lambda far, high: [(-0.6 * far, high, far), (0.6 * far, high, far)],
}


class AddPath(Doc):
    """A path of a ready shape around what the camera looks at."""

    kind: Literal["add_path"] = "add_path"
    shape: PathShape


@performs(AddPath)
def _add_path(project: Project, change: AddPath, _: Tools) -> tuple[Project, str]:
    return with_path(project, change.shape), f"Add a {change.shape}"


_Reach = Annotated[float, Field(ge=-5000, le=5000)]


_Place = tuple[_Reach, _Reach, _Reach]


class DrawPath(Doc):
    """A path through points of the studio, m."""

    kind: Literal["draw_path"] = "draw_path"
    points: Annotated[tuple[_Place, ...], Field(min_length=2, max_length=200)]
    closed: bool = False


@performs(DrawPath)
def _draw_path(project: Project, change: DrawPath, _: Tools) -> tuple[Project, str]:
    return with_drawn(project, list(change.points), change.closed), "Draw a path"


class AddPoint(Doc):
    """One more point of a path, at a place of the studio, m, between the two where it comes nearest."""

    kind: Literal["add_point"] = "add_point"
    path: Id
    at: _Place


@performs(AddPoint)
def _add_point(project: Project, change: AddPoint, _: Tools) -> tuple[Project, str]:
    return with_point(project, change.path, change.at), "Add a point to a path"


class BendPoint(Doc):
    """Let a path go through a point by itself, or by handles."""

    kind: Literal["bend_point"] = "bend_point"
    path: Id
    point: Id
    bends: Bends


@performs(BendPoint)
def _bend_point(project: Project, change: BendPoint, _: Tools) -> tuple[Project, str]:
    how = {"smooth": "without handles", "even": "with handles", "free": "with a corner"}[change.bends]
    return with_bend(project, change.path, change.point, change.bends), f"Path {how}"


class SpeedCurve(Doc):
    """Key how far along its path a ride of the camera is, so that its speed is drawn as a curve."""

    kind: Literal["speed_curve"] = "speed_curve"
    segment: Id


@performs(SpeedCurve)
def _speed_curve(project: Project, change: SpeedCurve, _: Tools) -> tuple[Project, str]:
    return with_pace(project, change.segment), "Speed curve of a ride"
