"""Where camera, subject and lights stand in every frame of a move."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arrays import Mat4, Mat4s, Vec3
from ..scene import Camera, Move, Project
from .frames import frame_angles_deg
from .play import animation_s, rounds


@dataclass(frozen=True, slots=True)
class Pose:
    """One frame: matrices to studio space and how far light rig and environment have travelled."""

    frame: int
    camera: NDArray[np.float64]
    """(4, 4) camera → studio, the camera looks along −z"""
    subject_deg: float
    """turn of subject and disc about the axis"""
    lights_deg: float
    environment_deg: float
    animation_s: float
    """where the subject's own animation stands"""


@dataclass(frozen=True, slots=True)
class Poses:
    """All frames of a move; row i is frame first_frame + i."""

    first_frame: int
    cameras: Mat4s
    subject_deg: NDArray[np.float64]
    lights_deg: NDArray[np.float64]
    environment_deg: NDArray[np.float64]
    animation_s: NDArray[np.float64]

    def __len__(self) -> int:
        return len(self.cameras)

    def at(self, frame: int) -> Pose:
        """The pose of a frame number; a loop goes on before its first and after its last frame."""
        i = (frame - self.first_frame) % len(self)
        return Pose(
            frame,
            self.cameras[i],
            float(self.subject_deg[i]),
            float(self.lights_deg[i]),
            float(self.environment_deg[i]),
            float(self.animation_s[i]),
        )


def turned(angles_deg: NDArray[np.float64]) -> Mat4s:
    """Rotations (k, 4, 4) about the axis of the turn."""
    a = np.radians(angles_deg)
    m = np.tile(np.eye(4), (len(a), 1, 1))
    m[:, 0, 0] = m[:, 2, 2] = np.cos(a)
    m[:, 0, 2], m[:, 2, 0] = np.sin(a), -np.sin(a)
    return m


def aim_point(camera: Camera) -> Vec3:
    """What the camera looks at and travels around."""
    return np.array([0.0, camera.target_height_m, 0.0])


def focus_distance_m(point: Vec3, camera: Mat4) -> float:
    """Distance of a point in front of a camera (4, 4), along its axis."""
    return float((camera[:3, 3] - point) @ camera[:3, 2])


def camera_matrices(azimuth_deg: NDArray[np.float64], camera: Camera) -> Mat4s:
    """Cameras (n, 4, 4) at these azimuths (n,), looking at the aim point from the camera's distance."""
    a, e = np.radians(azimuth_deg), np.radians(camera.elevation_deg)
    sin_a, cos_a, zero = np.sin(a), np.cos(a), np.zeros_like(a)
    back = np.stack([sin_a * np.cos(e), zero + np.sin(e), cos_a * np.cos(e)], axis=1)
    right = np.stack([cos_a, zero, -sin_a], axis=1)
    up = np.cross(back, right)
    m = np.zeros((len(a), 4, 4))
    m[:, :3, 0], m[:, :3, 1], m[:, :3, 2] = right, up, back
    m[:, :3, 3] = aim_point(camera) + back * camera.distance_m
    m[:, 3, 3] = 1.0
    return m


def _poses(project: Project, turn: NDArray[np.float64], frames: NDArray[np.float64]) -> Poses:
    """Poses for the angles (n,) that have been turned by frames (n,) since the first."""
    move, camera = project.move, project.camera
    still = np.zeros(len(turn))
    camera_turn = turn if move.kind == "orbit" else still
    subject_turn = turn if move.kind == "spin" else still
    travelled = {"set": still, "camera": camera_turn, "subject": subject_turn}
    return Poses(
        first_frame=move.first_frame,
        cameras=camera_matrices(move.start_azimuth_deg + camera_turn, camera),
        subject_deg=subject_turn,
        lights_deg=travelled[move.lights_travel_with],
        environment_deg=travelled[project.environment.travels_with],
        animation_s=animation_s(project, frames),
    )


def _sign(move: Move) -> int:
    return 1 if move.direction == "counter-clockwise" else -1


def pose_project(project: Project) -> Poses:
    """The poses of the project's move through its current camera."""
    move = project.move
    turn = np.zeros(move.frames) if move.kind == "hold" else frame_angles_deg(move.frames, 0.0, _sign(move))
    return _poses(project, turn, np.arange(move.frames, dtype=float))


def shutter_poses(project: Project, frame: int, count: int) -> Poses:
    """`count` poses at even times while the shutter is open, which is centred on the frame."""
    move = project.move
    times = frame - move.first_frame + np.linspace(-0.5, 0.5, count) * project.camera.shutter_deg / 360.0
    turn = np.zeros(count) if move.kind == "hold" else _sign(move) * times * 360.0 / move.frames
    return _poses(project, turn, times)


def shutter_steps(project: Project) -> int:
    """How many poses describe the movement while the shutter is open: one a degree, one if nothing moves."""
    if project.camera.shutter_deg <= 0:
        return 1
    if project.move.kind == "hold":
        return 2 if rounds(project) else 1  # the camera stands, but samples need a time for the subject that bends
    return min(2 + int(project.camera.shutter_deg / project.move.frames), 33)
