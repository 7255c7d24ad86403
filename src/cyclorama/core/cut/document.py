"""The cut: which takes are shown one after the other, with what held, faded, written over them and heard.

It only refers to takes, so cutting changes no render. Clips lie one after the other, each as many frames behind the one
before as its gap says: who changes the length of one moves all that follow. Lengths are frames of the cut; what a clip
shows of its take is a window on the take as it is played, so that splitting a clip never moves a picture.
"""

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from ..motion.frames import FrameRate
from ..scene.base import AssetRef, Choices, Colour, Doc, Id, Name, Unit01, Written, quantity
from ..scene.grade import Grade
from ..scene.light import Behind

MOST_CLIPS, MOST_TITLES, MOST_SOUNDS, MOST_MARKERS = 20_000, 500, 200, 5000
MOST_FRAMES = 2_000_000
MOST_TEXT = 600
Span = Annotated[int, Field(ge=0, le=MOST_FRAMES)]
FormatName = Annotated[str, Field(pattern=r"^[1-9]\d{0,2}:[1-9]\d{0,2}$")]
"""Wide : high, as formats are called."""
Beyond = Literal["repeat", "to and fro", "hold"]


def frames(title: str, least: int = 0) -> Any:
    """A number of frames of the cut."""
    return Field(title=title, ge=least, le=MOST_FRAMES, json_schema_extra={"unit": "frames"})


class ClipFraming(Doc):
    """Which part of a clip's picture is shown in pictures of one shape."""

    id: FormatName
    zoom: Annotated[float, quantity("Zoom", "×", ge=0.1, le=10)] = 1.0
    across: Annotated[float, quantity("Across", "", ge=-1, le=1)] = 0.0
    """share of the way to the right edge of what is there, negative to the left"""
    up: Annotated[float, quantity("Up", "", ge=-1, le=1)] = 0.0


class Clip(Doc):
    """A stretch of a take, a picture, or plain colour where it has neither."""

    id: Id
    name: Name = "Clip"
    take_id: Annotated[str, Field(max_length=200)] = ""
    picture: AssetRef | None = None
    colour: Colour = (0.0, 0.0, 0.0)
    """of a card without take and picture"""
    gap: Annotated[int, frames("Gap before")] = 0
    begin: Annotated[int, frames("Begins at")] = 0
    """of the take as it is played"""
    length: Annotated[int, frames("Plays", 1)] = 1
    speed: Annotated[float, quantity("Speed", "×", ge=0.05, le=20)] = 1.0
    """Plays the clip faster or slower; its length follows (retime)."""
    reverse: Annotated[bool, Field(title="Backwards")] = False
    """Plays the clip from its end to its beginning."""
    beyond: Annotated[
        Beyond,
        Field(title="Beyond its end"),
        Choices({"repeat": "repeats", "to and fro": "back and forth", "hold": "holds"}),
    ] = "repeat"
    """What is shown when the clip is longer than its take: again, back and forth, or the last frame held."""
    hold_before: Annotated[int, frames("Held before")] = 0
    hold_after: Annotated[int, frames("Held after")] = 0
    fade_in: Annotated[int, frames("Fade in")] = 0
    fade_out: Annotated[int, frames("Fade out")] = 0
    fade_colour: Annotated[Colour, Field(title="Fade colour")] = (0.0, 0.0, 0.0)
    cross: Annotated[int, frames("Cross-fade into the next")] = 0
    fit: Annotated[Literal["fill", "whole"], Field(title="Fitted"), Choices({"fill": "fills", "whole": "all seen"})] = (
        "fill"
    )
    """Fill: the picture is covered, what stands over is cut off. Whole: all is seen, with bars (letterbox)."""
    framings: Annotated[tuple[ClipFraming, ...], Field(max_length=12)] = ()
    grade: Grade | None = None
    """instead of the take's own"""
    behind: Behind | None = None
    """what is laid behind a take that is transparent, instead of what the take itself has there"""


class TitleLayout(Doc):
    """Where a title lies, and how large it is, in pictures of one shape."""

    id: FormatName
    size: Annotated[float, quantity("Size", "% of height", ge=0.5, le=60)] = 8.0
    across: Annotated[float, quantity("Across", "% of width", ge=-50, le=150)] = 50.0
    down: Annotated[float, quantity("Down", "% of height", ge=-50, le=150)] = 50.0


