"""Segments of a move, and ready moves that are fitted to what is on the set."""

import math
import re
from collections.abc import Callable
from typing import Annotated, Literal, get_args

from pydantic import Field

from ..errors import ChangeError
from ..framing import fit_subject
from ..geometry.copies import shown_hull
from ..motion import gaps
from ..motion.camera_rig import STAND
from ..motion.segments import SEGMENTS, turns_of
from ..scene import Channel, Doc, Key, Project, Row, Segment, put, put_all
from ..scene.base import Id, new_id
from ..scene.shot import CAMERA, DISC, Fix, MoveKind, ReadyMove
from ..scene.writing import revise
from .base import ValuePath, performs
from .keys import with_keys_stretched
from .paths import to_four_digits, with_path
from .tools import Tools

OVERHEAD_DEG = 75.0
BLENDED = 0.75
"""Share of a shot in which what was keyed is done when its end is blended into its beginning."""


def with_segment(project: Project, kind: MoveKind, traveller: str) -> Project:
    """One more segment at the end of a traveller's row in the open shot, as large as suits where the camera stands."""
    shot = project.shot
    path_id = None
    if kind == "ride":
        if not project.paths:
            project = with_path(project, "circle")
        path_id = project.paths[-1].id
    values = {name: to_four_digits(value) for name, value in SEGMENTS[kind].first(project.camera).items()}
    new = revise(Segment(id=new_id("segment"), kind=kind, path_id=path_id), **values)
    row = next((row for row in shot.rows if row.id == traveller), None)
    segments = (*(row.segments if row else ()), new)
    others = tuple(r for r in shot.rows if r.id != traveller)
    return put(project, "shot/rows", (Row(id=traveller, segments=segments), *others))


def with_held_ends(project: Project, before: int, after: int) -> Project:
    """The open shot longer by some frames before and after, in which what travels or is keyed stands. Raises
    ChangeError when it would become too long."""
    shot = project.shot
    rows = tuple(revise(row, segments=_held(row.segments, before, after)) for row in shot.rows)
    channels = tuple(
        revise(c, keys=tuple(revise(k, frame=k.frame + before) for k in c.keys), outside="stand") for c in shot.channels
    )
    frames = shot.frames + before + after
    return put_all(project, {"shot/frames": frames, "shot/rows": rows, "shot/channels": channels})


def _held(segments: tuple[Segment, ...], before: int, after: int) -> tuple[Segment, ...]:
    """With a hold at each end; one that is there already becomes longer."""
    first, last = segments[0], segments[-1]
    if _is_held(segments, first):
        before, segments = before + (first.frames or 0), segments[1:]
    if _is_held(segments, last):
        after, segments = after + (last.frames or 0), segments[:-1]
    ends = [(Segment(id=new_id("segment"), kind="hold", frames=n),) if n else () for n in (before, after)]
    return (*ends[0], *segments, *ends[1])


def _is_held(segments: tuple[Segment, ...], end: Segment) -> bool:
    return end in segments and len(segments) > 1 and end.kind == "hold" and end.frames is not None


def with_ready_move(project: Project, name: ReadyMove) -> Project:
    """The open shot with a ready move of its camera, in place of what camera and disc did and of what was keyed of
    where that stands."""
    if name == "figure-eight ride":
        project = with_path(project, "figure eight")
    segments = _READY[name](project.camera.distance_m)
    if name == "figure-eight ride":
        segments = (revise(segments[0], path_id=project.paths[-1].id),)
    others = tuple(r for r in project.shot.rows if r.id not in (CAMERA, DISC))
    at = f"cameras/{project.camera.id}/"
    left = tuple(c for c in project.shot.channels if c.path.removeprefix(at) not in STAND)
    dropped = (_dropped(project),) if name == "overhead drop" else ()
    values: dict[str, object] = {
        "shot/rows": (Row(id=CAMERA, segments=segments), *others),
        "shot/channels": (*left, *dropped),
    }
    if is_named_by_move(project.shot.name):
        values["shot/name"] = name.capitalize()
    return put_all(project, values)


def _dropped(project: Project) -> Channel:
    """From straight above down to the elevation at which the camera stands, and there it rests."""
    shot, camera = project.shot, project.camera
    end = max(1, round(shot.frames * 0.7))
    keys = ((0, OVERHEAD_DEG), (end, camera.elevation_deg))
    return Channel(
        id=new_id("channel"),
        path=f"cameras/{camera.id}/elevation_deg",
        keys=tuple(Key(id=new_id("key"), frame=n, value=(v,)) for n, v in keys),
    )


def is_named_by_move(name: str) -> bool:
    """True when a shot has the name of its move, perhaps with a number, and was never named by hand."""
    return re.sub(r" \d+$", "", name).lower() in (*get_args(MoveKind), *get_args(ReadyMove))


def with_gap_closed(project: Project, where: str, fix: Fix) -> Project:
    """The open shot with something that does not close mended in a way that is offered for it. Raises ChangeError."""
    shot = project.shot
    gap = next((g for g in gaps(project, shot) if g.where == where and fix in g.fixes), None)
    if gap is None:
        raise ChangeError("That closes already, or cannot be mended in this way.")
    identity = where.rpartition("/")[2]
    if fix == "whole rounds":
        return put(project, f"items/{identity}/play/repeat", "whole")
    if fix == "end at start":
        return put(project, f"shot/channels/{identity}/outside", "repeat")
    if fix == "blend":  # keys are done sooner, and lead back in the time that is left
        channel = next(c for c in shot.channels if c.id == identity)
        frames = [k.frame + shot.first_frame for k in channel.keys]
        span = max(channel.keys[-1].frame - channel.keys[0].frame, 1)
        room = max(1.0, BLENDED * shot.frames - channel.keys[0].frame)
        after = with_keys_stretched(project, channel.path, frames, frames[0], room / span)
        return put(after, f"shots/{shot.id}/channels/{identity}/outside", "repeat")
    if fix == "drop last":
        channel = next(c for c in shot.channels if c.id == identity)
        keys = channel.keys[:-1]
        return put_all(project, {f"shot/channels/{identity}/keys": keys, f"shot/channels/{identity}/outside": "repeat"})
    row = next(r for r in shot.rows if r.id == identity)
    segments = _MENDED[fix](row.segments) if fix != "back again" else _back(row.segments, project.camera.focal_mm)
    return put(project, f"shot/rows/{identity}/segments", segments)


