"""How an item's own animation runs during a shot."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..scene import Item, Shot
from .frames import FrameRate


@dataclass(frozen=True, slots=True)
class Playing:
    """An animation while the shutter is open, in its own seconds that go on round after round."""

    number: int
    """which of the model's animations"""
    length_s: float
    once: bool
    opens_s: float
    closes_s: float

    def times(self, count: int) -> NDArray[np.float64]:
        """Where it stands (count,) at even times while the shutter is open."""
        return self._standing(np.linspace(self.opens_s, self.closes_s, count))

    @property
    def span_s(self) -> tuple[float, float]:
        """From where to where it runs; the end may lie in the next round."""
        first, last = self.times(2)
        return float(first), float(last if last >= first else last + self.length_s)

    def _standing(self, seconds: NDArray[np.float64]) -> NDArray[np.float64]:
        if self.length_s <= 0:
            return np.zeros(len(seconds))
        return np.asarray(np.clip(seconds, 0.0, self.length_s) if self.once else seconds % self.length_s)


def rounds(item: Item | None, shot: Shot, rate: FrameRate) -> float:
    """How often the animation is played from the first frame to the frame after the last; 0 without one."""
    if item is None or item.playing is None or item.playing[1].seconds <= 0:
        return 0.0
    exact = float(rate.seconds(shot.frames)) * item.play.speed / item.playing[1].seconds
    return float(max(1, round(exact))) if item.play.repeat == "whole" else exact


def animation_s(item: Item | None, shot: Shot, rate: FrameRate, frames: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where the animation stands (n,) at frames (n,) counted from the first, also between frames."""
    turns = rounds(item, shot, rate)
    if not turns or item is None or item.playing is None:
        return np.zeros(len(frames))
    length = item.playing[1].seconds
    passed = _passed(item, shot, turns, length, frames)
    return np.asarray(length * (np.clip(passed, 0.0, 1.0) if item.play.repeat == "once" else passed % 1.0))


def playing_of(item: Item, shot: Shot, rate: FrameRate, opens: float, closes: float) -> Playing | None:
    """What an item plays between two times, in frames counted from the first; None when it plays nothing."""
    if item.playing is None:
        return None
    number, animation = item.playing
    turns, length = rounds(item, shot, rate), animation.seconds
    if not turns:
        return Playing(number, length, True, 0.0, 0.0)
    first, last = length * _passed(item, shot, turns, length, np.array([opens, closes]))
    return Playing(number, length, item.play.repeat == "once", float(first), float(last))


def closes(item: Item | None, shot: Shot, rate: FrameRate) -> bool:
    """Whether the animation stands at the end of the shot where it began."""
    turns = rounds(item, shot, rate)
    if item is None or item.play.repeat == "once":
        return turns == 0
    return abs(turns - round(turns)) < 1e-9


def _passed(
    item: Item, shot: Shot, turns: float, length: float, frames: NDArray[np.float64]
) -> NDArray[np.float64]:  # fmt: skip
    # the product is formed before the division, so that whole rounds are exact
    return np.asarray(frames * turns / shot.frames + item.play.start_s / length)
