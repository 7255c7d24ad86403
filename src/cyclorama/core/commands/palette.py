"""The project's palette, and pictures that are kept beside it."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..colour_spaces import oklch_of
from ..errors import ChangeError
from ..scene import Doc, Project, insert_item, put
from ..scene.base import AssetRef, Colour, Name, new_id
from ..scene.palette import MOST_COLOURS, MOST_REFERENCES, PaletteColour, Reference
from .base import performs
from .names import free_name
from .tools import Tools

_HUES = (
    (15, "Pink"),
    (45, "Red"),
    (75, "Orange"),
    (112, "Yellow"),
    (160, "Green"),
    (215, "Teal"),
    (280, "Blue"),
    (320, "Violet"),
    (350, "Magenta"),
    (361, "Pink"),
)
"""Up to which hue of OKLCH, in degrees, a colour is called so."""
_GREY_CHROMA = 0.03


def colour_name(colour: tuple[float, float, float]) -> str:
    """The name of a linear colour, by its hue and lightness."""
    lightness, chroma, hue = (float(x) for x in oklch_of(np.array(colour)))
    if chroma < _GREY_CHROMA:
        return "Black" if lightness < 0.2 else "White" if lightness > 0.95 else "Grey"
    name = next(name for up_to, name in _HUES if hue < up_to)
    return f"Dark {name.lower()}" if lightness < 0.4 else f"Light {name.lower()}" if lightness > 0.85 else name


class AddColours(Doc):
    """Put colours into the palette."""

    kind: Literal["add_colours"] = "add_colours"
    colours: Annotated[tuple[Colour, ...], Field(min_length=1, max_length=32)]
    name: Annotated[str, Field(max_length=80)] = ""
    """what they are called, numbered where there are several; empty: by their hue"""


@performs(AddColours)
def _with_colours(project: Project, change: AddColours, _: Tools) -> tuple[Project, str]:
    if len(project.palette) + len(change.colours) > MOST_COLOURS:
        raise ChangeError(f"A palette holds {MOST_COLOURS} colours. Take some out first.")
    palette = list(project.palette)
    for colour in change.colours:
        name = free_name((c.name for c in palette), change.name or colour_name(colour))
        palette.append(PaletteColour(id=new_id("colour"), name=name, colour=colour))
    count = len(change.colours)
    return put(project, "palette", tuple(palette)), f"Keep {'a colour' if count == 1 else f'{count} colours'}"


class AddReference(Doc):
    """Keep a picture beside the project."""

    kind: Literal["add_reference"] = "add_reference"
    asset: AssetRef
    name: Name


@performs(AddReference)
def _with_reference(project: Project, change: AddReference, _: Tools) -> tuple[Project, str]:
    if len(project.references) >= MOST_REFERENCES:
        raise ChangeError(f"{MOST_REFERENCES} pictures are kept beside this project already. Take some away first.")
    name = free_name((r.name for r in project.references), change.name)
    new = Reference(id=new_id("reference"), name=name, asset=change.asset)
    return insert_item(project, "references", new), f"Keep {name} beside it"
