"""Obstacles: things between camera and subject, and things the camera comes too near to.

Things are taken as the boxes around their parts, which turn with them: exact for made shapes with flat sides, on the
safe side for others. The subject itself is its convex hull.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from ..arrays import Mat4, Mat4s, Points
from ..geometry.placement import placement_matrix
from ..geometry.primitives import made_box
from ..motion import carriage_of
from ..scene import Item, Project, Sweep
from .view import View

F64 = NDArray[np.float64]
SAMPLES = 48
"""Places of the subject that are looked for."""
MOST_BOXES = 40
"""So many of the largest parts of a thing are looked at."""
MOST_FRAMES = 240
"""Frames in which it is looked for what stands between; each stands for those up to the next."""
SHRUNK = 1e-3
"""Boxes are made smaller by this share: what stands on a thing does not vanish in it."""


@dataclass(frozen=True, slots=True)
class Obstacles:
    """Measurements in each frame that is looked at (n,)."""

    hidden: F64 | None
    """share of the places of the subject's hull that face the camera before which something else stands, 0…1; None
    where there is nothing else"""
    room_m: F64
    """how far the camera is from the nearest thing, the floor and the wall, m; negative inside"""
    nearest: list[str]
    """(n,) what that is"""


def obstacles_of(project: Project, view: View, hull: Points) -> Obstacles:
    """Obstacles in the open shot; hull (p, 3): the subject's, in studio space at rest."""
    others = [x for x in project.items if x.on and x.id != project.subject_id and x.copies is None]
    boxes = [(item.name, _boxes(item), _to_rest(project, view, item)) for item in others]
    boxes = [(name, b, m) for name, b, m in boxes if len(b)]
    rooms = {"the subject": _from_hull(view, hull)} if len(hull) > 3 else {}
    eyes = view.poses.cameras[:, :3, 3]
    for name, b, to_rest in boxes:
        scale = np.cbrt(np.abs(np.linalg.det(to_rest[:, :3, :3])))
        rooms[f"‘{name}’"] = _from_boxes(view.eyes_in(to_rest), b) / scale
    rooms |= _from_set(project.set.sweep, eyes)
    if not rooms:
        return Obstacles(None, np.full(len(eyes), np.inf), [""] * len(eyes))
    names, all_rooms = list(rooms), np.array(list(rooms.values()))
    which = all_rooms.argmin(axis=0)
    hidden = _hidden(view, hull, [(b, m) for _, b, m in boxes]) if boxes and len(hull) else None
    return Obstacles(hidden, all_rooms[which, np.arange(len(eyes))], [names[i] for i in which])


def _boxes(item: Item) -> F64:
    """Boxes (b, 2, 3) around the shown parts of an item, in its own space, the largest."""
    if item.made is not None:
        return np.asarray(made_box(item.made))[None]
    shown = {w.id for w in item.variant.parts if w.visible}
    boxes = np.array([p.box for p in item.parts if p.box is not None and p.id in shown]).reshape(-1, 2, 3)
    size = np.ptp(boxes, axis=1).prod(axis=1)
    return np.asarray(boxes[np.argsort(-size)[:MOST_BOXES]])


def _to_rest(project: Project, view: View, item: Item) -> Mat4s:
    """studio → the item's own space (n, 4, 4)."""
    carried = view.poses.carried(carriage_of(item, project.shot, project.items), project.items)
    return np.asarray(np.linalg.inv(carried @ placement_matrix(item.placement)))


def _from_boxes(at: Points, boxes: F64) -> F64:
    """Distance (n,) of points (n, 3) from the nearest of some boxes, negative inside."""
    middle, half = boxes.mean(axis=1), np.ptp(boxes, axis=1) / 2
    off = np.abs(at[:, None] - middle) - half
    outside = np.linalg.norm(np.maximum(off, 0.0), axis=2)
    return np.asarray((outside + np.minimum(off.max(axis=2), 0.0)).min(axis=1))


def _from_hull(view: View, hull: Points) -> F64:
    """Distance (n,) of the camera from the convex hull of the subject: exact in front of a face, never too far."""
    at, planes = view.eyes_in(np.linalg.inv(view.carried)), _faces(np.ascontiguousarray(hull, float).tobytes())
    if planes is None:
        return _from_boxes(at, np.array([[hull.min(axis=0), hull.max(axis=0)]]))
    return np.asarray((at @ planes[:, :3].T + planes[:, 3]).max(axis=1))


@lru_cache(maxsize=8)
def _faces(hull: bytes) -> F64 | None:
    """Planes (f, 4) of the faces of a convex hull, told by its points (n, 3) of 8-byte floats; None where it is flat.
    Kept, as the subject stays where it is while everything else is edited."""
    try:
        return np.asarray(scipy.spatial.ConvexHull(np.frombuffer(hull).reshape(-1, 3)).equations)
    except scipy.spatial.QhullError:
        return None


def _from_set(sweep: Sweep, eyes: Points) -> dict[str, F64]:
    if not sweep.on:
        return {}
    if sweep.form == "round":
        wall = min(sweep.width_m, sweep.depth_m) / 2 - np.hypot(eyes[:, 0], eyes[:, 2])
        wall = np.where(eyes[:, 1] > sweep.height_m, np.inf, wall)
    else:
        wall = eyes[:, 2] + sweep.depth_m / 2
    return {"the floor": eyes[:, 1], "the wall": wall}


def _hidden(view: View, hull: Points, boxes: list[tuple[F64, Mat4s]]) -> F64:
    """Share (n,) of places of a hull that face the camera from which a box keeps it."""
    some = hull[:: max(1, len(hull) // SAMPLES)]
    step = max(1, -(-len(view.poses) // MOST_FRAMES))
    out = np.zeros(len(view.poses))
    for i in range(0, len(view.poses), step):
        m: Mat4 = view.carried[i]
        points, eye = some @ m[:3, :3].T + m[:3, 3], view.poses.cameras[i, :3, 3]
        away = np.einsum("pi,pi->p", points - points.mean(axis=0), eye - points) > 0
        points = points[away] if away.any() else points
        met = np.zeros(len(points), bool)
        for b, to_rest in boxes:
            r = to_rest[i, :3, :3]
            met |= _meets(b, eye @ r.T + to_rest[i, :3, 3], points @ r.T + to_rest[i, :3, 3])
        out[i : i + step] = met.mean()
    return out


def _meets(boxes: F64, eye: F64, points: Points) -> NDArray[np.bool_]:
    """Which of the ways (p,) from an eye to points (p, 3) go through one of some boxes (slabs)."""
    shrink = np.ptp(boxes, axis=1) * SHRUNK
    low, high = boxes[:, 0] + shrink, boxes[:, 1] - shrink
    with np.errstate(divide="ignore", invalid="ignore"):
        d = (points - eye)[:, None]
        t = np.stack([(low - eye) / d, (high - eye) / d])
    enters = np.nan_to_num(t.min(axis=0), nan=-np.inf).max(axis=2)
    leaves = np.nan_to_num(t.max(axis=0), nan=np.inf).min(axis=2)
    return np.asarray(((enters < leaves) & (leaves > 0) & (enters < 1 - 1e-9)).any(axis=1))
