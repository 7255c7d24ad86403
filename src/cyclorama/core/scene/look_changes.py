"""Typed changes of lights and materials; see `changes`."""

from typing import Annotated, Literal

from pydantic import Field

from .base import Doc, Id, Unit01
from .saved_material import SavedMaterial
from .saved_rig import SavedRig

Frame = Annotated[int, Field(ge=0, le=2_000_000)]
ReadyRig = Literal[
    "three-point", "tent", "two strips", "dark field", "bright field", "rims only", "dish and cards", "low raking",
    "night",
]  # fmt: skip


class PlaceLight(Doc):
    """Put a light of the open shot's look, at its distance, where its reflection is seen at a place of the picture in a
    frame, where it grazes what is seen there, or where the edge of the subject's shadow lies there."""

    kind: Literal["place_light"] = "place_light"
    light: Id
    wanted: Literal["highlight", "graze", "shadow"] = "highlight"
    frame: Frame
    x: Unit01
    y: Unit01


class AddLook(Doc):
    """Another look like that of the open shot, which has it from then on: trying there leaves the first as it is."""

    kind: Literal["add_look"] = "add_look"


class AddColourway(Doc):
    """Another colourway of an item like the one that it wears in the open shot, which it wears from then on."""

    kind: Literal["add_colourway"] = "add_colourway"
    item: Id


class WearColourway(Doc):
    """Let an item wear one of its colourways in the open shot; other shots stay as they are."""

    kind: Literal["wear_colourway"] = "wear_colourway"
    item: Id
    variant: Id


class ShotEachColourway(Doc):
    """A shot like the open one for each other colourway of an item."""

    kind: Literal["shot_each_colourway"] = "shot_each_colourway"
    item: Id


class EvenLights(Doc):
    """Set the strengths of the open shot's lights so that the subject is lit evenly over the move."""

    kind: Literal["even_lights"] = "even_lights"


class ApplyRig(Doc):
    """Light the open shot's look with a ready set of lights in the size of the subject, and expose for it."""

    kind: Literal["rig"] = "rig"
    rig: ReadyRig


class UseRig(Doc):
    """Light the open shot's look with a kept set of lights in the size of the subject, and expose for it."""

    kind: Literal["use_rig"] = "use_rig"
    rig: SavedRig


class Dressed(Doc):
    """A part of an item."""

    item: Id
    part: Id


class Dress(Doc):
    """Let parts wear a material that is made to start from, or one that is kept, in the colourways that their items
    wear."""

    kind: Literal["dress"] = "dress"
    preset: Annotated[str, Field(max_length=80)] = ""
    kept: SavedMaterial | None = None
    """instead of a preset"""
    parts: Annotated[tuple[Dressed, ...], Field(min_length=1, max_length=2000)]


class RemoveUnworn(Doc):
    """Take away the materials that no part wears in any colourway."""

    kind: Literal["remove_unworn"] = "remove_unworn"


class MatchColour(Doc):
    """Give a material a colour as somebody tells it, as `#1f6f8b` or in CIELAB."""

    kind: Literal["match_colour"] = "match_colour"
    material: Id
    colour: Annotated[str, Field(max_length=60)]


class ApplyPreset(Doc):
    """Start a material again from a preset."""

    kind: Literal["preset"] = "preset"
    material: Id
    preset: Annotated[str, Field(max_length=80)]
