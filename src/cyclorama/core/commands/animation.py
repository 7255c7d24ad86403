"""Performs changes of shots and of what happens in them: moves, keys, rates."""

from collections.abc import Callable
from typing import Any

from ..errors import ChangeError
from ..framing import View, best_place, fit_subject, travel_of
from ..geometry.measure import placed_hull
from ..motion import FrameRate
from ..motion.timecode import frames_of
from ..scene import Piece, Project, Row, Segment, apply_set, inserted, put, put_all
from ..scene.base import new_id
from ..scene.changes import (
    AddCamera,
    AddPath,
    AddPoint,
    AddShot,
    AddStretch,
    ApplyMove,
    BendPoint,
    CloseGap,
    CopyKeys,
    DrawPath,
    HoldEnds,
    Reframe,
    RemoveKey,
    ScaleKeys,
    SetKey,
    SetLength,
    SetRate,
    SetValue,
    ShiftKeys,
    SpeedCurve,
    StretchKeys,
    ThenPlay,
    Travel,
    UseMove,
)
from ..scene.shot import CAMERA, DISC
from .keys import keyed, known_place, repeated, scaled, shifted, shown, stretched, unkeyed
from .lists import copied
from .moves import fixed, is_named_by_move, with_held_ends, with_ready_move, with_stretch
from .paths import with_bend, with_drawn, with_pace, with_path, with_point
from .rates import with_rate
from .saved_moves import with_move
from .tools import Tools


def _travel(project: Project, change: Travel, _: Tools) -> tuple[Project, str]:
    """The open shot's row is one segment; others in it are left out."""
    shot = project.shot
    was = shot.travelling.segments[0] if shot.travelling else Segment(id="segment-1")
    kind = change.move
    segment = Segment(id=was.id, kind=kind, turns=was.turns)
    others = tuple(row for row in shot.rows if row.id not in (CAMERA, DISC))
    rows = (Row(id=DISC if kind == "spin" else CAMERA, segments=(segment,)), *others)
    values: dict[str, object] = {"shot/rows": rows}
    if is_named_by_move(shot.name):
        values["shot/name"] = kind.capitalize()
    return put_all(project, values), "Set move"


def _rate(project: Project, change: SetRate, _: Tools) -> tuple[Project, str]:
    return with_rate(project, change.num, change.den, change.keep == "seconds"), f"Rate, {change.keep} kept"


def _length(project: Project, change: SetLength, _: Tools) -> tuple[Project, str]:
    frames = frames_of(change.timecode, FrameRate.of(project))
    return apply_set(project, SetValue(path=change.path, value=frames)), f"Set {_named(change.path)}"


def _reframe(project: Project, change: Reframe, tools: Tools) -> tuple[Project, str]:
    kind = next((f for f in project.shot.formats if f.id == change.format), None)
    if kind is None:
        raise ChangeError("That format is not there any more.")
    item, measures = tools.item(project, None)
    hull = placed_hull(measures, item.placement)
    across, up = best_place(project, kind, travel_of(project, View.of(project), hull))
    at = f"shots/{project.shot.id}/formats/{kind.id}"
    kept = tuple(c for c in project.shot.channels if not c.path.startswith(f"{at}/"))
    values = {"shot/channels": kept, f"{at}/across": round(across, 4), f"{at}/up": round(up, 4)}
    return put_all(project, values), f"Reframe {kind.name}"


def _add_shot(project: Project, _: AddShot, tools: Tools) -> tuple[Project, str]:
    after, name = copied(project, "shot", tools.measures_of)
    number = [s.id for s in project.shots].index(project.shot_id)
    return put(after, "shot_id", after.shots[number + 1].id), f"Add a shot like {name}"


def _add_camera(project: Project, change: AddCamera, tools: Tools) -> tuple[Project, str]:
    after, name = copied(project, "camera", tools.measures_of)
    shot, old = project.shot, f"cameras/{project.shot.camera_id}/"
    number = [c.id for c in project.cameras].index(shot.camera_id)
    new = after.cameras[number + 1].id
    frame = shot.first_frame if change.frame is None else change.frame
    seen = {
        f"cameras/{new}/{channel.path.removeprefix(old)}": shown(project, channel.path, frame)
        for channel in shot.channels if channel.path.startswith(old)
    }  # fmt: skip
    return put_all(after, {**seen, "shot/camera_id": new}), f"Add a camera like {name}"


def _key(project: Project, change: SetKey, _: Tools) -> tuple[Project, str]:
    return keyed(project, change.path, change.frame, change.value), f"Key {_named(change.path)} in frame {change.frame}"


