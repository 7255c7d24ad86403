"""Made shapes: plinths and boxes, natural forms, letters, and marks from drawings."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from .base import AssetRef, Choices, Doc, Written, affecting, quantity, read_only

MOST_LETTERS = 200
EXTRUDED_PARTS = ("Face", "Bevel", "Side")
"""Parts of letters, and of each piece of a mark, as `geometry.extrude` numbers them."""
Form = Literal[
    "plinth", "box", "ball", "card",
    "letters", "mark", "pebble", "gravel", "grain", "petal", "leaf", "needle", "confetti", "snow", "crumb", "bean",
    "shell", "drop",
]  # fmt: skip


class Extrusion(Doc):
    """Lie of an extruded outline."""

    AFFECTS = "geometry"

    laid: Annotated[
        Literal["standing", "lying", "round"],
        Field(title="Stands"),
        Choices({"standing": "Upright", "lying": "Flat", "round": "Round"}),
    ] = "standing"
    """It stands upright, lies on its back, or goes round a cylinder."""
    radius_m: Annotated[float, quantity("Radius", "m", ge=1e-4, le=5000)] = 0.1
    """Radius of the cylinder that it goes round."""


class Letters(Extrusion):
    """Text of a made shape, extruded, with a bevel."""

    text: Annotated[str, Field(title="Text", min_length=1, max_length=MOST_LETTERS), Written] = "Text"
    """Text of the letters. A new line begins another line."""
    family: Annotated[
        Literal["grotesque", "mono", "file"],
        Field(title="Font"),
        Choices({"grotesque": "Grotesque", "mono": "Mono", "file": "Own"}),
    ] = "grotesque"
    font_file: AssetRef | None = None
    """the font of the family `file`; letters that it lacks are set in Grotesque"""
    font_name: Annotated[str, affecting("nothing", title="Name of the font", max_length=80), Written] = ""
    weight: Annotated[int, quantity("Weight", "", ge=100, le=900)] = 700
    """Weight of the strokes: 400 is regular, 700 bold."""
    spacing: Annotated[float, quantity("Letter spacing", "", ge=-0.2, le=2)] = 0.0
    """Room that is added after each letter, as a share of the size of the type."""
    align: Annotated[
        Literal["left", "middle", "right"],
        Field(title="Lines"),
        Choices({"left": "Left", "middle": "Middle", "right": "Right"}),
    ] = "middle"
    shown: Annotated[float, quantity("Shown", "", ge=0, le=1, affects="amount")] = 1.0
    """Share of the letters that are there, from the first on. Key it to let a word appear."""


class Mark(Extrusion):
    """Outlines of a drawing, such as a logo, extruded, with a bevel."""

    outlines: Annotated[AssetRef, read_only()]
    """of what was drawn, as `geometry.outlines` keeps them"""
    aspect: Annotated[float, read_only(gt=0, le=1e4)] = 1.0
    """its width in heights"""
    source_name: Annotated[str, read_only("nothing", max_length=80), Written] = ""


class Made(Doc):
    """A shape made by the program: as wide, deep and high as told, standing on its base."""

    AFFECTS = "geometry"

    form: Annotated[Form, Field(title="Form")] = "plinth"
    width_m: Annotated[float, quantity("Width", "m", ge=1e-5, le=5000, then="settle")] = 0.3
    """Width of the shape."""
    depth_m: Annotated[float, quantity("Depth", "m", ge=1e-5, le=5000, then="settle")] = 0.3
    """Depth of the shape."""
    height_m: Annotated[float, quantity("Height", "m", ge=1e-5, le=5000, then="settle")] = 0.3
    """Height of the shape."""
    edge_m: Annotated[float, quantity("Edge rounding", "m", ge=0, le=500)] = 0.004
    """Rounding of its edges."""
    shape: Annotated[int, quantity("Shape", "", ge=0, le=5)] = 0
    """Shape of a natural form."""
    letters: Letters | None = None
    """what is written, of letters only; they are as high as the shape is"""
    mark: Mark | None = None
    """what is drawn, of marks only; it is as high as the shape is"""

    @model_validator(mode="after")
    def _is_sound(self) -> "Made":
        if (self.form == "letters") != (self.letters is not None):
            raise ValueError("Letters need a text, and no other form has one.")
        if (self.form == "mark") != (self.mark is not None):
            raise ValueError("A mark needs a drawing, and no other form has one.")
        return self