def _even(segments: tuple[Segment, ...]) -> tuple[Segment, ...]:
    return tuple(revise(s, ease_in=0.0, ease_out=0.0) for s in segments)


def _whole(segments: tuple[Segment, ...]) -> tuple[Segment, ...]:
    """The last that turns goes on to the next whole turn of all, at least one."""
    total = sum(turns_of(s) for s in segments)
    wanted = round(total) or math.copysign(1.0, total)
    last = next(s for s in reversed(segments) if turns_of(s))
    more = wanted - total
    change = {"by_deg": last.by_deg + more * 360.0} if last.kind == "arc" else {"turns": last.turns + more}
    return tuple(revise(last, **change) if s is last else s for s in segments)


def _back(segments: tuple[Segment, ...], focal_mm: float) -> tuple[Segment, ...]:
    """All segments once more, the last first and the other way; a zoom goes to where it came from."""
    back = []
    for s in segments:
        back.append(revise(_reverse(s), to_mm=focal_mm))
        focal_mm = s.to_mm if s.kind == "zoom" else focal_mm
    return (*segments, *reversed(back))


def _reverse(s: Segment) -> Segment:
    back = {name: -getattr(s, name) for name in ("turns", "by_deg", "tilt_deg", "by_m")}
    return revise(s, **back, id=new_id("segment"), ease_in=s.ease_out, ease_out=s.ease_in)


_MENDED: dict[str, Callable[[tuple[Segment, ...]], tuple[Segment, ...]]] = {"even speed": _even, "whole turns": _whole}


def _s(kind: MoveKind, n: int, **more: object) -> Segment:
    return Segment(id=f"segment-{n}", kind=kind, **more)  # type: ignore[arg-type]


_EASED = {"ease_in": 0.3, "ease_out": 0.3}
_READY: dict[ReadyMove, Callable[[float], tuple[Segment, ...]]] = {
    "slow turn": lambda far: (_s("orbit", 1, turns=1.0),),
    "hero push": lambda far: (_s("push", 1, by_m=to_four_digits(far * 0.4), **_EASED), _s("hold", 2)),
    "rise and reveal": lambda far: (
        _s("rise", 1, by_m=to_four_digits(far * 0.5), **_EASED),
        _s("arc", 2, by_deg=40, **_EASED),
    ),
    "figure-eight ride": lambda far: (_s("ride", 1),),
    "dolly-zoom": lambda far: (_s("dolly_zoom", 1, by_m=to_four_digits(far * 0.5), **_EASED),),
    "three-quarter arc": lambda far: (_s("arc", 1, by_deg=270, **_EASED), _s("hold", 2)),
    "overhead drop": lambda far: (_s("hold", 1),),
    "swing and settle": lambda far: (
        _s("arc", 1, by_deg=60, **_EASED),
        _s("arc", 2, by_deg=-30, **_EASED),
        _s("arc", 3, by_deg=10, **_EASED),
    ),
}


class ApplyMove(Doc):
    """Let the camera of the open shot do a ready move."""

    kind: Literal["apply_move"] = "apply_move"
    move: ReadyMove


@performs(ApplyMove)
def _apply_move(project: Project, change: ApplyMove, tools: Tools) -> tuple[Project, str]:
    """Fitted to the subject where there is one and its distance counts."""
    after, label = with_ready_move(project, change.move), f"Move: {change.move}"
    subject = after.subject
    measures = None if subject is None else tools.measures_of(subject)
    if subject is None or measures is None or any(s.kind == "ride" for r in after.shot.rows for s in r.segments):
        return after, label
    return fit_subject(after, shown_hull(measures, subject)), label


class CloseGap(Doc):
    """Mend what keeps the open shot from closing."""

    kind: Literal["close_gap"] = "close_gap"
    where: ValuePath
    fix: Fix


@performs(CloseGap)
def _close_gap(project: Project, change: CloseGap, _: Tools) -> tuple[Project, str]:
    return with_gap_closed(project, change.where, change.fix), f"Close: {change.fix}"


class AddSegment(Doc):
    """One more segment at the end of what the camera, the disc or an item does in the open shot."""

    kind: Literal["add_segment"] = "add_segment"
    move: MoveKind
    traveller: Id = CAMERA


@performs(AddSegment)
def _add_segment(project: Project, change: AddSegment, _: Tools) -> tuple[Project, str]:
    return with_segment(project, change.move, change.traveller), f"Add a {change.move.replace('_', ' ')}"


class HoldEnds(Doc):
    """Let everything that travels and is keyed in the open shot stand for some frames before it begins, or after."""

    kind: Literal["hold_ends"] = "hold_ends"
    before: Annotated[int, Field(ge=0, le=10_000)] = 0
    after: Annotated[int, Field(ge=0, le=10_000)] = 0


@performs(HoldEnds)
def _hold_ends(project: Project, change: HoldEnds, _: Tools) -> tuple[Project, str]:
    return with_held_ends(project, change.before, change.after), "Hold the ends"
