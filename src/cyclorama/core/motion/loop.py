"""Loop doctor: gaps between the end of a shot and its beginning, and how to close them."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..scene import Channel, Project, Shot, place_of, with_worn_colourway
from ..scene.shot import CAMERA, DISC, Fix
from ..scene.writing import derive
from .animation import closes, rounds
from .attachments import carriers_at
from .camera_rig import rotations, stand_of
from .curve import values_at
from .frames import FrameRate
from .rows import travels, turned_deg
from .segments import SEGMENTS, moves, turns_about, turns_of

F64 = NDArray[np.float64]
NEAR, LATE = 1e-9, 0.8
"""Of turns, metres and so on, as good as nothing; share of a shot after which a last key leaves no time to go back."""
FIX_TITLES: dict[Fix, str] = {
    "whole turns": "Make whole turns",
    "whole rounds": "Play whole rounds",
    "even speed": "Go at even speed",
    "back again": "Come back again",
    "end at start": "Go on to the first key",
    "drop last": "Drop the doubled end",
    "blend": "Blend the end into the start",
}
SEAM_TIMES = 6.0
"""A step over the seam that is so many times as large as those beside it is seen as a jump."""


@dataclass(frozen=True, slots=True)
class LoopGap:
    """Something that does not stand at the end of a shot where it began, or does not go on as it ends."""

    what: str
    """what it is, in words"""
    where: str
    """path of the row, the channel or the item"""
    unit: str
    jump: float
    """from the frame after the last to the first"""
    speed: float
    """how much faster or slower it goes on, in units a frame"""
    fixes: tuple[Fix, ...]


def moves_nothing(shot: Shot) -> bool:
    """True when everything holds still, but for what plays an animation of its own."""
    keyed = any(len({key.value for key in c.keys}) > 1 or _custom(c) for c in shot.channels)
    return not keyed and not any(moves(segment) for row in shot.rows for segment in row.segments)


def rows_close(project: Project, shot: Shot) -> bool:
    """True when all that travels and all that is keyed stands at the end where it began."""
    return not any(gap.jump for gap in (*_row_gaps(project, shot), *_channel_gaps(shot)))


def loops(project: Project, shot: Shot) -> bool:
    """True when everything stands at the end of a shot where it began."""
    return rows_close(project, shot) and not any(gap.jump for gap in _animation_gaps(project, shot))


def gaps(project: Project, shot: Shot) -> list[LoopGap]:
    """All that does not close in a shot, or comes to rest or changes its pace at the seam."""
    return [*_row_gaps(project, shot), *_channel_gaps(shot), *_animation_gaps(project, shot)]


def _paces(channel: Channel) -> bool:
    """True when it says how far along a path a ride is."""
    return channel.path.endswith("/along_pct")


def _custom(channel: Channel) -> bool:
    return len(channel.keys) > 1 and any(key.goes == "custom" for key in channel.keys)


def _row_gaps(project: Project, shot: Shot) -> Iterator[LoopGap]:
    for row in shot.rows:
        where, name = f"shots/{shot.id}/rows/{row.id}", _called(project, row.id)
        total = sum(turns_of(s) for s in row.segments)
        part = total - round(total)
        eased = [s for s in row.segments if turns_about(s) and (s.ease_in or s.ease_out)]
        swing_deg = max((SEGMENTS[s.kind].top_swing_deg(s) for s in eased), default=0.0)
        if abs(part) > NEAR:
            yield LoopGap(f"{name} ends turned", where, "°", 360.0 * abs(part), 0.0, ("whole turns",))
        elif eased and (total or swing_deg):
            even = max(abs(total) * 360.0, swing_deg) / shot.frames
            yield LoopGap(f"{name} comes to rest at the seam", where, "°", 0.0, even, ("even speed",))
    yield from _camera_gaps(project, shot)


def _camera_gaps(project: Project, shot: Shot) -> Iterator[LoopGap]:
    """Gaps of the camera's row besides its turn."""
    row = next((row for row in shot.rows if row.id == CAMERA), None)
    if row is None or not any(moves(s) and not turns_about(s) for s in row.segments):
        return
    free = derive(shot, channels=tuple(c for c in shot.channels if _paces(c)))
    ends = np.array([0.0, shot.frames])
    stand = stand_of(project, free, carriers_at(project, free, ends))
    turned = turned_deg(free, CAMERA, ends)
    m = stand.matrices(2)
    back = rotations(turned[0] - turned[1], 1, 1)[0]  # the turn is told apart
    aim = np.broadcast_to(stand.aim, (2, 3))[0]
    at = aim + back @ (m[1, :3, 3] - aim)
    where = f"shots/{shot.id}/rows/{CAMERA}"
    if (far := float(np.linalg.norm(at - m[0, :3, 3]))) > NEAR * max(1.0, float(np.abs(m[:, :3, 3]).max())):
        yield LoopGap("The camera stands elsewhere at the end", where, "m", far, 0.0, ("back again",))
    cosine = (np.trace(m[0, :3, :3].T @ back @ m[1, :3, :3]) - 1.0) / 2.0
    if (angle := float(np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0))))) > 1e-5:
        yield LoopGap("The camera looks elsewhere at the end", where, "°", angle, 0.0, ("back again",))
    focal = np.broadcast_to(stand.values["focal_mm"], 2)
    if abs(by := float(focal[1] - focal[0])) > NEAR * focal[0]:
        yield LoopGap("The focal length is another at the end", where, "mm", abs(by), 0.0, ("back again",))


