"""The read side: measures of the open shot, the call sheet's sentences about them, and readiness to shoot."""

from .measures import Review, review
from .readiness import Readiness, readiness
from .stations import Station, stations

__all__ = ["Readiness", "Review", "Station", "readiness", "review", "stations"]
