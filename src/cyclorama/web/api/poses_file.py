"""Poses of the open shot as a file for other programs."""

import csv
import io
import json
from collections.abc import Iterator

import numpy as np
import scipy

from ...core.framing import Projection
from ...core.motion import FrameRate, poses_at
from ...core.motion.move_glb import move_glb
from ...core.scene import Project

COLUMNS = (
    "frame",
    "seconds",
    "x_m",
    "y_m",
    "z_m",
    "qx",
    "qy",
    "qz",
    "qw",
    "focal_mm",
    "half_width",
    "half_height",
    "disc_deg",
)
"""Frame number; seconds since the first; place of the camera, Y up; rotation camera → studio as a unit quaternion, the
camera looking along −Z; focal length for a long side of 36 mm; half extents of the picture at a distance of 1; how far
the disc has turned."""
AT_ONCE = 4096


def poses_csv(project: Project) -> Iterator[str]:
    """CSV (RFC 4180) of COLUMNS, one line a frame of the open shot."""
    shot, rate, camera = project.shot, FrameRate.of(project), project.camera
    yield _line(COLUMNS)
    for first in range(0, shot.frames, AT_ONCE):
        frames = np.arange(first, min(first + AT_ONCE, shot.frames), dtype=float)
        poses = poses_at(project, shot, frames)
        turns = scipy.spatial.transform.Rotation.from_matrix(poses.cameras[:, :3, :3]).as_quat()
        lens = Projection.over(camera, poses.focal_mm, shot.shoot.width, shot.shoot.height)
        half_w, half_h = (np.broadcast_to(np.ravel(x), len(frames)) for x in (lens.half_w, lens.half_h))
        for i, since in enumerate(frames):
            place = poses.cameras[i, :3, 3]
            values = (*place, *turns[i], poses.focal_mm[i], half_w[i], half_h[i], poses.disc_deg[i])
            seconds = float(since / rate.fraction)
            yield _line((int(since) + shot.first_frame, f"{seconds:.9g}", *(f"{float(v):.9g}" for v in values)))


def poses_json(project: Project) -> Iterator[str]:
    """The same as JSON: the rate as a fraction, the size, names of the columns, and a list a frame."""
    shoot = project.shot.shoot
    head = {
        "project": project.name,
        "shot": project.shot.name,
        "camera": project.camera.name,
        "rate": [project.rate_num, project.rate_den],
        "size": [shoot.width, shoot.height],
        "columns": COLUMNS,
    }
    yield json.dumps(head)[:-1] + ', "frames": ['
    rows = poses_csv(project)
    next(rows)
    for i, row in enumerate(rows):
        yield ("," if i else "") + f"\n[{row.strip()}]"
    yield "\n]}\n"


def camera_glb(project: Project) -> bytes:
    """Camera and move as glTF."""
    shoot = project.shot.shoot
    focal_mm = poses_at(project, project.shot, np.zeros(1)).focal_mm
    lens = Projection.over(project.camera, focal_mm, shoot.width, shoot.height)
    return move_glb(project, float(lens.half_h), shoot.width / shoot.height)


def _line(values: tuple[object, ...]) -> str:
    buffer = io.StringIO()
    csv.writer(buffer).writerow(values)
    return buffer.getvalue()
