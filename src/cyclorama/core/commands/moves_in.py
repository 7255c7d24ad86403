"""A camera move of a file as keys of the open shot's camera."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..arrays import Mat4s
from ..errors import ChangeError
from ..geometry.read.gltf_moves import FileMove
from ..motion import aim_point
from ..motion.camera_rig import STAND
from ..scene import Aim, Channel, Key, Project, place_of, put_all
from ..scene.base import new_id
from ..scene.camera import NEAREST_M
from ..scene.shot import CAMERA, DISC

F64 = NDArray[np.float64]
STEEPEST_DEG = 89.0
SAME = 1e-9


def with_camera_move(project: Project, move: FileMove) -> Project:
    """The open shot with a camera that stands in every frame where a file's does, with its field of view: keyed by
    what it looks at, from where, and how it leans; what camera and disc did goes.

    Raises ChangeError when it stands where no camera of the studio can.
    """
    shot, camera = project.shot, project.camera
    values = _stands(move.places, aim_point(camera.aim, project))
    at = f"cameras/{camera.id}/"
    kept = tuple(c for c in shot.channels if c.path.removeprefix(at) not in (*STAND, "aim/x_m", "aim/y_m", "aim/z_m"))
    rest: dict[str, Any] = {at + "aim": Aim(), "shot/channels": kept}
    rest |= {at + name: 0.0 for name in ("rise_m", "pan_deg", "tilt_deg")}
    long_side = move.half_height * max(shot.shoot.width / shot.shoot.height, 1.0)
    rest[at + "focal_mm"] = _within(at + "focal_mm", camera.sensor_mm / 2 / long_side)
    channels = []
    for name, column in values.items():
        rest[at + name] = _within(at + name, float(column[0]))
        if np.ptp(column) > SAME * max(1.0, float(np.abs(column).max())):
            channels.append(_channel(at + name, column, move.frames_each))
    rows = tuple(row for row in shot.rows if row.id not in (CAMERA, DISC))
    frames = 1 if len(move.places) == 1 else (len(move.places) - 1) * move.frames_each + 1
    rest |= {"shot/rows": rows, "shot/frames": frames, "shot/channels": (*kept, *channels)}
    return put_all(project, rest)


def _stands(places: Mat4s, aim: F64) -> dict[str, F64]:
    """Values (n,) of the camera's stand by their names: it looks at what lies straight ahead, as far as the aim is."""
    eye, back = places[:, :3, 3], places[:, :3, 2]
    far = np.maximum(np.einsum("ni,ni->n", eye - aim, back), NEAREST_M)
    target = eye - back * far[:, None]
    elevation = np.degrees(np.arcsin(np.clip(back[:, 1], -1.0, 1.0)))
    if np.abs(elevation).max() > STEEPEST_DEG:
        raise ChangeError("That camera looks straight up or down; here it may lean over by 89° at most.")
    azimuth = np.unwrap(np.arctan2(back[:, 0], back[:, 2]))
    right = np.stack([np.cos(azimuth), np.zeros_like(azimuth), -np.sin(azimuth)], axis=1)
    upright = np.cross(back, right)
    roll = np.unwrap(
        np.arctan2(np.einsum("ni,ni->n", places[:, :3, 0], upright), np.einsum("ni,ni->n", places[:, :3, 0], right))
    )
    return {
        "azimuth_deg": np.degrees(azimuth),
        "elevation_deg": elevation,
        "distance_m": far,
        "roll_deg": np.degrees(roll),
        "aim/x_m": target[:, 0],
        "aim/y_m": target[:, 1],
        "aim/z_m": target[:, 2],
    }


def _channel(path: str, column: F64, each: int) -> Channel:
    keys = tuple(
        Key(id=f"key-{i + 1}", frame=i * each, value=(_within(path, float(v)),), goes="linear")
        for i, v in enumerate(column)
    )
    return Channel(id=new_id("channel"), path=path, keys=keys)


def _within(path: str, value: float) -> float:
    """Raises ChangeError when a value is beyond what its place takes."""
    place = place_of(path)
    if not (place.least is None or value >= place.least) or not (place.most is None or value <= place.most):
        raise ChangeError(f"{place.title} of that camera, {value:.4g}, is beyond what the studio takes.")
    return value