def _channel_gaps(shot: Shot) -> Iterator[LoopGap]:
    for channel in shot.channels:
        if _paces(channel):  # its effect on the camera is looked at with the row
            continue
        place = place_of(channel.path)
        times = np.array([0.0, 1e-3, shot.frames - 1e-3, shot.frames])
        first, after, before, last = values_at(channel, times, shot.frames)
        size = max(float(np.abs([key.value for key in channel.keys]).max()), 1e-30)
        unit = place.unit
        jump = _apart(last, first, unit)
        speed = float(np.abs((after - first) - (last - before)).max()) * 1e3
        where = f"shots/{shot.id}/channels/{channel.id}"
        end, same = channel.keys[-1].frame, channel.keys[0].value == channel.keys[-1].value
        if jump > NEAR * size:
            # to go on to the first key takes time, which there is none of where the last one is late
            late = end > LATE * shot.frames and len(channel.keys) > 1
            fixes: tuple[Fix, ...] = ("blend",) if late else ("end at start",)
            fixes = ("drop last",) if shot.frames == end + 1 and same else fixes
            yield LoopGap(place.title, where, unit, jump, speed, fixes)
        elif (step := _seam_step(channel, shot, unit, size)) and place.kind != "switch":
            yield LoopGap(f"{place.title} jumps from the last frame to the first", where, unit, step, speed, ("blend",))
        elif same and end == shot.frames and len(channel.keys) > 2 and channel.keys[-2].goes == "smooth":
            yield LoopGap(f"{place.title} comes to rest at the seam", where, unit, 0.0, speed, ("drop last",))


def _apart(a: F64, b: F64, unit: str) -> float:
    """Difference of two values (k,); of angles the shorter way round."""
    apart = float(np.abs(a - b).max())
    return min(apart % 360.0, -apart % 360.0) if unit == "°" else apart


def _seam_step(channel: Channel, shot: Shot, unit: str, size: float) -> float:
    """The step of a value from the last frame to the first of the next round, where it is many times those beside it:
    it ends at its beginning, and is seen to jump. 0 where it goes on as evenly as it went."""
    if shot.frames < 4 or channel.keys[-1].goes == "hold":
        return 0.0
    second_last, last, again, second = values_at(
        channel, np.array([shot.frames - 2.0, shot.frames - 1.0, shot.frames, 1.0]), shot.frames
    )
    step = _apart(last, again, unit)
    beside = max(_apart(second_last, last, unit), _apart(again, second, unit))
    return step if step > max(SEAM_TIMES * beside, 1e-3 * size) else 0.0


def _animation_gaps(project: Project, shot: Shot) -> Iterator[LoopGap]:
    rate = FrameRate.of(project)
    for item in (with_worn_colourway(x, shot) for x in project.items if x.on):
        if not closes(item, shot, rate):
            left = rounds(item, shot, rate) % 1.0
            yield LoopGap(
                f"‘{item.name}’ is in the middle of its animation",
                f"items/{item.id}",
                "rounds",
                min(left, 1.0 - left) or 1.0,
                0.0,
                ("whole rounds",),
            )


def _called(project: Project, traveller: str) -> str:
    if traveller in (CAMERA, DISC):
        return f"The {traveller}"
    item = project.item(traveller)
    return f"‘{item.name}’" if item else traveller


def plain(shot: Shot) -> bool:
    """True when all that travels goes on beyond the ends of the shot as it does within."""
    segments = [s for row in shot.rows for s in row.segments]
    return not any(s.ease_in or s.ease_out or (moves(s) and not turns_about(s)) for s in segments) and all(
        len(row.segments) == 1 for row in shot.rows if travels(shot, row.id)
    )
