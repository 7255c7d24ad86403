"""The nearest camera that keeps the subject inside the margin in every frame.

In camera axes around the aim point a point is (x, y, z), z towards the camera. From distance d it is inside a
frame of half extents (w, h) shrunk to the share k when |x| ≤ k·w·(d − z) and |y| ≤ k·h·(d − z): the smallest
d is a maximum over points and frames, no search. The aim height shifts y and z linearly, so the best height
is the minimum of a convex function. A lens that distorts moves each point in the picture by a factor that hardly
changes with the distance: the same formula with the factors of the distance before settles in a few rounds.
"""

from dataclasses import dataclass

import numpy as np

from ..arrays import Points
from ..errors import ChangeError
from ..motion import pose_project
from ..scene import Project, place_of, put_all
from .lens import Projection, picture_factor
from .margins import NEAR_M, Margins, camera_space, frame_margins

ROUNDS = 12
"""After so many the distance of the most distorted lens has settled to a millionth."""


@dataclass(frozen=True, slots=True)
class Fit:
    """A fitted camera and the margins it gives."""

    project: Project
    margins: Margins


def fit_subject(project: Project, points: Points) -> Fit:
    """Fit distance and aim height of the current camera to the subject's points (n, 3), studio space at rest.

    Raises ChangeError when there is nothing to fit or the subject is too large for the studio.
    """
    if len(points) == 0:
        raise ChangeError("There is no subject to fit. Bring a model in first.")
    camera = project.camera
    middle = float(points[:, 1].min() + points[:, 1].max()) / 2
    base = _with_camera(project, target_height_m=middle, distance_m=camera.distance_m)
    rel = _relative(base, points)
    lens = Projection.of_project(project)
    k = 1.0 - 2.0 * project.shoot.margin
    e = np.radians(camera.elevation_deg)

    def distance(rise: float) -> float:
        y, z = rel[:, 1] - rise * np.cos(e), rel[:, 2] - rise * np.sin(e)
        need = np.maximum(np.abs(rel[:, 0]) / (k * lens.half_w), np.abs(y) / (k * lens.half_h))
        least = float(z.max()) + 2 * NEAR_M
        d = max(float((need + z).max()), least)
        for _ in range(ROUNDS if lens.k != 0.0 else 0):
            rho2 = (rel[:, 0] ** 2 + y * y) / (d - z) ** 2
            d = max(float((need * picture_factor.py_func(lens.k, rho2) + z).max()), least)  # type: ignore[attr-defined]
        return d

    rise = _minimum(distance, float(np.ptp(points[:, 1])))
    fitted = _with_camera(project, target_height_m=middle + rise, distance_m=distance(rise) * (1 + 1e-9))
    return Fit(fitted, frame_margins(fitted, points))


def _relative(project: Project, points: Points) -> Points:
    """All points in all frames in camera axes around the aim point."""
    poses = pose_project(project)
    shift = np.array([0.0, 0.0, project.camera.distance_m])
    return np.concatenate([camera_space(points, poses, i) + shift for i in range(len(poses))])


def _minimum(f, span: float) -> float:  # type: ignore[no-untyped-def]
    """Golden-section search of a convex function around 0."""
    golden = (np.sqrt(5) - 1) / 2
    low, high = -span, span
    a, b = high - golden * (high - low), low + golden * (high - low)
    fa, fb = f(a), f(b)
    for _ in range(40):
        if fa <= fb:
            high, b, fb = b, a, fa
            a = high - golden * (high - low)
            fa = f(a)
        else:
            low, a, fa = a, b, fb
            b = low + golden * (high - low)
            fb = f(b)
    return float((low + high) / 2)


def _with_camera(project: Project, **changes: float) -> Project:
    values = {}
    for name, value in changes.items():
        place = place_of(path := f"cameras/{project.camera_id}/{name}")
        if place.most is not None and value > place.most:
            raise ChangeError(
                f"The subject is too large for the studio: the camera would have to stand {value / 1000:.0f} km away. "
                "Correct its unit on the Subject card."
            )
        values[path] = value if place.least is None else max(value, place.least)
    return put_all(project, values)