class Title(Doc):
    """Something written, or a picture, over the clips."""

    id: Id
    kind: Annotated[
        Literal["text", "frame number", "timecode", "countdown", "picture"],
        Field(title="Kind"),
        Choices(
            {
                "text": "text",
                "frame number": "frame number",
                "timecode": "timecode",
                "countdown": "countdown",
                "picture": "picture",
            }
        ),
    ] = "text"
    """A text, a picture, or a counter that is burnt in (slate, timecode)."""
    text: Annotated[str, Field(title="Text", max_length=MOST_TEXT), Written] = ""
    sub: Annotated[str, Field(title="Line below", max_length=MOST_TEXT), Written] = ""
    picture: AssetRef | None = None
    clip_id: Annotated[str, Field(max_length=40)] = ""
    """goes along with this clip: `start` counts from its beginning"""
    start: Annotated[int, frames("Starts")] = 0
    length: Annotated[int, frames("Shown", 1)] = 48
    font: Annotated[Literal["grotesque", "mono", "file"], Field(title="Font")] = "grotesque"
    font_file: AssetRef | None = None
    font_name: Annotated[str, Field(max_length=80), Written] = ""
    """name of the font file"""
    weight: Annotated[int, Field(title="Weight", ge=100, le=900)] = 600
    """How bold the letters are: 400 is regular, 700 bold."""
    size: Annotated[float, quantity("Size", "% of height", ge=0.5, le=60)] = 8.0
    """Height of the letters, in per cent of the picture."""
    spacing: Annotated[float, quantity("Letter spacing", "% of size", ge=-20, le=100)] = 0.0
    """Space between letters (tracking)."""
    align: Annotated[
        Literal["left", "centre", "right"],
        Field(title="Aligned"),
        Choices({"left": "left", "centre": "centre", "right": "right"}),
    ] = "centre"
    """Which edge of the title its place is measured to."""
    across: Annotated[float, quantity("Across", "% of width", ge=-50, le=150)] = 50.0
    """Where it lies across the picture; aligned left or right, the edge that it is aligned to."""
    down: Annotated[float, quantity("Down", "% of height", ge=-50, le=150)] = 50.0
    """Where its middle lies down the picture."""
    too_wide: Annotated[
        Literal["stay", "shrink", "wrap"],
        Field(title="Too wide"),
        Choices({"stay": "stays", "shrink": "shrinks", "wrap": "wraps"}),
    ] = "stay"
    """Fitting of a text into the title-safe width of each shape. Wrapping shrinks single words that are too wide."""
    colour: Annotated[Colour, Field(title="Colour")] = (1.0, 1.0, 1.0)
    opacity: Annotated[Unit01, Field(title="Opacity")] = 1.0
    """How much covers what is below."""
    outline: Annotated[float, quantity("Outline", "% of size", ge=0, le=30)] = 0.0
    """Width of a line around the letters."""
    outline_colour: Annotated[Colour, Field(title="Outline colour")] = (0.0, 0.0, 0.0)
    plate: Annotated[Unit01, Field(title="Plate")] = 0.0
    """Density of the plate behind the title (lower third)."""
    plate_colour: Annotated[Colour, Field(title="Plate colour")] = (0.0, 0.0, 0.0)
    fade_in: Annotated[int, frames("Fade in")] = 12
    fade_out: Annotated[int, frames("Fade out")] = 12
    slide: Annotated[
        Literal["none", "left", "right", "up", "down"],
        Field(title="Slides"),
        Choices({"none": "not", "left": "left", "right": "right", "up": "up", "down": "down"}),
    ] = "none"
    """Which way the title moves while it fades."""
    layouts: Annotated[tuple[TitleLayout, ...], Field(max_length=12)] = ()


