"""Timeline: from frames of the cut to frames of takes, by whole numbers and fractions only.

A take of n frames at a rate r is played at a speed v in a cut of rate c: step j of what is played shows frame
⌊j · r·v / c⌋, the one that is on when the frame of the cut begins. So rates that differ are converted by showing frames
for longer or leaving some out, never by mixing them. Beyond its end a take repeats, goes to and fro, or holds.
"""

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from math import ceil

from .document import Clip, Cut, Sound, Title


@dataclass(frozen=True, slots=True)
class Footage:
    """Facts about a take for the timeline."""

    frames: int
    rate: Fraction
    """frames a second"""
    closes: bool = False
    """Its end goes over into its beginning."""

    def lasts(self, rate: Fraction, speed: float = 1.0) -> int:
        """Frames of a cut of a rate that all of it takes."""
        return max(1, ceil(self.frames / _pace(self, rate, speed)))


@dataclass(frozen=True, slots=True)
class Laid:
    """Where a clip lies: frames of the cut, its end the first that it does not show."""

    clip: Clip
    start: int
    end: int
    cross_in: int
    """frames that it shares with the clip before"""
    cross_out: int


@dataclass(frozen=True, slots=True)
class Source:
    """Something that is seen in a frame of the cut."""

    clip: Clip
    number: int | None
    """of the frame of its take, 0 the first; None of pictures and cards"""
    weight: float
    """its share, 0…1, in a cross-fade"""
    fade: float
    """share of its fade colour that lies over it"""


def length_of(clip: Clip) -> int:
    """Frames of the cut that a clip lasts."""
    return clip.hold_before + clip.length + clip.hold_after


def lay_out_cut(cut: Cut) -> tuple[Laid, ...]:
    """Where all clips lie. Cross-fades are as long as there is room for them, none over a gap."""
    found: list[Laid] = []
    at, cross = 0, 0
    for i, clip in enumerate(cut.clips):
        after = cut.clips[i + 1] if i + 1 < len(cut.clips) else None
        start, length = at + clip.gap - cross, length_of(clip)
        out = 0
        if after is not None and after.gap == 0:
            out = min(clip.cross, length - cross, length_of(after))
        found.append(Laid(clip, start, start + length, cross, out))
        at, cross = start + length, out
    return tuple(found)


def total(cut: Cut) -> int:
    """Frames of a cut: up to the end of its last clip."""
    return sum(c.gap + length_of(c) for c in cut.clips) - sum(x.cross_out for x in lay_out_cut(cut))


def clips_at(places: Sequence[Laid], footage: Mapping[str, Footage], rate: Fraction, frame: int) -> list[Source]:
    """Clips on in a frame, one or two that cross; none in a gap and beyond the end."""
    k = bisect_right(places, frame, key=lambda x: x.start) - 1
    found: list[Source] = []
    for here in places[max(0, k - 1) : k + 1]:
        if here.start <= frame < here.end:
            i = frame - here.start
            number = _number(here.clip, footage.get(here.clip.take_id), rate, i)
            found.append(Source(here.clip, number, 1.0, _fade(here, i)))
    if len(found) == 2:
        share = (frame - (found_at := places[k]).start + 1) / (found_at.cross_in + 1)
        found = [_weighted(found[0], 1 - share), _weighted(found[1], share)]
    return found


def _weighted(source: Source, weight: float) -> Source:
    return Source(source.clip, source.number, weight, source.fade)


def _pace(footage: Footage, rate: Fraction, speed: float) -> Fraction:
    return footage.rate * Fraction(str(speed)) / rate


def _number(clip: Clip, footage: Footage | None, rate: Fraction, i: int) -> int | None:
    """The frame of its take that step i of a clip shows."""
    if footage is None:
        return None
    step = clip.begin + min(max(i - clip.hold_before, 0), clip.length - 1)
    return number_at(clip, footage, rate, step)


def number_at(clip: Clip, footage: Footage, rate: Fraction, step: int) -> int:
    """The frame, 0 the first, that a step of a take shows as a clip plays it."""
    n = footage.frames
    number = int(step * _pace(footage, rate, clip.speed))
    if clip.beyond == "repeat":
        number %= n
    elif clip.beyond == "to and fro":
        number %= max(1, 2 * n - 2)
        number = min(number, 2 * n - 2 - number) if n > 1 else 0
    else:
        number = min(number, n - 1)
    return n - 1 - number if clip.reverse else number


def _fade(here: Laid, i: int) -> float:
    """Share of the fade colour in step i: all of it just before the first frame and just after the last."""
    clip, left = here.clip, here.end - here.start - i
    into = 1 - (i + 1) / (clip.fade_in + 1) if i < clip.fade_in else 0.0
    out = 1 - left / (clip.fade_out + 1) if left <= clip.fade_out else 0.0
    return max(into, out)


@dataclass(frozen=True, slots=True)
class Showing:
    """A title in one frame."""

    title: Title
    frame: int
    """counted from its beginning"""
    opacity: float
    slid: float
    """how far it still has to come (−1…0), or has gone (0…1)"""


def titles_at(cut: Cut, places: Sequence[Laid], frame: int) -> list[Showing]:
    """Titles that are seen in a frame, in the order in which they lie over each other."""
    starts = {x.clip.id: x.start for x in places} if any(t.clip_id for t in cut.titles) else {}
    found = []
    for title in cut.titles:
        i = frame - title.start - starts.get(title.clip_id, 0)
        if 0 <= i < title.length:
            into = (i + 1) / (title.fade_in + 1) if i < title.fade_in else 1.0
            left = title.length - i
            out = left / (title.fade_out + 1) if left <= title.fade_out else 1.0
            found.append(Showing(title, i, title.opacity * min(into, out), _eased(1 - out) - _eased(1 - into)))
    return found


def _eased(t: float) -> float:
    return t * t * (3 - 2 * t)


def start_of(thing: Title | Sound, places: Sequence[Laid]) -> int:
    """The frame of the cut in which a title or a sound begins."""
    clip_id = thing.clip_id if isinstance(thing, Title) else ""
    return thing.start + next((x.start for x in places if x.clip.id == clip_id), 0)
