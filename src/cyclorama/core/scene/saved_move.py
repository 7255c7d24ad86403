"""A move that is kept, to be used in other shots and projects."""

from typing import Annotated

from pydantic import Field

from .base import Doc, Id, Name
from .channel import Channel
from .path import Path
from .shot import MOST_FRAMES, Row


class SavedMove(Doc):
    """Move of camera and disc, with its paths and the camera's keys; lengths as they were where the camera stood
    `distance_m` from its aim."""

    id: Id
    name: Name
    frames: Annotated[int, Field(ge=1, le=MOST_FRAMES)]
    rate_num: Annotated[int, Field(ge=1, le=240_000)]
    rate_den: Annotated[int, Field(ge=1, le=1001)]
    distance_m: Annotated[float, Field(gt=0, le=20_000)]
    aim_m: tuple[float, float, float]
    rows: Annotated[tuple[Row, ...], Field(max_length=2)] = ()
    paths: Annotated[tuple[Path, ...], Field(max_length=64)] = ()
    channels: Annotated[tuple[Channel, ...], Field(max_length=100)] = ()
    """their paths begin below the camera: `distance_m`, `aim/y_m`"""
