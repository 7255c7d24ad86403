"""Shots: their move, rate, length, formats and animation."""

from typing import Annotated, Literal

from pydantic import Field

from ..errors import ChangeError
from ..framing import View, best_place, travel_of
from ..geometry.measure import placed_hull
from ..motion import FrameRate
from ..motion.timecode import frames_of
from ..scene import AnimationPiece, Doc, Project, Row, Segment, insert_item, put, put_all
from ..scene.base import Id, new_id
from ..scene.shot import CAMERA, DISC, MoveKind
from .base import ValuePath, performs
from .keys import value_title
from .lists import with_copy
from .moves import is_named_by_move
from .rates import with_rate
from .tools import Tools
from .values import SetValue, apply_set


class Travel(Doc):
    """Set the move of the open shot: the camera orbits, the disc spins, or everything holds still."""

    kind: Literal["travel"] = "travel"
    move: MoveKind


@performs(Travel)
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


class SetRate(Doc):
    """Another frame rate for the whole project; shots keep their seconds, or their frames."""

    kind: Literal["rate"] = "rate"
    num: Annotated[int, Field(ge=1, le=240_000)]
    den: Annotated[int, Field(ge=1, le=1001)] = 1
    keep: Literal["seconds", "frames"] = "seconds"


@performs(SetRate)
def _rate(project: Project, change: SetRate, _: Tools) -> tuple[Project, str]:
    return with_rate(project, change.num, change.den, change.keep == "seconds"), f"Rate, {change.keep} kept"


class SetLength(Doc):
    """A number of frames at a place, told as timecode."""

    kind: Literal["length"] = "length"
    path: ValuePath
    timecode: Annotated[str, Field(max_length=40)]


@performs(SetLength)
def _length(project: Project, change: SetLength, _: Tools) -> tuple[Project, str]:
    frames = frames_of(change.timecode, FrameRate.of(project))
    return apply_set(project, SetValue(path=change.path, value=frames)), f"Set {value_title(change.path)}"


class Reframe(Doc):
    """Move a format of the open shot to the place with the largest margins over all frames; its keys are removed."""

    kind: Literal["reframe"] = "reframe"
    format: Id


@performs(Reframe)
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


class AddShot(Doc):
    """Another shot like the open one, which is opened."""

    kind: Literal["add_shot"] = "add_shot"


@performs(AddShot)
def _add_shot(project: Project, _: AddShot, tools: Tools) -> tuple[Project, str]:
    after, name = with_copy(project, "shot", tools.measures_of)
    number = [s.id for s in project.shots].index(project.shot_id)
    return put(after, "shot_id", after.shots[number + 1].id), f"Add a shot like {name}"


class ThenPlay(Doc):
    """One more piece of an animation at the end of what the subject plays."""

    kind: Literal["then_play"] = "then_play"
    animation: Id


@performs(ThenPlay)
def _then_play(project: Project, change: ThenPlay, tools: Tools) -> tuple[Project, str]:
    item, _ = tools.item(project, None)
    name = next((a.name for a in item.animations if a.id == change.animation), None)
    if name is None:
        raise ChangeError("The subject has no such animation.")
    piece = AnimationPiece(id=new_id("piece"), animation=change.animation)
    return insert_item(project, "subject/play/then", piece), f"Then play {name}"
