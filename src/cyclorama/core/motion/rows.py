"""Turn of each traveller about its axis: rows of segments, one after the other."""

import numpy as np
from numpy.typing import NDArray

from ..scene import Row, Segment, Shot
from .easing import ease
from .segments import SEGMENTS, turns_about, turns_of

F64 = NDArray[np.float64]


def turned_deg(shot: Shot, traveller: str, frames: F64) -> F64:
    """Degrees (n,) that a traveller has turned by frames (n,) counted from the first, also between and beyond them.

    Frame i of a segment of N that is not eased stands at turns · i · 360 / N; the product is formed before the
    division, so that angles that are whole degrees are exact. What is before the first and after the last segment goes
    on as they do, or stands where they are eased.
    """
    row = row_of(shot, traveller)
    if row is None:
        return np.zeros(len(frames))
    lengths = lengths_of(row, shot.frames)
    ends = np.cumsum(lengths)
    which = np.minimum(np.searchsorted(ends, frames, side="right"), len(lengths) - 1)
    turns = np.array([turns_of(segment) for segment in row.segments])
    before, begins = np.cumsum(turns * 360.0) - turns * 360.0, ends - lengths
    out = np.asarray(before[which] + turns[which] * ((frames - begins[which]) * 360.0) / lengths[which])
    for i, s in enumerate(row.segments):
        swing, eased = SEGMENTS[s.kind].swing_deg, bool(s.ease_in or s.ease_out)
        if swing is None and not (turns[i] and eased):
            continue
        here = which == i
        u = (frames[here] - begins[i]) / lengths[i]
        done = ease(u, s.ease_in, s.ease_out) if eased else u
        out[here] = before[i] + (turns[i] * 360.0 * done if swing is None else swing(s, done))
    return out


def travels(shot: Shot, traveller: str) -> bool:
    """True when a traveller turns in a shot at all."""
    row = row_of(shot, traveller)
    return row is not None and any(turns_about(segment) for segment in row.segments)


def most_turned_deg(shot: Shot, shutter_deg: float) -> float:
    """The most degrees that anything turns about its axis while a shutter of an angle is open."""
    found = [0.0]
    for row in shot.rows:
        lengths = lengths_of(row, shot.frames)
        found += [shutter_deg * _most_turns(s) / n * _top_speed(s) for s, n in zip(row.segments, lengths, strict=True)]
    return float(max(found))


def row_of(shot: Shot, traveller: str) -> Row | None:
    """The row of a traveller, None where it has none."""
    return next((row for row in shot.rows if row.id == traveller), None)


def lengths_of(row: Row, frames: int) -> F64:
    """Frames of each segment; those without a length share what the others leave, at least one each."""
    told = sum(s.frames for s in row.segments if s.frames is not None)
    open_ended = sum(s.frames is None for s in row.segments)
    share = max((frames - told) / open_ended, 1.0) if open_ended else 0.0
    return np.array([share if s.frames is None else s.frames for s in row.segments], float)


def _most_turns(segment: Segment) -> float:
    """Turns in all of its length, if it went on as where it turns fastest."""
    return max(abs(turns_of(segment)), SEGMENTS[segment.kind].top_swing_deg(segment) / 360.0)


def _top_speed(segment: Segment) -> float:
    return 1.0 / (1.0 - 0.5 * (segment.ease_in + segment.ease_out))
