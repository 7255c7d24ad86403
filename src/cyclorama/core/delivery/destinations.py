"""Destinations: places where a delivery goes, each with the preset, size, rate and limit that suit it.

Some come with the program; artists keep their own for all projects.
"""

from typing import Annotated, Any

from pydantic import Field

from ..scene.base import Doc, Id, Name
from .presets import Delivery, PresetName


class Destination(Doc):
    """A place where deliveries go, and how they are made for it."""

    id: Id
    name: Name
    says: Annotated[str, Field(max_length=200)] = ""
    """purpose, where the settings do not tell it"""
    as_cut: bool = False
    """True: as large as the cut"""
    how: Delivery = Delivery()
    """settings of a delivery, without its frames"""

    @property
    def in_words(self) -> str:
        """One line about its settings."""
        if self.says:
            return self.says
        how = self.how
        told = ["As the cut" if self.as_cut else f"{how.width}×{how.height}", how.coding.title]
        if how.own_rate is not None:
            told.append(f"{how.own_rate}/s")
        if how.fits_mb is not None:
            told.append(f"under {how.fits_mb:g} MB")
        return ", ".join(told)


def _ready(name: str, says: str, preset: PresetName, size: tuple[int, int] | None, **more: Any) -> Destination:
    """size: width and height, None: as the cut."""
    if size is not None:
        more |= {"width": size[0], "height": size[1]}
    identity = name.lower().replace(" ", "-")
    return Destination(id=identity, name=name, says=says, as_cut=size is None, how=Delivery(preset=preset, **more))


DESTINATIONS = (
    _ready("Square for a feed", "1080×1080, under 8 MB", "web", (1080, 1080), fits_mb=8.0),
    _ready("Upright for phones", "1080×1920, under 30 MB", "web", (1080, 1920), fits_mb=30.0),
    _ready("Film for a page", "1920×1080, plays everywhere", "web", (1920, 1080)),
    _ready("Loop with alpha for a page", "Lies over a page, no sound", "clear loop", None, sound=False),
    _ready("Spin for a shop", "Turned by hand on a product page", "spin", (1080, 1080), sound=False),
    _ready("Master for an editor", "ProRes, as large as the cut", "master", None, quality=100),
)
