"""Colours that belong to a project, and pictures that are kept beside it to look at."""

from typing import Annotated

from .base import AssetRef, Colour, Doc, Id, Name, affecting

MOST_COLOURS, MOST_REFERENCES = 200, 60


class PaletteColour(Doc):
    """A colour of the project's palette."""

    id: Id
    name: Name
    colour: Colour


class Reference(Doc):
    """A picture that is looked at, and that colours are taken from; nothing of it is in the frames."""

    id: Id
    name: Name
    asset: Annotated[AssetRef, affecting("nothing", title="Picture")]
