"""Kinds of segments: all that is known of what a traveller can do for a while.

Read by rows, camera rig and loop doctor, commands, the Camera card and the browser; see `docs/howto-extend.md`.
"""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kind_fields import KindField
from ..scene import Camera, Segment
from ..scene.camera import NEAREST_M
from ..scene.shot import MoveKind

F64 = NDArray[np.float64]


def _nothing(segment: Segment) -> float:
    return 0.0


def _no_change(segment: Segment, start: Mapping[str, float], done: F64) -> dict[str, F64]:
    return {}


@dataclass(frozen=True, slots=True)
class SegmentKind:
    """A kind of segment."""

    kind: MoveKind
    title: str
    says: str
    """what it does, in a sentence"""
    fields: tuple[KindField, ...]
    figure: str
    """how large one is, for the list of segments: names of fields in braces, `:m` for lengths"""
    moves: Callable[[Segment], bool]
    """true when anything moves while it lasts"""
    first: Callable[[Camera], dict[str, float]] = lambda camera: {}
    """values of a new one, as large as suits where the camera stands"""
    turns: Callable[[Segment], float] = _nothing
    """how often its traveller has gone round its axis in the end"""
    swing_deg: Callable[[Segment, F64], F64] | None = None
    """degrees (k,) about the axis that it has gone out by, at shares (k,) of its way; in the end it has come back"""
    top_swing_deg: Callable[[Segment], float] = _nothing
    """degrees about the axis in all of its length, if it went on as where it goes out fastest"""
    changed: Callable[[Segment, Mapping[str, float], F64], dict[str, F64]] = _no_change
    """values (k,) of the camera's stand at shares (k,) of its way, from those at its start"""
    about_axis: bool = False
    """It only goes about the axis of what the camera aims at, or stands."""
    keeps_distance: bool = False
    """The camera's distance stays one number."""
    keeps_place: bool = False
    """The camera stays where a ride before it has ended."""


def _push(segment: Segment, start: Mapping[str, float], done: F64) -> dict[str, F64]:
    """By the same factor in the same time: so it looks even, however near one comes."""
    return {"distance_m": start["distance_m"] * _nearer(segment, start) ** done}


def _nearer(segment: Segment, start: Mapping[str, float]) -> float:
    return max(start["distance_m"] - segment.by_m, NEAREST_M) / start["distance_m"]


def _dolly_zoom(segment: Segment, start: Mapping[str, float], done: F64) -> dict[str, F64]:
    focal = start["focal_mm"] * _nearer(segment, start) ** done
    return _push(segment, start, done) | {"focal_mm": focal}


def _zoom(segment: Segment, start: Mapping[str, float], done: F64) -> dict[str, F64]:
    return {"focal_mm": start["focal_mm"] * (segment.to_mm / start["focal_mm"]) ** done}


def _evenly(**fields: str) -> Callable[[Segment, Mapping[str, float], F64], dict[str, F64]]:
    """Values of the stand that grow evenly by fields of the segment."""

    def changed(segment: Segment, start: Mapping[str, float], done: F64) -> dict[str, F64]:
        return {value: start[value] + getattr(segment, field) * done for value, field in fields.items()}

    return changed


def _swayed_deg(segment: Segment, done: F64) -> F64:
    """To one side, through the middle, to the other and back: a sine, which neither stops nor jumps where it begins
    anew."""
    return np.asarray(segment.by_deg * np.sin(2 * np.pi * segment.times * done))


