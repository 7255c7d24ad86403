"""Lens and frame, fit, margins over a move, where the set ends in the picture."""

from .fit import fit_subject
from .lens import Projection, half_extent
from .margins import Margins, frame_margins, frames_inside
from .seen import Seen
from .set_edges import SetEdges, set_edges
from .travel import Travel, travel_of
from .view import View

__all__ = [
    "Margins",
    "Projection",
    "Seen",
    "SetEdges",
    "Travel",
    "View",
    "fit_subject",
    "frame_margins",
    "frames_inside",
    "half_extent",
    "set_edges",
    "travel_of",
]
