"""Frames and time, moves, poses per frame, loop arithmetic."""

from .frames import FrameRate, frame_angles_deg
from .play import animation_s, closes, rounds
from .poses import Pose, Poses, aim_point, focus_distance_m, pose_project, shutter_poses, shutter_steps, turned

__all__ = [
    "FrameRate",
    "Pose",
    "Poses",
    "aim_point",
    "animation_s",
    "closes",
    "focus_distance_m",
    "frame_angles_deg",
    "pose_project",
    "rounds",
    "shutter_poses",
    "shutter_steps",
    "turned",
]