def _unkey(project: Project, change: RemoveKey, _: Tools) -> tuple[Project, str]:
    which = "all keys" if change.frame is None else f"the key in frame {change.frame}"
    return unkeyed(project, change.path, change.frame), f"Take away {which} of {_named(change.path)}"


def _shift_keys(project: Project, change: ShiftKeys, _: Tools) -> tuple[Project, str]:
    return shifted(project, change.path, change.frames, change.by), f"Move keys of {_named(change.path)}"


def _copy_keys(project: Project, change: CopyKeys, _: Tools) -> tuple[Project, str]:
    return repeated(project, change.path, change.frames, change.by), f"Copy keys of {_named(change.path)}"


def _stretch_keys(project: Project, change: StretchKeys, _: Tools) -> tuple[Project, str]:
    after = stretched(project, change.path, change.frames, change.about, change.factor)
    return after, f"Stretch keys of {_named(change.path)}"


def _scale_keys(project: Project, change: ScaleKeys, _: Tools) -> tuple[Project, str]:
    after = scaled(project, change.path, change.frames, change.about, change.factor)
    return after, f"Scale keys of {_named(change.path)}"


def _add_stretch(project: Project, change: AddStretch, _: Tools) -> tuple[Project, str]:
    return with_stretch(project, change.move, change.traveller), f"Add a {change.move.replace('_', ' ')}"


def _hold_ends(project: Project, change: HoldEnds, _: Tools) -> tuple[Project, str]:
    return with_held_ends(project, change.before, change.after), "Hold the ends"


def _draw_path(project: Project, change: DrawPath, _: Tools) -> tuple[Project, str]:
    return with_drawn(project, list(change.points), change.closed), "Draw a path"


def _add_point(project: Project, change: AddPoint, _: Tools) -> tuple[Project, str]:
    return with_point(project, change.path, change.at), "Add a point to a path"


def _bend_point(project: Project, change: BendPoint, _: Tools) -> tuple[Project, str]:
    how = {"smooth": "without handles", "even": "with handles", "free": "with a corner"}[change.bends]
    return with_bend(project, change.path, change.point, change.bends), f"Path {how}"


def _speed_curve(project: Project, change: SpeedCurve, _: Tools) -> tuple[Project, str]:
    return with_pace(project, change.segment), "Speed curve of a ride"


def _then_play(project: Project, change: ThenPlay, tools: Tools) -> tuple[Project, str]:
    item, _ = tools.item(project, None)
    name = next((a.name for a in item.animations if a.id == change.animation), None)
    if name is None:
        raise ChangeError("The subject has no such animation.")
    piece = Piece(id=new_id("piece"), animation=change.animation)
    return inserted(project, "subject/play/then", piece), f"Then play {name}"


def _add_path(project: Project, change: AddPath, _: Tools) -> tuple[Project, str]:
    return with_path(project, change.shape), f"Add a {change.shape}"


def _apply_move(project: Project, change: ApplyMove, tools: Tools) -> tuple[Project, str]:
    """Fitted to the subject where there is one and its distance counts."""
    after, label = with_ready_move(project, change.move), f"Move: {change.move}"
    subject = after.subject
    measures = None if subject is None else tools.measures_of(subject)
    if subject is None or measures is None or any(s.kind == "ride" for r in after.shot.rows for s in r.segments):
        return after, label
    return fit_subject(after, placed_hull(measures, subject.placement)), label


def _use_move(project: Project, change: UseMove, _: Tools) -> tuple[Project, str]:
    return with_move(project, change.move), f"Move: {change.move.name}"


def _close_gap(project: Project, change: CloseGap, _: Tools) -> tuple[Project, str]:
    return fixed(project, change.where, change.fix), f"Close: {change.fix}"


def _named(path: str) -> str:
    title = known_place(path).title
    return title[0].lower() + title[1:]


TIMED: dict[type, Callable[[Project, Any, Tools], tuple[Project, str]]] = {
    SetRate: _rate, SetLength: _length, Reframe: _reframe, AddShot: _add_shot, AddCamera: _add_camera, Travel: _travel,
    SetKey: _key, RemoveKey: _unkey,
    ShiftKeys: _shift_keys, CopyKeys: _copy_keys, StretchKeys: _stretch_keys, ScaleKeys: _scale_keys,
    AddStretch: _add_stretch, AddPath: _add_path, ThenPlay: _then_play,
    HoldEnds: _hold_ends, DrawPath: _draw_path, AddPoint: _add_point, BendPoint: _bend_point, SpeedCurve: _speed_curve,
    ApplyMove: _apply_move, UseMove: _use_move, CloseGap: _close_gap,
}  # fmt: skip
