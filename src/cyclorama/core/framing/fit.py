"""The nearest camera that keeps the subject inside the margin in every frame.

In camera axes around the aim point a point is (x, y, z), z towards the camera. From distance d it is inside a
frame of half extents (w, h) shrunk to the share k when |x| ≤ k·w·(d − z) and |y| ≤ k·h·(d − z): the smallest
d is a maximum over points and frames, no search. The aim height shifts y and z linearly, so the best height
is the minimum of a convex function. A lens that distorts moves each point in the picture by a factor that hardly
changes with the distance: the same formula with the factors of the distance before settles in a few rounds.
"""

from collections.abc import Callable

import numpy as np
import scipy

from ..arrays import Points
from ..errors import ChangeError
from ..motion.segments import SEGMENTS
from ..scene import Project, place_of, put, put_all
from ..scene.camera import FARTHEST_M, NEAREST_M
from ..scene.shot import CAMERA
from .lens import picture_factor
from .margins import NEAR_M, camera_space, frame_margins
from .view import View

SEARCHED = 10.0
"""So many doublings nearer and farther a distance is looked for."""
ROUNDS = 12
"""After so many the distance of the most distorted lens has settled to a millionth."""


def fit_subject(project: Project, points: Points, frame: int | None = None) -> Project:
    """The project with distance and aim height of the open shot's camera fitted to the subject's points (n, 3), studio
    space at rest, in every frame or in one. A camera that looks at a thing goes on doing so: only its distance is.

    Raises ChangeError when there is nothing to fit or the subject is too large for the studio.
    """
    if len(points) == 0:
        raise ChangeError("There is no subject to fit. Bring a model in first.")
    if project.camera.aim.item is not None:  # it goes on looking at that
        return _searched(project, points, frame)
    middle = float(points[:, 1].min() + points[:, 1].max()) / 2
    base = _with_camera(project, {"aim/item": None, "aim/part": None, "aim/y_m": middle})
    if not _goes_round(base):
        return _searched(base, points, frame)
    view = View.of(base, frame)
    rel = _relative(view, project.camera.distance_m, points)
    lens = view.lens.some(np.repeat(np.arange(len(view.poses)), len(points)))
    half_w, half_h, bend = (np.ravel(x) for x in (lens.half_w, lens.half_h, lens.k))
    k = 1.0 - 2.0 * project.shot.shoot.margin
    e = np.radians(project.camera.elevation_deg)

    def distance(rise: float) -> float:
        y, z = rel[:, 1] - rise * np.cos(e), rel[:, 2] - rise * np.sin(e)
        need = np.maximum(np.abs(rel[:, 0]) / (k * half_w), np.abs(y) / (k * half_h))
        least = float(z.max()) + 2 * NEAR_M
        d = max(float((need + z).max()), least)
        for _ in range(ROUNDS if bend.any() else 0):
            rho2 = (rel[:, 0] ** 2 + y * y) / (d - z) ** 2
            d = max(float((need * picture_factor.py_func(bend, rho2) + z).max()), least)  # type: ignore[attr-defined]
        return d

    rise = _minimum(distance, float(np.ptp(points[:, 1])))
    return _with_camera(base, {"aim/y_m": middle + rise, "distance_m": distance(rise) * (1 + 1e-9)})


def _goes_round(project: Project) -> bool:
    """True when the camera of the open shot only goes round its aim and zooms, so that its distance is one number."""
    shot, camera = project.shot, project.camera
    row = next((row for row in shot.rows if row.id == CAMERA), None)
    kept = all(SEGMENTS[s.kind].keeps_distance for s in row.segments) if row else True
    keyed = any(c.path.startswith(f"cameras/{camera.id}/") and place_of(c.path).moves for c in shot.channels)
    if camera.shift_x or camera.shift_y:
        return False
    turned = camera.rise_m or camera.pan_deg or camera.tilt_deg or camera.roll_deg
    return not keyed and not turned and kept


def _searched(project: Project, points: Points, frame: int | None) -> Project:
    """The project with the distance at which the worst margin of any move is the one that is wanted."""
    wanted, now = project.shot.shoot.margin, project.camera.distance_m

    def room(power: float) -> float:
        tried = put(project, "camera/distance_m", now * 2.0**power)
        return frame_margins(View.of(tried, frame), points).worst - wanted

    low, high = -SEARCHED, SEARCHED
    while now * 2.0**low < NEAREST_M:
        low += 1
    while now * 2.0**high > FARTHEST_M:
        high -= 1
    if not room(low) < 0.0 <= room(high):
        raise ChangeError(
            "Where the camera stands is keyed, or lies on a path: its distance does not change what it sees."
        )
    power = scipy.optimize.brentq(room, low, high, xtol=1e-9)
    while room(power) < 0.0:  # the root may lie on the wrong side by a hair
        power += 1e-9
    return _with_camera(project, {"distance_m": now * 2.0**power})


def _relative(view: View, distance_m: float, points: Points) -> Points:
    """All points in all frames in camera axes around the aim point."""
    shift = np.array([0.0, 0.0, distance_m])
    places = zip(view.poses.cameras, view.carried, strict=True)
    return np.concatenate([camera_space(points, camera, carried) + shift for camera, carried in places])


def _minimum(f: Callable[[float], float], span: float) -> float:
    """Where a convex function is least within ± span."""
    found = scipy.optimize.minimize_scalar(f, bounds=(-span, span), method="bounded", options={"xatol": span * 1e-9})
    return float(found.x)


def _with_camera(project: Project, changes: dict[str, float | None]) -> Project:
    values = {}
    for name, value in changes.items():
        place = place_of(path := f"camera/{name}")
        if value is not None and place.most is not None and value > place.most:
            raise ChangeError(
                f"The subject is too large for the studio: the camera would have to stand {value / 1000:.0f} km away. "
                "Correct its unit on the Subject card."
            )
        values[path] = value if value is None or place.least is None else max(value, place.least)
    return put_all(project, values)
