"""Colours that belong to a project, and pictures that are kept beside it to look at."""

from typing import Annotated, Literal

from pydantic import Field

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


class AddColours(Doc):
    """Put colours into the palette."""

    kind: Literal["add_colours"] = "add_colours"
    colours: Annotated[tuple[Colour, ...], Field(min_length=1, max_length=32)]
    name: Annotated[str, Field(max_length=80)] = ""
    """what they are called, numbered where there are several; empty: by their hue"""


class AddReference(Doc):
    """Keep a picture beside the project."""

    kind: Literal["add_reference"] = "add_reference"
    asset: AssetRef
    name: Name
