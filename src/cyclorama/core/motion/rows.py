"""How far each traveller has turned: rows of segments, one stretch after the other."""

import numpy as np
from numpy.typing import NDArray

from ..scene import Row, Segment, Shot

F64 = NDArray[np.float64]


def turned_deg(shot: Shot, traveller: str, frames: F64) -> F64:
    """Degrees (n,) that a traveller has turned by frames (n,) counted from the first, also between and beyond them.

    Frame i of a segment of N stands at turns · i · 360 / N; the product is formed before the division, so that angles
    that are whole degrees are exact. What is before the first and after the last segment goes on as they do.
    """
    row = _row(shot, traveller)
    if row is None:
        return np.zeros(len(frames))
    lengths = _lengths(row, shot.frames)
    ends = np.cumsum(lengths)
    which = np.minimum(np.searchsorted(ends, frames, side="right"), len(lengths) - 1)
    turns = np.array([_turns(segment) for segment in row.segments])
    before, begins = np.cumsum(turns * 360.0) - turns * 360.0, ends - lengths
    return np.asarray(before[which] + turns[which] * ((frames - begins[which]) * 360.0) / lengths[which])


def travels(shot: Shot, traveller: str) -> bool:
    """Whether a traveller turns in a shot at all."""
    row = _row(shot, traveller)
    return row is not None and any(_turns(segment) for segment in row.segments)


def whole_turns(shot: Shot) -> bool:
    """Whether everything that turns stands at the end of the shot where it began."""
    return all(abs(total - round(total)) < 1e-9 for total in (sum(map(_turns, row.segments)) for row in shot.rows))


def moves_nothing(shot: Shot) -> bool:
    """Whether everything holds still, but for what plays an animation of its own."""
    return not any(_turns(segment) for row in shot.rows for segment in row.segments)


def most_turned_deg(shot: Shot, shutter_deg: float) -> float:
    """The most degrees that anything turns while a shutter of an angle is open."""
    found = [0.0]
    for row in shot.rows:
        lengths = _lengths(row, shot.frames)
        found += [shutter_deg * abs(_turns(s)) / n for s, n in zip(row.segments, lengths, strict=True)]
    return float(max(found))


def _row(shot: Shot, traveller: str) -> Row | None:
    return next((row for row in shot.rows if row.id == traveller), None)


def _turns(segment: Segment) -> float:
    return 0.0 if segment.kind == "hold" else segment.turns


def _lengths(row: Row, frames: int) -> F64:
    """Frames of each segment; those without a length share what the others leave, at least one each."""
    told = sum(s.frames for s in row.segments if s.frames is not None)
    open_ended = sum(s.frames is None for s in row.segments)
    share = max((frames - told) / open_ended, 1.0) if open_ended else 0.0
    return np.array([share if s.frames is None else s.frames for s in row.segments], float)
