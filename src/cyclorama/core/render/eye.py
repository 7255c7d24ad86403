"""Looking through the camera at one place: what a click on the lens means."""

from dataclasses import dataclass

import numpy as np

from ..arrays import Vec3
from ..motion import pose_project, turned
from ..scene import Project
from .meter import meter_subject
from .scene import SceneCompiler
from .trace import trace_batch
from .tracer import Tracer

WIDTH, POINT_SAMPLES, COLOUR_SAMPLES, PATCH = 640, 16, 64, 4
"""The picture is looked at in this width; a colour is the mean over PATCH pixels to each side."""
SUBJECT_PART = 1
"""From the disc on parts turn with the subject; the sweep, 0, stands."""


@dataclass(frozen=True, slots=True)
class Eye:
    """Answers what changes need to know of the picture; see `sheet.perform.Eye`."""

    compiler: SceneCompiler
    tracer: Tracer

    def meter(self, project: Project) -> float | None:
        """EV100 for the subject over the move, None when it is black or absent."""
        return meter_subject(project, self.compiler, self.tracer)

    def point(self, project: Project, frame: int, x: float, y: float) -> tuple[Vec3, bool] | None:
        """The surface point at (x, y), shares of the picture from the top left; None where nothing is.

        In studio space at rest when it belongs to the subject or its disc (True), else where it stands.
        """
        sharp = _pinhole(project)
        width, height = _size(project)
        scene = self.compiler.compile(sharp, frame, width, height, keep="passes")
        samples = trace_batch(scene, _pixels(x, y, width, height, 0), 0, POINT_SAMPLES, 0)
        met = samples.items["covered"] > 0
        if not met.any():
            return None
        places = samples.first[met]
        nearest = places[np.argmin(samples.items["depth"][met])]
        turns = bool(nearest[10] - 1 >= SUBJECT_PART)
        point = nearest[:3].astype(np.float64)
        if turns:
            back = -pose_project(project).at(frame).subject_deg
            point = turned(np.array([back]))[0, :3, :3] @ point
        return point, turns

    def colour(self, project: Project, frame: int, x: float, y: float) -> Vec3 | None:
        """Mean radiance (3,) in nit around (x, y); None where no surface is."""
        width, height = _size(project)
        scene = self.compiler.compile(project, frame, width, height)
        samples = trace_batch(scene, _pixels(x, y, width, height, PATCH), 0, COLOUR_SAMPLES, 0).items
        if samples["covered"].mean() < 0.5:
            return None
        return np.array([samples[c].mean() for c in "rgb"], np.float64)


def _pinhole(project: Project) -> Project:
    cameras = tuple(
        c.model_copy(update={"f_number": None, "shutter_deg": 0.0}) if c.id == project.camera_id else c
        for c in project.cameras
    )
    return project.model_copy(update={"cameras": cameras})


def _size(project: Project) -> tuple[int, int]:
    return WIDTH, max(1, round(WIDTH * project.shoot.height / project.shoot.width))


def _pixels(x: float, y: float, width: int, height: int, around: int) -> np.ndarray:
    column, row = min(int(x * width), width - 1), min(int(y * height), height - 1)
    columns = np.arange(max(column - around, 0), min(column + around + 1, width))
    rows = np.arange(max(row - around, 0), min(row + around + 1, height))
    return (rows[:, None] * width + columns).ravel().astype(np.int32)
