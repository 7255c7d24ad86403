"""Frames and time, moves, poses per frame, loop arithmetic."""

from .frames import FrameRate, frame_angles_deg
from .poses import Pose, Poses, aim_point, focus_distance_m, pose_project, shutter_poses, shutter_steps

__all__ = [
    "FrameRate",
    "Pose",
    "Poses",
    "aim_point",
    "focus_distance_m",
    "frame_angles_deg",
    "pose_project",
    "shutter_poses",
    "shutter_steps",
]
