"""Scene extras of glTF: cameras (glTF 2.0, 3.10) and lights (KHR_lights_punctual)."""

import math
from typing import Any

import numpy as np

from ...arrays import Mat4
from ...scene.came_with import FileCamera, FileLight
from ...scene.light import MOST_POWER
from .gltf_rig import RigReader
from .model import FileModel
from .names import label

_SHAPES = {"directional": ("sun", "lx"), "point": ("sphere", "cd"), "spot": ("spot", "cd")}


def read_around(document: dict[str, Any], rig: RigReader, model: FileModel) -> None:
    """Add the cameras and lights of the scene as they stand at rest."""
    nodes = document.get("nodes", [])
    cameras = document.get("cameras", [])
    lights = document.get("extensions", {}).get("KHR_lights_punctual", {}).get("lights", [])
    if not cameras and not lights:  # where every node stands need not be known then
        return
    flat = 0
    for node, matrix in rig.standing():
        entry = nodes[node]
        if "camera" in entry:
            camera = _camera(cameras[entry["camera"]], entry.get("name"), matrix, len(model.cameras) + 1)
            flat += camera is None
            model.cameras += [camera] if camera else []
        light = entry.get("extensions", {}).get("KHR_lights_punctual", {}).get("light")
        if light is not None:
            model.lights.append(_light(lights[light], entry.get("name"), matrix, len(model.lights) + 1))
    if flat:
        model.notes.append("Cameras without perspective are left out.")


def _camera(entry: dict[str, Any], name: str | None, matrix: Mat4, number: int) -> FileCamera | None:
    angle = entry.get("perspective", {}).get("yfov")
    if not angle or not 0 < angle < math.pi:
        return None
    return FileCamera(
        id=f"camera-{number}",
        name=label(name or entry.get("name"), f"Camera {number}"),
        at=tuple(matrix[:3, 3]),
        towards=along(matrix),
        half_height=min(math.tan(angle / 2), 100.0),
    )


def _light(entry: dict[str, Any], name: str | None, matrix: Mat4, number: int) -> FileLight:
    shape, unit = _SHAPES.get(entry.get("type", "point"), _SHAPES["point"])
    colour = np.array(entry.get("color", (1, 1, 1)), float).clip(0, None)
    brightest = max(float(colour.max()), 1e-9)
    power = max(float(entry.get("intensity", 1.0)), 0.0) * brightest
    cone: dict[str, float] = {}
    if shape == "spot":
        outer = float(entry.get("spot", {}).get("outerConeAngle", math.pi / 4))
        inner = float(entry.get("spot", {}).get("innerConeAngle", 0.0))
        cone["cone_deg"] = min(max(math.degrees(2 * outer), 1.0), 170.0)
        cone["edge"] = min(max(1 - inner / max(outer, 1e-6), 0.0), 1.0)
    return FileLight(
        id=f"light-{number}",
        name=label(name or entry.get("name"), f"Light {number}"),
        shape=shape,  # type: ignore[arg-type]
        power_unit=unit,  # type: ignore[arg-type]
        power=min(power, MOST_POWER),
        at=tuple(matrix[:3, 3]),
        towards=along(matrix),
        colour=tuple((colour / brightest).tolist()),
        **cone,
    )


def along(matrix: Mat4) -> tuple[float, float, float]:
    """Where something looks that looks along its own −z; down where its matrix has no such direction."""
    back = matrix[:3, 2]
    length = float(np.linalg.norm(back))
    if not 1e-12 < length < math.inf:
        return 0.0, -1.0, 0.0
    x, y, z = (-back / length).tolist()
    return x, y, z
