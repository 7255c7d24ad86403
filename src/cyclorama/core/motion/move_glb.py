"""A camera and its move as a GLB file: an animated node with a camera, and the disc, a pose for every frame (glTF 2.0,
sections 3.10 and 3.11). Zooms and shifted lenses are beyond what glTF says; the lens is that of the first frame."""

from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from ..geometry.glb import glb_bytes, one_side
from ..scene import Project
from .frames import FrameRate
from .poses import poses_at

F32 = NDArray[np.float32]
_LETTERS = {1: "SCALAR", 3: "VEC3", 4: "VEC4"}


def move_glb(project: Project, half_height: float, aspect: float) -> bytes:
    """The open shot's camera as a file. half_height: tangent of half its vertical field of view; aspect: width over
    height."""
    shot, rate = project.shot, FrameRate.of(project)
    frames = np.arange(shot.frames, dtype=float)
    poses = poses_at(project, shot, frames)
    turns = one_side(scipy.spatial.transform.Rotation.from_matrix(poses.cameras[:, :3, :3]).as_quat())
    about_y = np.radians(poses.disc_deg)[:, None] * np.eye(3)[1]
    disc = one_side(scipy.spatial.transform.Rotation.from_rotvec(about_y).as_quat())
    tracks = [(0, "translation", poses.cameras[:, :3, 3]), (0, "rotation", turns), (1, "rotation", disc)]
    columns = [frames / float(rate.fraction), *(values for _, _, values in tracks)]
    binary, views, accessors = _packed([np.asarray(c, "<f4").reshape(len(frames), -1) for c in columns])
    lens = {"yfov": 2 * float(np.arctan(half_height)), "aspectRatio": aspect, "znear": 0.001}
    document: dict[str, Any] = {
        "asset": {"version": "2.0", "generator": "Cyclorama"},
        "scene": 0,
        "scenes": [{"nodes": [0, 1]}],
        "nodes": [
            {
                "name": project.camera.name,
                "camera": 0,
                "translation": _list(poses.cameras[0, :3, 3]),
                "rotation": _list(turns[0]),
            },
            {"name": "Disc", "rotation": _list(disc[0])},
        ],
        "cameras": [{"name": project.camera.name, "type": "perspective", "perspective": lens}],
        "animations": [
            {
                "name": shot.name,
                "samplers": [{"input": 0, "output": i + 1, "interpolation": "LINEAR"} for i in range(len(tracks))],
                "channels": [
                    {"sampler": i, "target": {"node": node, "path": what}} for i, (node, what, _) in enumerate(tracks)
                ],
            }
        ],
        "accessors": accessors,
        "bufferViews": views,
        "buffers": [{"byteLength": len(binary)}],
    }
    return glb_bytes(document, binary)


def _packed(columns: list[F32]) -> tuple[bytes, list[dict[str, Any]], list[dict[str, Any]]]:
    """Columns (n, k) one after the other, with their views and accessors."""
    binary, views, accessors = b"", [], []
    for column in columns:
        data = np.ascontiguousarray(column, "<f4").tobytes()
        views.append({"buffer": 0, "byteOffset": len(binary), "byteLength": len(data)})
        kind = _LETTERS[column.shape[1]]
        accessors.append(
            {
                "bufferView": len(views) - 1,
                "componentType": 5126,
                "count": len(column),
                "type": kind,
                "min": _list(column.min(axis=0)),
                "max": _list(column.max(axis=0)),
            }
        )
        binary += data
    return binary, views, accessors


def _list(values: NDArray[np.floating]) -> list[float]:
    return [float(v) for v in values]
