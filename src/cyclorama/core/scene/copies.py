"""Copies of an item: set in order, or scattered over what it rides on."""

from typing import Annotated, Literal

from pydantic import Field

from .base import AssetRef, Choices, Doc, Id, quantity

Arrangement = Literal["scatter", "drops", "row", "grid", "circle", "stack", "path"]
MOST_COPIES = 1_000_000


class Copies(Doc):
    """Copies in place of one item; each keeps its shape and may differ in size, turn and tint.

    Those set in order stand around the item's own place. Scattered ones lie around it on what it rides on.
    """

    AFFECTS = "geometry"

    arrangement: Annotated[
        Arrangement,
        Field(title="Arrangement"),
        Choices(
            {
                "scatter": "Scattered",
                "drops": "Drops",
                "row": "Row",
                "grid": "Grid",
                "circle": "Circle",
                "stack": "Stack",
                "path": "Along a path",
            }
        ),
    ] = "row"
    count: Annotated[int, quantity("Copies", "", ge=1, le=MOST_COPIES)] = 5
    """Number of copies. Scattered ones are fewer where no more fit."""
    spacing_m: Annotated[float, quantity("Spacing", "m", ge=0, le=1e4)] = 0.1
    """Distance between neighbours; the least one, where they are scattered."""
    columns: Annotated[int, quantity("Columns", "", ge=1, le=10_000)] = 5
    rows_m: Annotated[float, quantity("Between rows", "m", ge=0, le=1e4)] = 0.1
    """Distance between the rows of a grid."""
    stagger_m: Annotated[float, quantity("Stagger", "m", ge=-1e4, le=1e4)] = 0.0
    """Shifts every second copy of a row or circle, and every second row of a grid."""
    radius_m: Annotated[float, quantity("Radius", "m", ge=1e-4, le=1e4)] = 0.3
    """Radius of the circle, or distance from the middle within which copies are scattered."""
    direction_deg: Annotated[float, quantity("Direction", "°", ge=-3600, le=3600)] = 0.0
    """Turns the whole arrangement about the vertical."""
    step_deg: Annotated[float, quantity("Turn each by", "°", ge=-3600, le=3600)] = 0.0
    """Turn of each copy against the one before it."""
    path: Id | None = None
    """the path along which copies stand"""
    colourways: Annotated[bool, Field(title="A colourway each")] = False
    """Dresses copies in the item's colourways, one after the other."""
    size_spread: Annotated[float, quantity("Sizes differ", "", ge=0, le=1)] = 0.0
    """At 100 %, copies are from half to twice as large as the item."""
    turn_spread: Annotated[float, quantity("Turns differ", "", ge=0, le=1)] = 0.0
    """At 100 %, each faces anywhere."""
    tint_spread: Annotated[float, quantity("Tints differ", "", ge=0, le=1)] = 0.0
    """At 100 %, some are much lighter, some much darker."""
    hue_spread: Annotated[float, quantity("Hues differ", "", ge=0, le=1)] = 0.0
    """At 100 %, copies have all hues."""
    seed: Annotated[int, quantity("Seed", "", ge=0, le=999_999)] = 1
    """Another seed, another chance."""
    lie: Annotated[
        Literal["standing", "settled", "tumbled"],
        Field(title="They lie"),
        Choices({"standing": "As it stands", "settled": "On any side", "tumbled": "Tumbled"}),
    ] = "standing"
    """As it stands, on any side on which it comes to rest, or turned any way."""
    upright: Annotated[bool, Field(title="Upright")] = True
    """Upright on slopes; else copies follow the surface."""
    denser: Annotated[
        Literal["even", "middle", "rim", "flat", "low", "high", "edges", "picture", "painted"],
        Field(title="Denser"),
        Choices(
            {
                "even": "Evenly",
                "middle": "In the middle",
                "rim": "At the rim",
                "flat": "Where it is flat",
                "low": "Low down",
                "high": "High up",
                "edges": "Along edges",
                "picture": "By a picture from above",
                "painted": "By a painted mask",
            }
        ),
    ] = "even"
    picture: Annotated[AssetRef, Field(title="Picture")] = ""
    """white where copies are densest: seen from above, or painted on what they lie on, by its texture coordinates"""
    picture_name: Annotated[str, Field(max_length=200)] = ""
    part: Annotated[Id | None, Field(title="Only on")] = None
    """the part of the item that they lie on; None: all of it"""
    clear_m: Annotated[float, quantity("Clear of others", "m", ge=0, le=1e4)] = 0.0
    """Distance that is kept from everything else that stands there."""

    @property
    def in_tints(self) -> bool:
        """True when copies differ in colour."""
        return max(self.tint_spread, self.hue_spread) > 0
