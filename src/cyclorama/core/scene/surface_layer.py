"""Surface layers and decals: wear, dust and marks that the program makes, and pictures put onto an item."""

from typing import Annotated, Literal

from pydantic import Field

from .base import AssetRef, Choices, Colour, Doc, Id, Name, Unit01, affecting, quantity

LayerKind = Literal["scratches", "fingerprints", "dust", "edge wear", "smudges"]
Where = Literal["everywhere", "edges", "hollows", "above"]
MOST_LAYERS, MOST_DECALS = 8, 64


class SurfaceLayer(Doc):
    """A pattern that covers a material where it lies: its own colour, roughness and metalness, as far as they say."""

    AFFECTS = "surface"

    id: Id
    kind: LayerKind
    on: bool = True
    amount: Annotated[Unit01, Field(title="Amount")] = 0.4
    """How much of the surface the layer covers."""
    size_m: Annotated[float, quantity("Size of its pattern", "m", ge=1e-5, le=100)] = 0.1
    """Size of the pattern of the layer."""
    where: Annotated[
        Where,
        Field(title="Where"),
        Choices(
            {"everywhere": "everywhere", "edges": "on edges", "hollows": "in hollows", "above": "on what looks up"}
        ),
    ] = "everywhere"
    """Where the layer lies: everywhere, on worn edges, in dirty hollows, or on what looks up, as dust does."""
    reach_m: Annotated[float, quantity("Reach", "m", ge=1e-6, le=10)] = 0.002
    """How far from edges or into hollows the layer reaches."""
    strength: Annotated[Unit01, Field(title="Strength")] = 1.0
    """How much of the layer counts where it lies."""
    colour: Annotated[Colour, Field(title="Layer colour")] = (0.5, 0.5, 0.5)
    """Colour of the layer."""
    colour_share: Annotated[Unit01, Field(title="Colour share")] = 0.0
    """How much of the layer's colour counts."""
    roughness: Annotated[Unit01, Field(title="Layer roughness")] = 0.5
    """Roughness of the layer."""
    metalness: Annotated[Unit01 | None, Field(title="Layer metalness")] = None
    """1: the layer is metal, as where paint is worn off."""
    strips_coat: Annotated[bool, Field(title="Through the coat")] = False
    """The layer goes through the clear coat, as scratches do."""


class Decal(Doc):
    """A picture on an item's surface, projected along its own direction; where it is clear, the surface shows."""

    AFFECTS = "surface"

    id: Id
    name: Name
    asset: AssetRef
    on: bool = True
    at_x_m: Annotated[float, quantity("Across", "m", ge=-5000, le=5000)] = 0.0
    """of the middle, from where the item stands, as it was before it was turned"""
    at_y_m: Annotated[float, quantity("Height", "m", ge=-5000, le=5000)] = 0.0
    at_z_m: Annotated[float, quantity("To the front", "m", ge=-5000, le=5000)] = 0.0
    azimuth_deg: Annotated[float, quantity("Faces", "°", ge=-3600, le=3600)] = 0.0
    """Side from which the label is laid on."""
    elevation_deg: Annotated[float, quantity("Faces up", "°", ge=-90, le=90)] = 0.0
    """How far from above the label is laid on."""
    rotation_deg: Annotated[float, quantity("Rotation", "°", ge=-3600, le=3600)] = 0.0
    """Turns the label on the surface."""
    width_m: Annotated[float, quantity("Width", "m", ge=1e-6, le=5000)] = 0.05
    """Width of the label on the surface."""
    depth_m: Annotated[float, quantity("Depth", "m", ge=1e-6, le=5000)] = 0.02
    """how far before and behind its middle it reaches"""
    strength: Annotated[Unit01, Field(title="Strength")] = 1.0
    """How much of the label covers what is below."""
    roughness: Annotated[Unit01, Field(title="Decal roughness")] = 0.5
    """Roughness of the label. Empty: that of the surface."""
    metalness: Annotated[Unit01, Field(title="Decal metalness")] = 0.0
    """1: the label is metal, as foil. Empty: as the surface is."""
    under_coat: Annotated[bool, affecting(title="Under the coat")] = False
    """Lays the label below the clear coat."""
