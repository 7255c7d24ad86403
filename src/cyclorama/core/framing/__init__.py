"""Lens and frame, fit, margins over a move, where the set ends in the picture."""

from .fit import Fit, fit_subject
from .lens import half_extent
from .margins import Margins, frame_margins

__all__ = ["Fit", "Margins", "fit_subject", "frame_margins", "half_extent"]
