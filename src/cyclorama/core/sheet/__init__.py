"""The call sheet: what each station says about itself, whether the shot is ready, and the edits stations offer."""

from .perform import perform, perform_all
from .readiness import Readiness, readiness
from .review import Review, review
from .stations import Station, stations

__all__ = ["Readiness", "Review", "Station", "perform", "perform_all", "readiness", "review", "stations"]
