"""Resting pose of an item laid on a side: tipped over roughly, then settled as its convex hull rests."""

import warnings

import numpy as np
import scipy

from ..arrays import Points, Vec3
from ..scene import Placement
from ..scene.item import Resting
from ..scene.writing import revise
from .measure import Measures
from .placement import axis_to_y

NOMINAL: dict[Resting, tuple[float, float]] = {
    "as it came": (0, 0),
    "face": (90, 0),
    "back": (-90, 0),
    "left": (0, -90),
    "right": (0, 90),
    "head": (180, 0),
}
"""Tip and roll (°) before it settles."""
FARTHEST_DEG = 50.0
"""It settles by no more than this: what would fall over stays as it was put."""


def lay_on_side(measures: Measures, placement: Placement, on: Resting) -> Placement:
    """The placement with tip and roll (and turn, as far as it has to) so that it rests; neither centred nor grounded.

    Laying it as it came takes tip and roll away and settles nothing.
    """
    tip, roll = NOMINAL[on]
    if on == "as it came":
        return revise(placement, tip_deg=0.0, roll_deg=0.0)
    put = scipy.spatial.transform.Rotation.from_euler("zx", [-roll, tip], degrees=True)
    turn_up = axis_to_y(placement.up)
    points, middle = put.apply(measures.hull @ turn_up.T), put.apply(turn_up @ measures.centroid)
    down = _resting_face(points, middle)
    rotation = scipy.spatial.transform.Rotation
    settled = rotation.identity() if down is None else rotation.align_vectors([[0, -1, 0]], [down])[0]
    with warnings.catch_warnings():
        # rolled by a quarter, turn and tip are about one axis: the tip is taken as none then, which is what is wanted
        warnings.simplefilter("ignore", UserWarning)
        turn, roll_back, tip = (settled * put).as_euler("YZX", degrees=True)
    if abs(turn) > 90:  # the same turn by its other three angles: rolled a little beyond a quarter instead
        turn, roll_back, tip = _wrapped(turn + 180), _wrapped(180 - roll_back), _wrapped(tip + 180)
    return revise(
        placement,
        tip_deg=round(float(tip), 6),
        roll_deg=round(-float(roll_back), 6),
        turn_deg=round(placement.turn_deg + float(turn), 6),
    )


def _wrapped(deg: float) -> float:
    return (deg + 180) % 360 - 180


def _resting_face(points: Points, middle: Vec3) -> Vec3 | None:
    """Outward normal of the face nearest to downwards that a body (k, 3) rests on with its weight over it.

    The weight is over a face when the way from the middle along the face's normal leaves the hull through that face.
    None where no such face lies within reach.
    """
    try:
        planes = scipy.spatial.ConvexHull(points).equations
    except scipy.spatial.QhullError:
        return None
    normals, height = planes[:, :3], -planes[:, 3] - planes[:, :3] @ middle
    near = np.flatnonzero(-normals[:, 1] >= np.cos(np.radians(FARTHEST_DEG)))
    slack = 1e-6 * np.ptp(points, axis=0).max()
    for face in near[np.argsort(normals[near, 1])]:
        facing = normals @ normals[face]
        ahead = facing > 1e-9
        if height[face] <= (height[ahead] / facing[ahead]).min() + slack:
            return np.asarray(normals[face])
    return None
