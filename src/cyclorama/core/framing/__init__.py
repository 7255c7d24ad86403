"""Lens and frame, fit, margins over a move, where the set ends in the picture."""

from .fit import Fit, fit_subject
from .lens import Projection, half_extent
from .margins import Margins, frame_margins, frames_inside
from .set_edges import SetEdges, set_edges

__all__ = [
    "Fit",
    "Margins",
    "Projection",
    "SetEdges",
    "fit_subject",
    "frame_margins",
    "frames_inside",
    "half_extent",
    "set_edges",
]
