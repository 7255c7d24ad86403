"""Frames and time, rows of segments, poses, and the moments that everything is made and judged from."""

from .aiming import aim_point, box_corners, box_of, middle_of, stand_height_m
from .animation import Playing, acting_at, closes, programme_of, rounds
from .attachments import STILL, Attachments, axis_rotations, carriage_named, carriage_of, carriers_at
from .camera_rig import at_rest
from .curve import values_at
from .evaluate import (
    Moment,
    at_time,
    camera_ev100,
    moment,
    moment_of_first,
    moments_over,
    shown_ev100,
    shutter_steps,
    value_of,
)
from .focus import focus_distance_m, focused_m
from .frames import FrameRate, sampled_frames
from .loop import LoopGap, gaps, loops, moves_nothing, rows_close
from .poses import Poses, poses_at
from .rows import most_turned_deg, travels, turned_deg

__all__ = [
    "STILL",
    "Attachments",
    "FrameRate",
    "LoopGap",
    "Moment",
    "Playing",
    "Poses",
    "acting_at",
    "aim_point",
    "at_rest",
    "at_time",
    "axis_rotations",
    "box_corners",
    "box_of",
    "camera_ev100",
    "carriage_named",
    "carriage_of",
    "carriers_at",
    "closes",
    "focus_distance_m",
    "focused_m",
    "gaps",
    "loops",
    "middle_of",
    "moment",
    "moment_of_first",
    "moments_over",
    "most_turned_deg",
    "moves_nothing",
    "poses_at",
    "programme_of",
    "rounds",
    "rows_close",
    "sampled_frames",
    "shown_ev100",
    "shutter_steps",
    "stand_height_m",
    "travels",
    "turned_deg",
    "value_of",
    "values_at",
]
