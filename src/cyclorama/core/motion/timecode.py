"""Timecode: numbers of frames as hours, minutes, seconds and frames (SMPTE ST 12-1).

At 29.97 and 59.94 frames a second timecode runs ahead of the clock. With drop-frame the first numbers of every minute
but each tenth are left out (2 of 30, 4 of 60), so that it keeps with it; frames are never left out. Drop-frame is
written with a semicolon before the frames.
"""

import re

from ..errors import ChangeError
from .frames import FrameRate

_CODE = re.compile(r"^\s*(?:(?:(\d{1,2}):)?(\d{1,2}):)?(\d{1,2})([:;])(\d{1,2})\s*$")


def drops(rate: FrameRate) -> int:
    """Numbers left out per minute at a drop-frame rate, 0 where none are."""
    nominal = round(rate.fraction)
    return nominal // 15 if rate.den == 1001 and nominal in (30, 60) else 0


def timecode(frames: int, rate: FrameRate) -> str:
    """A number of frames, counted from 0, as timecode; with drop-frame where the rate has it."""
    nominal, dropped = round(rate.fraction), drops(rate)
    if dropped:
        minute, ten = nominal * 60 - dropped, nominal * 600 - 9 * dropped
        tens, rest = divmod(frames, ten)
        frames += 9 * dropped * tens + (dropped * ((rest - dropped) // minute) if rest > dropped else 0)
    seconds, last = divmod(frames, nominal)
    minutes, s = divmod(seconds, 60)
    hours, m = divmod(minutes, 60)
    return f"{hours:02}:{m:02}:{s:02}{';' if dropped else ':'}{last:02}"


def frames_of(text: str, rate: FrameRate) -> int:
    """The number of frames that a timecode stands for: `00:00:08:12`, shorter ones from the right.

    Raises ChangeError with a sentence when it is none, or one that drop-frame leaves out.
    """
    found = _CODE.match(text)
    if found is None:
        raise ChangeError(f"‘{text.strip()[:40]}’ is no timecode; write it like 00:00:08:12.")
    hours, minutes, seconds, last = (int(found[i] or 0) for i in (1, 2, 3, 5))
    nominal, dropped = round(rate.fraction), drops(rate) if found[4] == ";" else 0
    if last >= nominal or (found[2] and seconds > 59) or (found[1] and minutes > 59):
        raise ChangeError(f"There is no ‘{text.strip()}’ at {rate} frames a second.")
    all_minutes = 60 * hours + minutes + seconds // 60
    if dropped and seconds % 60 == 0 and last < dropped and all_minutes % 10:
        raise ChangeError(f"Drop-frame leaves ‘{text.strip()}’ out; the next is {dropped:02}.")
    return (3600 * hours + 60 * minutes + seconds) * nominal + last - dropped * (all_minutes - all_minutes // 10)
