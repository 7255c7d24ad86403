"""Animation of items during a shot: pieces one after the other, blended where they meet."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..geometry.skeleton import AnimationState
from ..scene import AnimationPiece, Item, Shot
from .frames import FrameRate

F64 = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class AnimationSequence:
    """All that an item plays, from its beginning to its end, at the speed of the file."""

    spans: tuple["_Span", ...]
    length_s: float
    once: bool

    def acting(self, seconds: float) -> AnimationState:
        """Animation state at a time of the sequence, which loops or stands at its ends."""
        if self.length_s <= 0:
            return self.spans[0].acting(0.0)
        at = min(max(seconds, 0.0), self.length_s) if self.once else seconds % self.length_s
        which = max(i for i, span in enumerate(self.spans) if span.begins_s <= at)
        span, past = self.spans[which], at - self.spans[which].begins_s
        if past >= span.blends_s:
            return span.acting(past)
        share = past / span.blends_s
        share = share * share * (3.0 - 2.0 * share)
        before = self.spans[which - 1]  # of the first the last, in the round before
        ended = before.acting((at if which else at + self.length_s) - before.begins_s, 1.0 - share)
        return ended + span.acting(past, share)


@dataclass(frozen=True, slots=True)
class _Span:
    """A piece within a programme."""

    number: int
    """which of the model's animations"""
    from_s: float
    to_s: float
    """from where to where in its animation; the end comes first where it runs backwards"""
    speed: float
    times: float
    begins_s: float
    """in the programme"""
    blends_s: float
    """how long, from its beginning, it is blended with the one before"""

    def acting(self, past_s: float, share: float = 1.0) -> AnimationState:
        way = abs(self.to_s - self.from_s)
        done = past_s * self.speed
        if done >= way * self.times:
            done = way * (self.times - math.ceil(self.times) + 1.0)
        elif done > way:
            done %= way
        return ((self.number, self.from_s + math.copysign(done, self.to_s - self.from_s), share),)


def programme_of(item: Item) -> AnimationSequence | None:
    """All that an item plays; None when it plays nothing."""
    if item.playing is None:
        return None
    pieces = (item.play.first, *item.play.then)
    numbers = {a.id: i for i, a in enumerate(item.animations)}
    once, spans, end = item.play.repeat == "once", list[_Span](), 0.0
    ways = [_way(piece, item.animations[numbers[piece.animation]].seconds) for piece in pieces]
    lasting = [abs(to - from_) * p.times / p.speed for p, (from_, to) in zip(pieces, ways, strict=True)]
    for i, (piece, (from_s, to_s)) in enumerate(zip(pieces, ways, strict=True)):
        blends = 0.0 if once and i == 0 else min(piece.blend_s, 0.5 * lasting[i], 0.5 * lasting[i - 1])
        begins = end - blends if i else 0.0
        spans.append(_Span(numbers[piece.animation], from_s, to_s, piece.speed, piece.times, begins, blends))
        end = begins + lasting[i]
    return AnimationSequence(tuple(spans), end - spans[0].blends_s, once)


def _way(piece: AnimationPiece, seconds: float) -> tuple[float, float]:
    """From where to where in its animation a piece goes, s."""
    out = seconds if piece.to_s is None else min(piece.to_s, seconds)
    way = min(piece.from_s, out), out
    return way[::-1] if piece.reverse else way


@dataclass(frozen=True, slots=True)
class Playing:
    """A programme while the shutter is open, in its own seconds that go on round after round."""

    programme: AnimationSequence
    opens_s: float
    closes_s: float

    @property
    def stopped(self) -> "Playing":
        """The same as it is in the middle, while the shutter is open for no time."""
        middle = 0.5 * (self.opens_s + self.closes_s)
        return Playing(self.programme, middle, middle)

    def acting(self, count: int) -> tuple[AnimationState, ...]:
        """Animation states at even times while the shutter is open."""
        return tuple(self.programme.acting(float(t)) for t in np.linspace(self.opens_s, self.closes_s, count))


def rounds(item: Item | None, shot: Shot, rate: FrameRate) -> float:
    """Number of times a sequence is played from the first frame to the frame after the last; 0 without one."""
    programme = None if item is None else programme_of(item)
    if item is None or programme is None or programme.length_s <= 0:
        return 0.0
    exact = float(rate.seconds(shot.frames)) * item.play.speed / programme.length_s
    return float(max(1, round(exact))) if item.play.repeat == "whole" else exact


def acting_at(item: Item, shot: Shot, rate: FrameRate, frames: F64) -> list[AnimationState]:
    """Animation state of an item at frames (n,) counted from the first, also between frames; empty without one."""
    programme = programme_of(item)
    if programme is None:
        return [()] * len(frames)
    passed = _passed(item, shot, rounds(item, shot, rate), programme.length_s, frames)
    return [programme.acting(float(t)) for t in passed]


def playing_of(item: Item, shot: Shot, rate: FrameRate, opens: float, closes: float) -> Playing | None:
    """Animation of an item between two times, in frames counted from the first; None without one."""
    programme = programme_of(item)
    if programme is None:
        return None
    times = np.array([opens, closes])
    first, last = _passed(item, shot, rounds(item, shot, rate), programme.length_s, times)
    return Playing(programme, float(first), float(last))


def closes(item: Item | None, shot: Shot, rate: FrameRate) -> bool:
    """True when the programme stands at the end of the shot where it began."""
    turns = rounds(item, shot, rate)
    if item is None or item.play.repeat == "once":
        return turns == 0
    return abs(turns - round(turns)) < 1e-9


def _passed(item: Item, shot: Shot, turns: float, length: float, frames: F64) -> F64:
    """Seconds (n,) of the programme at frames (n,); the product is formed before the division, so that whole rounds
    are exact."""
    if not turns:
        return np.zeros(len(frames))
    return np.asarray(length * (frames * turns / shot.frames + item.play.start_s / length))
