"""Cameras and lights that came with a model, in its file's own space."""

from typing import Annotated

from pydantic import Field

from .base import Colour, Doc, Id, Name
from .light import MOST_POWER, PowerUnit, Shape

_Place = Annotated[float, Field(ge=-1e13, le=1e13)]
_Place3 = tuple[_Place, _Place, _Place]
_Part = Annotated[float, Field(ge=-1.001, le=1.001)]
_Unit3 = tuple[_Part, _Part, _Part]


class FileCamera(Doc):
    """A camera of the file, at rest."""

    id: Id
    name: Name
    at: _Place3
    towards: _Unit3
    half_height: Annotated[float, Field(gt=0, le=100)]
    """tangent of half its vertical angle"""


class FileLight(Doc):
    """A light of the file, at rest."""

    id: Id
    name: Name
    shape: Shape
    at: _Place3
    towards: _Unit3
    power: Annotated[float, Field(ge=0, le=MOST_POWER)]
    power_unit: PowerUnit
    colour: Colour = (1.0, 1.0, 1.0)
    """the brightest part is 1"""
    width: Annotated[float, Field(ge=0, le=1e13)] = 0.0
    """units of the file; 0: it has no size"""
    height: Annotated[float, Field(ge=0, le=1e13)] = 0.0
    cone_deg: Annotated[float, Field(ge=1, le=170)] = 40.0
    edge: Annotated[float, Field(ge=0, le=1)] = 0.2
    sun_deg: Annotated[float, Field(ge=0.05, le=30)] = 0.53
