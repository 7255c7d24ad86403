"""Destinations: places where a delivery goes, each with the preset, size and limit that suit it."""

from dataclasses import dataclass

from .presets import PresetName


@dataclass(frozen=True, slots=True)
class Destination:
    """Where a delivery goes."""

    title: str
    says: str
    preset: PresetName
    screen: str
    """title of its size (see `SCREENS`)"""
    fits_mb: float | None = None
    """limit of the place, million bytes; None: there is none"""
    quality: int = 80
    sound: bool = True


DESTINATIONS = (
    Destination("Square for a feed", "1080×1080, under 8 MB", "web", "Square, 1:1", fits_mb=8.0),
    Destination("Upright for phones", "1080×1920, under 30 MB", "web", "Upright, 9:16", fits_mb=30.0),
    Destination("Film for a page", "1920×1080, plays everywhere", "web", "Full HD, 16:9"),
    Destination("Loop with alpha for a page", "Lies over a page, no sound", "clear loop", "As the cut", sound=False),
    Destination("Spin for a shop", "Turned by hand on a product page", "spin", "Square, 1:1", sound=False),
    Destination("Master for an editor", "ProRes, as large as the cut", "master", "As the cut", quality=100),
)
