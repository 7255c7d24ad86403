"""A shot: a camera, a look, a length, and how everything travels during it."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from .base import Doc, Id, Name, affecting, quantity
from .shoot import ShootSettings

MoveKind = Literal["orbit", "spin", "hold"]
CAMERA, DISC = "camera", "disc"
"""Rows of what travels besides items."""
MOST_FRAMES = 100_000


class Segment(Doc):
    """One stretch of a move: a turn about the axis, or a hold.

    orbit: the camera goes round what it aims at; spin: the disc, or an item, turns. Frame i of N stands at exactly
    turns · i · 360 / N degrees, so the N pictures of a whole turn are distinct and the loop closes.
    """

    AFFECTS = "motion"

    id: Id
    kind: Annotated[MoveKind, Field(title="Move")] = "orbit"
    turns: Annotated[float, quantity("Turns", "×", ge=-100, le=100)] = 1.0
    """negative ones are clockwise, seen from above"""
    frames: Annotated[int | None, quantity("Length", "frames", ge=1, le=MOST_FRAMES)] = None
    """None: what the others of its row leave, in equal shares"""


class Row(Doc):
    """All stretches of one traveller, one after the other. Its id is the item's, `camera` or `disc`."""

    AFFECTS = "motion"

    id: Id
    segments: Annotated[tuple[Segment, ...], Field(min_length=1, max_length=64)]


class Wears(Doc):
    """What colourway an item wears in a shot; its id is the item's."""

    AFFECTS = "geometry"

    id: Id
    variant: Annotated[Id, Field(title="Colourway")]


class Shot(Doc):
    """A camera, a look, colourways, a length, how everything travels, and how it is shot. A still has one frame."""

    AFFECTS = "motion"

    id: Id
    name: Name
    camera_id: Annotated[Id, affecting("camera", title="Camera")]
    look_id: Annotated[Id, affecting("light", title="Look")]
    wears: tuple[Wears, ...] = ()
    frames: Annotated[int, quantity("Frames", "frames", ge=1, le=MOST_FRAMES)] = 240
    first_frame: Annotated[int, quantity("First frame", "", ge=0, le=1_000_000)] = 1
    rows: Annotated[tuple[Row, ...], Field(max_length=64)] = ()
    shoot: ShootSettings = ShootSettings()

    @property
    def frame_numbers(self) -> range:
        """The frames that will be shot."""
        first, last = self.first_frame, self.first_frame + self.frames - 1
        wanted_from, wanted_to = self.shoot.from_frame, self.shoot.to_frame
        low = first if wanted_from is None else max(first, wanted_from)
        high = last if wanted_to is None else min(last, wanted_to)
        return range(low, high + 1)

    @property
    def all_frames(self) -> range:
        """The frames of its whole length."""
        return range(self.first_frame, self.first_frame + self.frames)

    @property
    def travelling(self) -> Row | None:
        """The row of its camera or its disc, the first that there is."""
        return next((row for row in self.rows if row.id in (CAMERA, DISC)), None)

    @model_validator(mode="after")
    def _is_sound(self) -> "Shot":
        return self.sound()

    def sound(self) -> "Shot":
        """The shot itself; raises ValueError with a sentence when rows or segments share an id, or one cannot do what
        it is told."""
        if len({row.id for row in self.rows}) != len(self.rows):
            raise ValueError("Two rows of a shot are of one traveller.")
        for row in self.rows:
            if len({s.id for s in row.segments}) != len(row.segments):
                raise ValueError("Two segments of a row have the same id.")
            wrong = "spin" if row.id == CAMERA else "orbit"
            if any(s.kind == wrong for s in row.segments):
                raise ValueError("Only the camera orbits, and it does not spin.")
        return self
