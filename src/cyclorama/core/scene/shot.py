"""A shot: a camera, a look, a length, and how everything travels during it."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from .base import Choices, Doc, Id, Name, affecting, quantity
from .channel import Channel
from .delivery import MOST_FORMATS, Format
from .shoot import ShootSettings

MoveKind = Literal["orbit", "spin", "sway", "arc", "push", "rise", "pan", "roll", "zoom", "dolly_zoom", "ride", "hold"]
ReadyMove = Literal[
    "slow turn",
    "hero push",
    "rise and reveal",
    "figure-eight ride",
    "dolly-zoom",
    "three-quarter arc",
    "overhead drop",
    "swing and settle",
]
Fix = Literal["whole turns", "whole rounds", "even speed", "back again", "end at start", "drop last", "blend"]
"""Ways to close what does not close."""
Looks = Literal["aim", "ahead"]
TURNING: tuple[MoveKind, ...] = ("spin", "hold")
"""What disc and items do; the camera does all but spin."""
CAMERA, DISC = "camera", "disc"
"""Rows of what travels besides items."""
MOST_FRAMES = 100_000


class Segment(Doc):
    """One segment of a move. It begins where the one before it has ended.

    orbit: the camera goes round what it aims at, `turns` times; spin: so does the disc, or an item. Frame i of N stands
    at exactly turns · i · 360 / N degrees, so the N pictures of a whole turn are distinct and the loop closes.
    sway: the camera goes to one side by `by_deg`, through the middle to the other and back, `times` times.
    arc: the camera goes round by `by_deg`. push: it comes closer by `by_m` to what it aims at. rise: it goes up by
    `by_m` and keeps looking at it. pan: it turns to the left by `by_deg` and up by `tilt_deg`. roll: it turns about its
    own axis by `by_deg`, against the clock. zoom: its focal length becomes `to_mm`. dolly_zoom: it comes closer by
    `by_m`, and zooms so that what it aims at keeps its size. ride: it goes along a path. hold: it stands.
    """

    AFFECTS = "motion"

    id: Id
    kind: Annotated[MoveKind, Field(title="Move")] = "orbit"
    turns: Annotated[float, quantity("Turns", "×", ge=-100, le=100)] = 1.0
    """How often it goes round. Negative ones are clockwise, seen from above; whole ones close."""
    by_deg: Annotated[float, quantity("By", "°", ge=-36_000, le=36_000)] = 0.0
    """How far it turns; with a minus the other way."""
    times: Annotated[int, quantity("Times", "×", ge=1, le=100)] = 1
    """How often the camera sways to both sides."""
    tilt_deg: Annotated[float, quantity("Tilt by", "°", ge=-180, le=180)] = 0.0
    """How far the camera turns up; with a minus down."""
    by_m: Annotated[float, quantity("By", "m", ge=-20_000, le=20_000)] = 0.0
    """How far the camera goes; with a minus the other way."""
    to_mm: Annotated[float, quantity("To focal length", "mm", ge=8, le=400)] = 70.0
    """Focal length at the end of the segment."""
    path_id: Annotated[Id | None, Field(title="Path")] = None
    looks: Annotated[Looks, Field(title="Looks"), Choices({"aim": "At its aim", "ahead": "Ahead"})] = "aim"
    """Where the camera looks on a ride: at its aim, or ahead along the path."""
    along_pct: Annotated[
        float | None, quantity("Along the path", "%", ge=-10_000, le=10_000, affects="transform", moves=True)
    ] = None
    """How far along its path the ride is; keyed, it is the ride's speed. Empty: by its easing."""
    bank_deg: Annotated[float, quantity("Leans into curves by", "°", ge=-90, le=90)] = 0.0
    """How far the camera leans into curves, where its path turns most."""
    ease_in: Annotated[float, quantity("Ease in", "", ge=0, le=1)] = 0.0
    """Share of the segment in which it gathers speed."""
    ease_out: Annotated[float, quantity("Ease out", "", ge=0, le=1)] = 0.0
    """Share of the segment in which it comes to rest. A loop that goes on wants 0."""
    frames: Annotated[int | None, quantity("Length", "frames", ge=1, le=MOST_FRAMES)] = None
    """Length of this segment. Empty: an equal share of what the others leave."""


class Row(Doc):
    """All segments of one traveller, one after the other. Its id is the item's, `camera` or `disc`."""

    AFFECTS = "motion"

    id: Id
    segments: Annotated[tuple[Segment, ...], Field(min_length=1, max_length=64)]


class Wears(Doc):
    """Colourway of an item in a shot; its id is the item's."""

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
    """Length of the shot. Seconds and timecode work too: 10s, 00:00:10:00."""
    first_frame: Annotated[int, quantity("First frame", "", ge=0, le=1_000_000)] = 1
    """Number of the first frame, in file names and on the strip. Productions often begin at 1001."""
    rows: Annotated[tuple[Row, ...], Field(max_length=64)] = ()
    channels: Annotated[tuple[Channel, ...], Field(max_length=500)] = ()
    formats: Annotated[tuple[Format, ...], Field(title="Formats", max_length=MOST_FORMATS)] = ()
    shoot: ShootSettings = ShootSettings()

    @property
    def frame_numbers(self) -> range:
        """The frames that will be shot."""
        first, last = self.first_frame, self.first_frame + self.frames - 1
        wanted_from, wanted_to = self.shoot.from_frame, self.shoot.to_frame
        low = first if wanted_from is None else max(first, wanted_from)
        high = last if wanted_to is None else min(last, wanted_to)
        return range(low, high + 1, self.shoot.every)

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
            if any((s.kind == "spin") if row.id == CAMERA else (s.kind not in TURNING) for s in row.segments):
                raise ValueError("The disc and items only spin and hold; the camera does all else.")
            if any(s.ease_in + s.ease_out > 1.0 + 1e-9 for s in row.segments):
                raise ValueError("Ease in and ease out are longer together than the segment.")
        if len({f.id for f in self.formats}) != len(self.formats):
            raise ValueError("Two formats of a shot are the same.")
        if len({c.path for c in self.channels}) != len(self.channels):
            raise ValueError("Two channels of a shot are of one value.")
        if len({c.id for c in self.channels}) != len(self.channels):
            raise ValueError("Two channels of a shot have the same id.")
        for channel in self.channels:
            channel.sound()
        return self
