"""Everything that is measured about a project in one go, for the stations, the plan and the readiness list."""

from dataclasses import dataclass, replace
from typing import Any, get_args

import numpy as np
from numpy.typing import NDArray

from ..arrays import Points, Vec3
from ..framing import (
    Margins,
    Obstacles,
    SetEdges,
    SubjectTravel,
    View,
    frame_margins,
    frames_inside,
    obstacles_of,
    set_edges,
    subject_blur_px,
    travel_of,
)
from ..geometry.copies import shown_hull
from ..geometry.measure import Measures, axis_lean_deg, gap_m, placed_hull, wobble_mm
from ..light.haze import passing_share
from ..memo import Memo
from ..motion import Poses, at_time, focused_m, stand_height_m
from ..motion.curve import number_over
from ..scene import Project, dependency_key
from ..scene.base import Affects
from ..scene.item import CentreMethod
from .light_stances import Stances, stances_of

F64 = NDArray[np.float64]
FOCUS_LIMIT_PX = 2.0
"""A subject of which nothing is drawn sharper than this is out of focus."""
LEAST_SHARE = 0.25
"""A subject is small when nowhere more of the picture's height or width is filled."""
LEAST_ROOM = 0.02
"""The camera is too near to something that is nearer than this share of the subject's size."""
MOST_HIDDEN = 0.02
"""Share of the subject that may be hidden before it is said."""
HAZE_FRAMES = 9
CENTRE_METHODS: tuple[CentreMethod, ...] = ("box", "area", "revolution", "file")


@dataclass(frozen=True, slots=True)
class SubjectReview:
    """The subject as it stands."""

    size_m: tuple[float, float, float]
    gap_mm: float
    wobble_mm: dict[str, float]
    """by centre method: how far that centre lies off the axis of its turn"""
    axis_lean_deg: float
    axis_residual: float
    hull: Points
    """(k, 3) m, studio space at rest"""
    camera_inside: list[int]
    """frames in which the camera stands inside it"""


@dataclass(frozen=True, slots=True)
class Review:
    """The open shot of a project with its measures."""

    project: Project
    poses: Poses
    """of the frames that are looked at"""
    subject: SubjectReview | None
    margins: Margins | None
    travel: SubjectTravel | None
    """how the subject goes through the picture"""
    obstacles: Obstacles | None
    """what stands in the camera's way"""
    blur_px: F64 | None
    """(n,) how blurred the sharpest of the subject is, px; None where everything is in focus"""
    edges: SetEdges
    stances: Stances
    """lights that do not stand freely in the sweep"""
    hidden: float
    """largest share of the subject's light that haze keeps from the camera"""


def review(project: Project, measures: Measures | None) -> Review:
    """Measure the open shot of a project; `measures` are those of its subject.

    What is measured is kept: most edits change light, colour or finish alone.
    """
    key = dependency_key(project, MEASURED), _content(measures)
    return replace(_reviews.get(key, lambda: _reviewed(project, measures)), project=project)


MEASURED = frozenset(get_args(Affects)) - {"gain", "surface", "film", "backdrop", "picture"}
"""Effects of the values on which a review depends."""
_reviews: Memo[Any, Review] = Memo(8)


def _content(measures: Measures | None) -> tuple[bytes, ...]:
    return () if measures is None else tuple(np.asarray(getattr(measures, n)).tobytes() for n in Measures.__slots__)


def _reviewed(project: Project, measures: Measures | None) -> Review:
    view, item = View.of(project), project.subject
    subject, margins, travel, obstacles, blur_px = None, None, None, None, None
    if item is not None and measures is not None:
        placement = item.placement
        hull = shown_hull(measures, item)
        size = np.ptp(placed_hull(measures, placement), axis=0)
        subject = SubjectReview(
            size_m=(float(size[0]), float(size[1]), float(size[2])),
            gap_mm=gap_m(measures, placement, stand_height_m(project, item)) * 1000,
            wobble_mm={m: wobble_mm(measures, placement, m) for m in CENTRE_METHODS},
            axis_lean_deg=axis_lean_deg(measures, placement),
            axis_residual=measures.axis_residual,
            hull=hull,
            camera_inside=frames_inside(view, hull),
        )
        margins, travel = frame_margins(view, hull), travel_of(project, view, hull)
        obstacles, blur_px = obstacles_of(project, view, hull), _blur_px(project, view, hull)
    edges = set_edges(view, project.set.sweep)
    hidden = 0.0 if subject is None else _hidden_by_haze(project, view.poses, subject.hull.mean(axis=0))
    return Review(project, view.poses, subject, margins, travel, obstacles, blur_px, edges, stances_of(project), hidden)


def haze_is_keyed(project: Project) -> bool:
    """True when haze changes during the open shot."""
    return any(channel.path.startswith("set/haze/") for channel in project.shot.channels)


def _hidden_by_haze(project: Project, poses: Poses, middle: Vec3) -> float:
    """Largest share of light from a place (3,) that haze keeps from the camera in some frames of the open shot."""
    shot, found = project.shot, 0.0
    if not project.set.haze.on and not haze_is_keyed(project):
        return 0.0
    for i in np.linspace(0, len(poses) - 1, HAZE_FRAMES).astype(int):
        haze = at_time(project, shot, float(poses.frames[i])).set.haze
        found = max(found, 1.0 - passing_share(haze, poses.cameras[i, :3, 3], middle))
    return found


def _blur_px(project: Project, view: View, hull: Points) -> F64 | None:
    camera, shot = project.camera, project.shot
    if camera.f_number is None or not camera.blurs:
        return None
    n = number_over(shot, f"cameras/{camera.id}/f_number", camera.f_number, view.poses.frames)
    return subject_blur_px(view, n, focused_m(project, shot, view.poses), hull)
