"""Formats that are cut from the picture of a shot for other places of delivery."""

from typing import Annotated

from pydantic import Field

from .base import Doc, Id, quantity

MOST_FORMATS = 8
COMMON_FORMATS = ("16:9", "1:1", "4:5", "9:16", "21:9")
"""Shapes in which clips are asked for, wide : high."""


class Format(Doc):
    """A part of the picture of another shape, as large as fits, which may be moved within it."""

    AFFECTS = "picture"

    id: Id
    wide: Annotated[int, Field(title="Width", ge=1, le=100)] = 1
    high: Annotated[int, Field(title="Height", ge=1, le=100)] = 1
    """its shape is wide : high"""
    across: Annotated[float, quantity("Reframed across", "", ge=-1, le=1)] = 0.0
    """share of the way to the right edge, negative to the left"""
    up: Annotated[float, quantity("Reframed up", "", ge=-1, le=1)] = 0.0
    """share of the way to the upper edge, negative to the lower"""

    @property
    def name(self) -> str:
        """Name of the delivery."""
        return f"{self.wide}:{self.high}"
