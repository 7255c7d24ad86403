"""The set: a seamless sweep and a turntable disc, both generated geometry, and the air between them."""

from typing import Annotated, Literal

from pydantic import Field

from .base import AssetRef, Choices, Colour, Doc, Unit01, affecting, quantity
from .haze import Haze


class Sweep(Doc):
    """A floor that runs into a wall without an edge.

    straight: floor, fillet and back wall, open to the front. round: the wall goes all the way round.
    """

    AFFECTS = "geometry"

    on: bool = True
    """A floor that bends up into a wall (infinity cove)."""
    form: Annotated[
        Literal["straight", "round"], Field(title="Form"), Choices({"round": "All round", "straight": "Back wall"})
    ] = "round"
    """All round for orbits; a back wall for spins."""
    width_m: Annotated[float, quantity("Width", "m", ge=1e-4, le=50_000)] = 12.0
    """Width of the sweep. The camera must stay within it."""
    depth_m: Annotated[float, quantity("Depth", "m", ge=1e-4, le=50_000)] = 12.0
    """Depth of the sweep."""
    height_m: Annotated[float, quantity("Height", "m", ge=1e-4, le=50_000)] = 5.0
    """Height of its wall."""
    fillet_m: Annotated[float, quantity("Fillet radius", "m", ge=0, le=20_000)] = 2.0
    """Radius of the bend from floor to wall: larger hides it better."""
    color: Annotated[Colour, affecting("surface")] = (0.55, 0.54, 0.52)
    """Colour of the paper."""
    roughness: Annotated[Unit01, affecting("surface", title="Roughness")] = 0.7
    """1 is felt, 0.1 gloss that mirrors the subject."""
    picture: Annotated[AssetRef | None, affecting("surface", title="Picture")] = None
    """Printed on one with a back wall, as wide as that: from its upper edge down the wall and over the floor."""
    picture_name: Annotated[str, affecting("nothing")] = ""
    picture_shift: Annotated[float, quantity("Picture, shifted down", "", ge=-5, le=5, affects="surface")] = 0.0
    """in widths"""


class Disc(Doc):
    """A turntable disc with a rounded edge, centred on the axis of the turn."""

    AFFECTS = "geometry"

    on: Annotated[bool, affecting(then="stand")] = True
    """A turntable under the subject."""
    radius_m: Annotated[float, quantity("Radius", "m", ge=1e-6, le=5000)] = 0.3
    """Radius of the disc."""
    height_m: Annotated[float, quantity("Height", "m", ge=1e-7, le=500, then="stand")] = 0.02
    """Height of the disc; the subject stands on it."""
    edge_m: Annotated[float, quantity("Edge rounding", "m", ge=0, le=100)] = 0.003
    """Rounding of its upper edge."""
    color: Annotated[Colour, affecting("surface")] = (0.6, 0.59, 0.57)
    """Colour of the disc."""
    roughness: Annotated[Unit01, affecting("surface", title="Roughness")] = 0.4
    """1 is matt, 0.1 gloss."""


class Stage(Doc):
    """Everything that stands in the studio besides the subject."""

    sweep: Sweep = Sweep()
    disc: Disc = Disc()
    haze: Haze = Haze()

    @property
    def stand_height_m(self) -> float:
        """Height of the surface the subject stands on: the disc's top, or the floor."""
        return self.disc.height_m if self.disc.on else 0.0
