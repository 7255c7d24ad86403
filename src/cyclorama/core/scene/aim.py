"""Aim of a camera or a light."""

from typing import Annotated

from pydantic import Field

from .base import Doc, Id, quantity


class Aim(Doc):
    """A point of the studio, or of an item: from the middle of the item's, or of one of its parts', box."""

    AFFECTS = "light"

    item: Annotated[Id | None, Field(title="Aims at")] = None
    """None: at a point of the studio, from the middle of the floor"""
    part: Annotated[Id | None, Field(title="Part")] = None
    x_m: Annotated[float, quantity("Aim to the right", "m", ge=-5000, le=5000, moves=True)] = 0.0
    """Point that is aimed at: to the right of the middle of the set."""
    y_m: Annotated[float, quantity("Aim height", "m", ge=-5000, le=5000, moves=True)] = 0.5
    """Point that is aimed at: its height above the floor."""
    z_m: Annotated[float, quantity("Aim to the front", "m", ge=-5000, le=5000, moves=True)] = 0.0
    """Point that is aimed at: to the front of the middle of the set."""