_TURNS = KindField("turns", "Turns", "×", 1, 2, "Negative ones are clockwise, seen from above; whole ones close")
_ANGLE = KindField("by_deg", "By", "°", 5, 1)
_WAY = KindField("by_m", "By", "m", 0.05, 3)
_ALL = (
    SegmentKind(
        "orbit",
        "Orbit",
        "The camera travels round the subject; reflections glide.",
        (_TURNS,),
        "{turns} ×",
        lambda s: s.turns != 0.0,
        turns=lambda s: s.turns,
        about_axis=True,
        keeps_distance=True,
    ),
    SegmentKind(
        "spin",
        "Spin",
        "Subject and disc turn; the camera stands.",
        (_TURNS,),
        "{turns} ×",
        lambda s: s.turns != 0.0,
        turns=lambda s: s.turns,
        about_axis=True,
    ),
    SegmentKind(
        "sway",
        "Sway",
        "The camera goes to one side, through the middle to the other, and back, without a stop.",
        (KindField("by_deg", "To each side", "°", 5, 1), KindField("times", "Times", "×", 1, 0)),
        "±{by_deg}°, {times} ×",
        lambda s: s.by_deg != 0.0,
        first=lambda camera: {"by_deg": 20.0},
        swing_deg=_swayed_deg,
        top_swing_deg=lambda s: abs(s.by_deg) * 2 * math.pi * s.times,
        about_axis=True,
        keeps_distance=True,
    ),
    SegmentKind(
        "arc",
        "Arc",
        "The camera goes part of the way round.",
        (_ANGLE,),
        "{by_deg}°",
        lambda s: s.by_deg != 0.0,
        first=lambda camera: {"by_deg": 90.0},
        turns=lambda s: s.by_deg / 360.0,
        about_axis=True,
        keeps_distance=True,
    ),
    SegmentKind(
        "push",
        "Push",
        "The camera comes closer; backwards with a minus.",
        (_WAY,),
        "{by_m:m}",
        lambda s: s.by_m != 0.0,
        first=lambda camera: {"by_m": camera.distance_m * 0.3},
        changed=_push,
    ),
    SegmentKind(
        "rise",
        "Rise",
        "The camera goes up and keeps looking at its aim.",
        (_WAY,),
        "{by_m:m}",
        lambda s: s.by_m != 0.0,
        first=lambda camera: {"by_m": camera.distance_m * 0.3},
        changed=_evenly(rise_m="by_m"),
    ),
    SegmentKind(
        "pan",
        "Pan",
        "The camera turns to the left and up, where it stands.",
        (_ANGLE, KindField("tilt_deg", "Tilt by", "°", 5, 1)),
        "{by_deg}°",
        lambda s: s.by_deg != 0.0 or s.tilt_deg != 0.0,
        first=lambda camera: {"by_deg": 20.0},
        changed=_evenly(pan_deg="by_deg", tilt_deg="tilt_deg"),
        keeps_place=True,
    ),
    SegmentKind(
        "roll",
        "Roll",
        "The camera turns about its own axis, against the clock.",
        (_ANGLE,),
        "{by_deg}°",
        lambda s: s.by_deg != 0.0,
        first=lambda camera: {"by_deg": 10.0},
        changed=_evenly(roll_deg="by_deg"),
        keeps_place=True,
    ),
    SegmentKind(
        "zoom",
        "Zoom",
        "The focal length changes.",
        (KindField("to_mm", "To focal length", "mm", 5, 0),),
        "to {to_mm} mm",
        lambda s: True,
        first=lambda camera: {"to_mm": min(max(camera.focal_mm * 1.4, 8.0), 400.0)},
        changed=_zoom,
        keeps_distance=True,
        keeps_place=True,
    ),
    SegmentKind(
        "dolly_zoom",
        "Dolly zoom",
        "The camera comes closer and zooms out, so that its aim keeps its size.",
        (_WAY,),
        "{by_m:m}",
        lambda s: s.by_m != 0.0,
        first=lambda camera: {"by_m": camera.distance_m * 0.4},
        changed=_dolly_zoom,
    ),
    SegmentKind("ride", "Ride", "The camera goes along a path.", (), "", lambda s: True),
    SegmentKind(
        "hold",
        "Hold",
        "Nothing travels.",
        (),
        "",
        lambda s: False,
        about_axis=True,
        keeps_distance=True,
        keeps_place=True,
    ),
)
SEGMENTS: dict[MoveKind, SegmentKind] = {kind.kind: kind for kind in _ALL}


def turns_of(segment: Segment) -> float:
    """Turns about the axis by which a segment leads in the end."""
    return SEGMENTS[segment.kind].turns(segment)


def turns_about(segment: Segment) -> bool:
    """True when it goes about its axis at all, also there and back."""
    return turns_of(segment) != 0.0 or SEGMENTS[segment.kind].top_swing_deg(segment) != 0.0


def moves(segment: Segment) -> bool:
    """True when anything moves while it lasts."""
    return SEGMENTS[segment.kind].moves(segment)
