"""Frames and time, rows of segments, poses, and the moments that everything is made and judged from."""

from .aiming import aim_point, box_of, middle_of, stand_height_m
from .evaluate import Moment, camera_ev100, loops, moment, moment_of_first, moments_over, shown_ev100, shutter_steps
from .frames import FrameRate, looked_at
from .play import Playing, animation_s, closes, rounds
from .poses import STILL, Poses, carriage_of, focus_distance_m, poses_at, turned
from .rows import most_turned_deg, moves_nothing, travels, turned_deg, whole_turns

__all__ = [
    "STILL",
    "FrameRate",
    "Moment",
    "Playing",
    "Poses",
    "aim_point",
    "animation_s",
    "box_of",
    "camera_ev100",
    "carriage_of",
    "closes",
    "focus_distance_m",
    "looked_at",
    "loops",
    "middle_of",
    "moment",
    "moment_of_first",
    "moments_over",
    "most_turned_deg",
    "moves_nothing",
    "poses_at",
    "rounds",
    "shown_ev100",
    "shutter_steps",
    "stand_height_m",
    "travels",
    "turned",
    "turned_deg",
    "whole_turns",
]
