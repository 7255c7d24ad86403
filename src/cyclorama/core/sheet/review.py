"""Everything that is measured about a project in one go, for the stations, the plan and the readiness list."""

from dataclasses import dataclass

import numpy as np

from ..arrays import Points
from ..framing import Margins, SetEdges, frame_margins, set_edges
from ..geometry.measure import Measures, axis_lean_deg, gap_mm, placed_hull, wobble_mm
from ..motion import Poses, pose_project
from ..scene import Project
from ..scene.subject import CentreMethod

CENTRE_METHODS: tuple[CentreMethod, ...] = ("box", "area", "revolution", "file")


@dataclass(frozen=True, slots=True)
class SubjectReview:
    """The subject as it stands."""

    size_m: tuple[float, float, float]
    gap_mm: float
    wobble_mm: dict[str, float]
    """by centre method: how far that centre lies off the axis of the turn"""
    axis_lean_deg: float
    axis_residual: float
    hull: Points
    """(k, 3) m, studio space at rest"""


@dataclass(frozen=True, slots=True)
class Review:
    """A project with its measures."""

    project: Project
    poses: Poses
    subject: SubjectReview | None
    margins: Margins | None
    edges: SetEdges


def review(project: Project, measures: Measures | None) -> Review:
    """Measure a project; `measures` are those of its subject."""
    subject, margins = None, None
    if project.subject is not None and measures is not None:
        placement = project.subject.placement
        hull = placed_hull(measures, placement)
        size = np.ptp(hull, axis=0)
        subject = SubjectReview(
            size_m=(float(size[0]), float(size[1]), float(size[2])),
            gap_mm=gap_mm(measures, project),
            wobble_mm={m: wobble_mm(measures, placement, m) for m in CENTRE_METHODS},
            axis_lean_deg=axis_lean_deg(measures, placement),
            axis_residual=measures.axis_residual,
            hull=hull,
        )
        margins = frame_margins(project, hull)
    return Review(project, pose_project(project), subject, margins, set_edges(project))
