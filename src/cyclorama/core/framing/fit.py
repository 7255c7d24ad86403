"""The nearest camera that keeps the subject inside the margin in every frame.

In camera axes around the aim point a point is (x, y, z), z towards the camera. From distance d it is inside a
frame of half extents (w, h) shrunk to the share k when |x| ≤ k·w·(d − z) and |y| ≤ k·h·(d − z): the smallest
d is a maximum over points and frames, no search. The aim height shifts y and z linearly, so the best height
is the minimum of a convex function. A lens that distorts moves each point in the picture by a factor that hardly
changes with the distance: the same formula with the factors of the distance before settles in a few rounds.
"""

import numpy as np

from ..arrays import Points
from ..errors import ChangeError
from ..scene import Project, place_of, put_all
from .lens import Projection, picture_factor
from .margins import NEAR_M, camera_space
from .view import View

ROUNDS = 12
"""After so many the distance of the most distorted lens has settled to a millionth."""


def fit_subject(project: Project, points: Points) -> Project:
    """The project with distance and aim height of the open shot's camera fitted to the subject's points (n, 3), studio
    space at rest.

    Raises ChangeError when there is nothing to fit or the subject is too large for the studio.
    """
    if len(points) == 0:
        raise ChangeError("There is no subject to fit. Bring a model in first.")
    camera = project.camera
    middle = float(points[:, 1].min() + points[:, 1].max()) / 2
    base = _with_camera(project, {"aim/item": None, "aim/part": None, "aim/y_m": middle})
    rel = _relative(base, points)
    lens = Projection.of_project(project)
    k = 1.0 - 2.0 * project.shot.shoot.margin
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
    return _with_camera(base, {"aim/y_m": middle + rise, "distance_m": distance(rise) * (1 + 1e-9)})


def _relative(project: Project, points: Points) -> Points:
    """All points in all frames in camera axes around the aim point."""
    view = View.of(project)
    shift = np.array([0.0, 0.0, project.camera.distance_m])
    places = zip(view.poses.cameras, view.carried, strict=True)
    return np.concatenate([camera_space(points, camera, carried) + shift for camera, carried in places])


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
