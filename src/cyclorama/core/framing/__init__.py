"""Lens and frame, fit, margins over a move, where the set ends in the picture."""

from .depth import Depth, depth_of_field, subject_blur_px
from .fit import fit_subject
from .formats import best_place, crops, format_margins
from .lens import Projection, half_extent
from .margins import Margins, frame_margins, frames_inside
from .obstacles import Obstacles, obstacles_of
from .seen import SurfacePoint
from .set_edges import WALL_ROOM, SetEdges, scale_to_enclose, set_edges, wall_m
from .through import cuts, hides
from .travel import SubjectTravel, travel_of
from .view import View

__all__ = [
    "WALL_ROOM",
    "Depth",
    "Margins",
    "Obstacles",
    "Projection",
    "SetEdges",
    "SubjectTravel",
    "SurfacePoint",
    "View",
    "best_place",
    "crops",
    "cuts",
    "depth_of_field",
    "fit_subject",
    "format_margins",
    "frame_margins",
    "frames_inside",
    "half_extent",
    "hides",
    "obstacles_of",
    "scale_to_enclose",
    "set_edges",
    "subject_blur_px",
    "travel_of",
    "wall_m",
]
