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
    """how much of the surface it covers"""
    size_m: Annotated[float, quantity("Size of its pattern", "m", ge=1e-5, le=100)] = 0.1
    where: Annotated[
        Where,
        Field(title="Where"),
        Choices(
            {"everywhere": "everywhere", "edges": "on edges", "hollows": "in hollows", "above": "on what looks up"}
        ),
    ] = "everywhere"
    reach_m: Annotated[float, quantity("Reach", "m", ge=1e-6, le=10)] = 0.002
    """how far from edges or hollows it lies"""
    strength: Annotated[Unit01, Field(title="Strength")] = 1.0
    """how much it hides of what it lies on"""
    colour: Annotated[Colour, Field(title="Layer colour")] = (0.5, 0.5, 0.5)
    colour_share: Annotated[Unit01, Field(title="Colour share")] = 0.0
    """0: it leaves the colour as it is"""
    roughness: Annotated[Unit01, Field(title="Layer roughness")] = 0.5
    metalness: Annotated[Unit01 | None, Field(title="Layer metalness")] = None
    """none: it stays"""
    strips_coat: Annotated[bool, Field(title="Through the coat")] = False
    """It goes through the coat; otherwise the coat is as rough as the layer."""


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
    elevation_deg: Annotated[float, quantity("Faces up", "°", ge=-90, le=90)] = 0.0
    rotation_deg: Annotated[float, quantity("Rotation", "°", ge=-3600, le=3600)] = 0.0
    width_m: Annotated[float, quantity("Width", "m", ge=1e-6, le=5000)] = 0.05
    depth_m: Annotated[float, quantity("Depth", "m", ge=1e-6, le=5000)] = 0.02
    """how far before and behind its middle it reaches"""
    strength: Annotated[Unit01, Field(title="Strength")] = 1.0
    roughness: Annotated[Unit01, Field(title="Decal roughness")] = 0.5
    metalness: Annotated[Unit01, Field(title="Decal metalness")] = 0.0
    under_coat: Annotated[bool, affecting(title="Under the coat")] = False
