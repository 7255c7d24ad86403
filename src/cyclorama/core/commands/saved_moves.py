"""Keeping moves and using them elsewhere, in the size of what is looked at there."""

from typing import Literal

import numpy as np

from ..errors import ChangeError
from ..motion import aim_point, value_of
from ..scene import Channel, Doc, Path, Project, Row, place_of, put_all
from ..scene.base import new_id
from ..scene.path import HANDLES
from ..scene.saved_move import SavedMove
from ..scene.shot import CAMERA, DISC
from ..scene.writing import revise
from .base import performs
from .moves import is_named_by_move
from .names import free_name
from .rates import shot_at_rate
from .tools import Tools

LENGTHS = ("distance_m", "rise_m", "focus_m")
"""What is keyed of a camera that grows with the subject."""


def move_from_shot(project: Project, name: str) -> SavedMove:
    """The move of the open shot's camera and disc. Raises ChangeError when there is none."""
    shot, camera = project.shot, project.camera
    rows = tuple(row for row in shot.rows if row.id in (CAMERA, DISC))
    at = f"cameras/{camera.id}/"
    channels = tuple(revise(c, path=c.path.removeprefix(at)) for c in shot.channels if c.path.startswith(at))
    if not rows and not channels:
        raise ChangeError("Nothing travels in this shot: there is no move to keep.")
    ridden = {s.path_id for row in rows for s in row.segments if s.kind == "ride"}
    aim = aim_point(camera.aim, project)
    return SavedMove(
        id=new_id("move"),
        name=name,
        frames=shot.frames,
        rate_num=project.rate_num,
        rate_den=project.rate_den,
        distance_m=camera.distance_m,
        aim_m=(float(aim[0]), float(aim[1]), float(aim[2])),
        rows=rows,
        paths=tuple(p for p in project.paths if p.id in ridden),
        channels=channels,
    )


def with_move(project: Project, move: SavedMove) -> Project:
    """The open shot with a kept move in place of what its camera and disc did, as long as that was in seconds, and as
    much larger or smaller as its camera is farther or nearer."""
    shot, camera = project.shot, project.camera
    by = camera.distance_m / move.distance_m
    from_m, to_m = np.array(move.aim_m), aim_point(camera.aim, project)
    ids = {path.id: new_id("path") for path in move.paths}
    taken = [p.name for p in project.paths]
    paths = tuple(
        revise(path, id=ids[path.id], name=free_name(taken, path.name), points=_points(path, from_m, to_m, by))
        for path in move.paths
    )
    at = f"cameras/{camera.id}/"
    channels = tuple(_channel(c, at, by, to_m - from_m * by) for c in move.channels)
    rows = tuple(_row(row, ids, by) for row in move.rows)
    changed = revise(shot, frames=move.frames, rows=rows, channels=channels)
    changed = shot_at_rate(changed, (move.rate_num, move.rate_den), (project.rate_num, project.rate_den))
    left_rows = tuple(row for row in shot.rows if row.id not in (CAMERA, DISC))
    left = tuple(c for c in shot.channels if not c.path.startswith(at))
    values: dict[str, object] = {
        "paths": (*project.paths, *paths),
        "shot/frames": changed.frames,
        "shot/rows": (*changed.rows, *left_rows),
        "shot/channels": (*left, *changed.channels),
    }
    if is_named_by_move(shot.name):
        values["shot/name"] = move.name
    return put_all(project, values)


def _points(path: Path, from_m: np.ndarray, to_m: np.ndarray, by: float) -> tuple[object, ...]:
    return tuple(
        revise(
            p,
            **(
                dict(zip(("x_m", "y_m", "z_m"), map(float, to_m + (at - from_m) * by), strict=True))
                | {name: getattr(p, name) * by for name in HANDLES}
            ),
        )
        for p in path.points
        for at in [np.array([p.x_m, p.y_m, p.z_m])]
    )


def _row(row: Row, paths: dict[str, str], by: float) -> Row:
    segments = tuple(revise(s, by_m=s.by_m * by, path_id=paths.get(s.path_id or "")) for s in row.segments)
    return revise(row, segments=segments)


def _channel(channel: Channel, at: str, by: float, shift: np.ndarray) -> Channel:
    """A channel of a camera as one of this camera's, in its size, about its aim."""
    name = channel.path
    axis = {"aim/x_m": 0, "aim/y_m": 1, "aim/z_m": 2}.get(name)
    scale = by if name in LENGTHS or axis is not None else 1.0
    place = place_of(at + name)

    def value(v: float) -> float:
        there = v * scale + (float(shift[axis]) if axis is not None else 0.0)
        return float(np.ravel(value_of(place, np.array([there])))[0])

    keys = tuple(
        revise(
            k,
            id=new_id("key"),
            value=tuple(value(v) for v in k.value),
            leaves=(k.leaves[0], k.leaves[1] * scale),
            arrives=(k.arrives[0], k.arrives[1] * scale),
        )
        for k in channel.keys
    )
    return revise(channel, id=new_id("channel"), path=at + name, keys=keys)


class UseMove(Doc):
    """Let camera and disc of the open shot do a move that was kept."""

    kind: Literal["use_move"] = "use_move"
    move: SavedMove


@performs(UseMove)
def _use_move(project: Project, change: UseMove, _: Tools) -> tuple[Project, str]:
    return with_move(project, change.move), f"Move: {change.move.name}"