class Sound(Doc):
    """A stretch of a sound file, or of a sound made by the program."""

    id: Id
    name: Name = "Sound"
    asset: AssetRef | None = None
    made: Annotated[str, Field(max_length=40)] = ""
    """name of one of `tones.MADE`"""
    seconds: Annotated[float, Field(gt=0, le=36_000)] = 1.0
    """how long all of it is"""
    track: Annotated[int, Field(title="Track", ge=1, le=8)] = 1
    """Sounds of one track lie in one row."""
    start: Annotated[int, frames("Starts")] = 0
    begin_s: Annotated[float, quantity("Begins at", "s", ge=0, le=36_000)] = 0.0
    """Where in the sound it begins."""
    length: Annotated[int, frames("Heard", 1)] = 1
    loop: Annotated[bool, Field(title="Repeats")] = False
    """Plays the sound again until its end on the strip."""
    gain_db: Annotated[float, quantity("Gain", "dB", ge=-60, le=24)] = 0.0
    """Louder (+) or softer (−); 6 dB is twice as loud in level."""
    fade_in: Annotated[int, frames("Fade in")] = 0
    fade_out: Annotated[int, frames("Fade out")] = 0
    duck_db: Annotated[float, quantity("Duck by", "dB", ge=0, le=40)] = 0.0
    """So much softer while another track is heard (ducking)."""
    beats_s: Annotated[tuple[float, ...], Field(max_length=4000)] = ()
    """beats found in the file, seconds from its beginning"""


class Marker(Doc):
    """A place to snap to; a chapter of delivered files."""

    id: Id
    name: Name = "Marker"
    frame: Annotated[int, frames("Frame")] = 0


class Cut(Doc):
    """A cut as it is saved."""

    schema_version: Literal[1] = 1
    rate_num: Annotated[int, Field(ge=1, le=240_000)] = 24
    rate_den: Annotated[int, Field(ge=1, le=1001)] = 1
    width: Annotated[int, Field(title="Width", ge=16, le=8192, multiple_of=2)] = 1280
    """Width of the cut, in pixels. Deliveries may be of other shapes."""
    height: Annotated[int, Field(title="Height", ge=16, le=8192, multiple_of=2)] = 720
    """Height of the cut, in pixels."""
    colour: Annotated[Colour, Field(title="Behind and around")] = (0.0, 0.0, 0.0)
    around: Annotated[
        Literal["colour", "blur"], Field(title="Bars"), Choices({"colour": "colour", "blur": "blurred picture"})
    ] = "colour"
    """What fills the bars where a clip does not: the colour, or the picture itself, larger and blurred."""
    clips: Annotated[tuple[Clip, ...], Field(max_length=MOST_CLIPS)] = ()
    titles: Annotated[tuple[Title, ...], Field(max_length=MOST_TITLES)] = ()
    sounds: Annotated[tuple[Sound, ...], Field(max_length=MOST_SOUNDS)] = ()
    markers: Annotated[tuple[Marker, ...], Field(max_length=MOST_MARKERS)] = ()
    loudness: Annotated[
        Literal["as it is", "-14 LUFS", "-23 LUFS"],
        Field(title="Loudness"),
        Choices({"-14 LUFS": "−14 LUFS, networks", "-23 LUFS": "−23 LUFS, broadcast", "as it is": "as it is"}),
    ] = "-14 LUFS"
    """What sounds are brought to: −14 LUFS for networks, −23 LUFS for broadcast."""
    peak_dbtp: Annotated[float, quantity("True peak at most", "dBTP", ge=-12, le=0)] = -1.0
    """No sample between samples is louder: −1 dBTP is safe for every encoder."""

    @property
    def take_ids(self) -> list[str]:
        """Ids of the takes that it shows, in order."""
        return list(dict.fromkeys(c.take_id for c in self.clips if c.take_id))

    @property
    def rate(self) -> FrameRate:
        """Frames a second."""
        return FrameRate(self.rate_num, self.rate_den)

    @model_validator(mode="after")
    def _is_sound(self) -> "Cut":
        self.sound()
        return self

    def sound(self) -> None:
        """Raises ValueError with a sentence when something in it does not fit together."""
        for what in (self.clips, self.titles, self.sounds, self.markers):
            if len({x.id for x in what}) < len(what):
                raise ValueError("Two things in the cut have the same id.")
        clips = {c.id for c in self.clips}
        for title in self.titles:
            if title.clip_id and title.clip_id not in clips:
                raise ValueError(f"‘{title.text or title.kind}’ is attached to a clip that is not in the cut.")
