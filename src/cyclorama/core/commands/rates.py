"""Frame rates: changing that of a project, with all that is counted in frames."""

from fractions import Fraction
from typing import Any

from ..scene import Channel, Project, Row, Shot, put_all
from ..scene.channel import LATEST
from ..scene.shot import MOST_FRAMES
from ..scene.writing import revise


def with_rate(project: Project, num: int, den: int, keep_seconds: bool) -> Project:
    """The project at another rate, num/den frames a second.

    Where seconds are kept, lengths, segments and keys of all shots are counted anew; keys that come to lie in one
    frame become one, the later. Else everything keeps its frames, and lasts longer or shorter.
    """
    by = Fraction(num, den) / Fraction(project.rate_num, project.rate_den)
    values: dict[str, Any] = {"rate_num": num, "rate_den": den}
    if keep_seconds and by != 1:
        values["shots"] = tuple(_counted(shot, by) for shot in project.shots)
    return put_all(project, values)


def shot_at_rate(shot: Shot, before: tuple[int, int], after: tuple[int, int]) -> Shot:
    """A shot counted in frames of one rate, counted in those of another: it lasts as long."""
    by = Fraction(*after) / Fraction(*before)
    return shot if by == 1 else _counted(shot, by)


def _counted(shot: Shot, by: Fraction) -> Shot:
    shoot = revise(
        shot.shoot,
        **(
            {
                name: None if frame is None else shot.first_frame + _frames(frame - shot.first_frame, by)
                for name, frame in (("from_frame", shot.shoot.from_frame), ("to_frame", shot.shoot.to_frame))
            }
        ),
    )
    return revise(
        shot,
        frames=min(max(1, _frames(shot.frames, by)), MOST_FRAMES),
        shoot=shoot,
        rows=tuple(_row(row, by) for row in shot.rows),
        channels=tuple(_channel(channel, by) for channel in shot.channels),
    )


def _row(row: Row, by: Fraction) -> Row:
    return revise(
        row,
        segments=tuple(
            s if s.frames is None else revise(s, frames=min(max(1, _frames(s.frames, by)), MOST_FRAMES))
            for s in row.segments
        ),
    )


def _channel(channel: Channel, by: Fraction) -> Channel:
    keys = {n: revise(k, frame=n) for k in channel.keys if (n := _frames(k.frame, by)) <= LATEST}
    return revise(channel, keys=tuple(keys.values()) or channel.keys[:1])


def _frames(count: int, by: Fraction) -> int:
    return round(count * by)
