"""Stock beside materials, rigs and moves: models, sets, looks, environments, gobos, backdrops and palettes, each as it
was when it was saved."""

from typing import Annotated, Literal

from pydantic import Field

from .base import Colour, Doc, Id, Name
from .item import Item
from .light import Background, Environment, Gobo
from .look import Look
from .material import Material
from .stage import Stage

STOCK_TITLES = {
    "set": "Sets",
    "model": "Models",
    "look": "Looks",
    "rig": "Rigs",
    "environment": "Environments",
    "gobo": "Gobos",
    "backdrop": "Backdrops",
    "material": "Materials",
    "palette": "Palettes",
    "move": "Moves",
}
"""Kinds of saved things in the order in which a studio is set up."""


class StockedModel(Doc):
    """An item with what it wears."""

    kind: Literal["model"] = "model"
    item: Item
    materials: Annotated[tuple[Material, ...], Field(max_length=2000)]


class StockedSet(Doc):
    """A whole set-up: set, look, and from where the camera looks; a subject that comes in is fitted into it."""

    kind: Literal["set"] = "set"
    set: Stage
    look: Look
    azimuth_deg: float
    elevation_deg: float
    focal_mm: Annotated[float, Field(ge=1, le=10_000)]


class StockedLook(Doc):
    """A look."""

    kind: Literal["look"] = "look"
    look: Look


class StockedEnvironment(Doc):
    """Surroundings."""

    kind: Literal["environment"] = "environment"
    environment: Environment


class StockedGobo(Doc):
    """A mask for a light."""

    kind: Literal["gobo"] = "gobo"
    gobo: Gobo


class StockedBackdrop(Doc):
    """Backdrop in stock."""

    kind: Literal["backdrop"] = "backdrop"
    background: Background


class StockedPalette(Doc):
    """Colours, with their names."""

    kind: Literal["palette"] = "palette"
    colours: Annotated[tuple[tuple[Name, Colour], ...], Field(min_length=1, max_length=200)]


Content = Annotated[
    StockedModel | StockedSet | StockedLook | StockedEnvironment | StockedGobo | StockedBackdrop | StockedPalette,
    Field(discriminator="kind"),
]
StockedKind = Literal["model", "set", "look", "environment", "gobo", "backdrop", "palette"]


class Stocked(Doc):
    """One thing that is kept; lengths in it are as they were for a subject `size_m` large."""

    id: Id
    name: Name
    size_m: Annotated[float, Field(gt=0, le=20_000)] = 0.3
    content: Content


ReadySet = Literal["bare sweep", "bottle on dark gloss", "shoe on paper", "jewel on stone", "figure on disc"]
ReadyScatter = Literal[
    "pebbles", "gravel", "sand", "petals", "leaves", "needles", "confetti", "snow", "crumbs", "beans", "shells", "drops"
]  # fmt: skip
