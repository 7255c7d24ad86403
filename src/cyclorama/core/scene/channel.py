"""Channels: values that change during a shot, by keys in its frames."""

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, model_validator

from .base import Doc, Id, read_only

GoesOn = Literal["linear", "smooth", "hold", "custom"]
Outside = Literal["stand", "repeat", "ping-pong"]
LATEST, MOST_KEYS = 200_000, 2000
Handle = tuple[Annotated[float, Field(ge=0, le=1)], Annotated[float, Field(ge=-1e12, le=1e12)]]


class Key(Doc):
    """Key: a value in one frame, and its interpolation to the next key."""

    AFFECTS = "motion"

    id: Id
    frame: Annotated[int, read_only("motion", title="Frame", ge=0, le=LATEST)] = 0
    """counted from the first of the shot"""
    value: Annotated[tuple[float, ...], Field(min_length=1, max_length=3)]
    """one number, three of a colour or a point; a switch is 0 or 1"""
    goes: Annotated[GoesOn, Field(title="Goes on")] = "smooth"
    leaves: Handle = (1 / 3, 0.0)
    """custom: handle after the key, its share of the way to the next one and how much the value has changed there"""
    arrives: Handle = (1 / 3, 0.0)
    """custom: handle before the next key, its share of the way back from it and by how much the value differs there"""


class Channel(Doc):
    """A value of the project that is keyed in a shot. Beyond its first and last key it stands, goes round with the
    shot (from the last key to the first of the next round), or comes back the way it went."""

    AFFECTS = "motion"

    id: Id
    path: Annotated[str, Field(title="Value", min_length=1, max_length=200)]
    keys: Annotated[tuple[Key, ...], Field(min_length=1, max_length=MOST_KEYS)]
    """in the order of their frames"""
    outside: Annotated[Outside, Field(title="Beyond its keys")] = "stand"

    @model_validator(mode="after")
    def _is_sound(self) -> "Channel":
        return self.sound()

    def sound(self) -> "Channel":
        """The channel itself; raises ValueError with a sentence when its keys are out of order or not of one kind."""
        frames = [key.frame for key in self.keys]
        if any(b <= a for a, b in pairwise(frames)):
            raise ValueError("Two keys of a value are in the same frame, or out of order.")
        if len({len(key.value) for key in self.keys}) > 1:
            raise ValueError("The keys of a value are not all of one kind.")
        if len({key.id for key in self.keys}) != len(self.keys):
            raise ValueError("Two keys of a value have the same id.")
        return self
