"""Camera moves of glTF files: where an animated camera stands, at even times (glTF 2.0, sections 3.10 and 3.11)."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from ...arrays import Mat4s
from ...errors import CycloramaError, IntakeError
from .formats import model_in
from .gltf import split
from .gltf_file import GltfFile
from .gltf_rig import RigReader
from .names import label

MOST_TIMES = 2000


@dataclass(frozen=True, slots=True)
class FileMove:
    """A camera of a file at n times."""

    name: str
    places: Mat4s
    """camera → file (n, 4, 4), without scale; it looks along −z"""
    half_height: float
    """tangent of half the vertical field of view"""
    frames_each: int
    """from one of these times to the next"""


def read_camera_move(files: dict[str, Path], fps: float) -> FileMove:
    """The first camera of a .glb or .gltf that moves, or else the first, at every frame, or of a long move some.

    Raises IntakeError with a sentence when there is none, or the file cannot be read.
    """
    name, format, bundle = model_in({name: path.read_bytes() for name, path in files.items()})
    if format.title not in ("GLB", "glTF"):
        raise IntakeError(f"Camera moves come as GLB or glTF; ‘{name}’ is something else.")
    data = bundle.all()[name]
    try:
        document, chunk = split(name, data)
        return _move(document, RigReader(GltfFile(name, document, chunk, bundle)), name, fps)
    except CycloramaError:
        raise
    except (ValueError, KeyError, IndexError, TypeError, AttributeError, OverflowError) as error:
        raise IntakeError(f"‘{name}’ is damaged: its cameras cannot be read. Export it again.") from error


def _move(document: dict[str, Any], rig: RigReader, name: str, fps: float) -> FileMove:
    nodes, cameras = document.get("nodes", []), document.get("cameras", [])
    found = [
        (place, nodes[node])
        for place, (node, _) in enumerate(rig.standing())
        if "camera" in nodes[node] and cameras[nodes[node]["camera"]].get("perspective")
    ]
    if not found:
        raise IntakeError(f"There is no camera with perspective in ‘{name}’.")
    for place, node in found:
        for at, length in rig.journeys(place):
            return _sampled(at, length, node, cameras, fps)
    place, node = found[0]
    still = rig.standing()[place][1]
    return _sampled(lambda seconds: still, 0.0, node, cameras, fps)


def _sampled(
    at: Callable[[float], np.ndarray], length: float, node: dict[str, Any], cameras: list[dict[str, Any]], fps: float
) -> FileMove:
    entry = cameras[node["camera"]]
    angle = float(entry["perspective"]["yfov"])
    if not 0 < angle < math.pi:
        raise ValueError("yfov")
    frames = max(1, round(length * fps) + 1)
    each = -(-frames // MOST_TIMES)
    places = np.array([_rigid(at(min(n / fps, length))) for n in range(0, frames, each)])
    if not np.isfinite(places).all():
        raise ValueError("places")
    name = label(node.get("name") or entry.get("name"), "Camera")
    return FileMove(name, places, math.tan(angle / 2), each)


def _rigid(matrix: np.ndarray) -> np.ndarray:
    """The nearest matrix without scale and shear."""
    u, _, v = np.linalg.svd(matrix[:3, :3])
    out = np.eye(4)
    out[:3, :3] = u @ np.diag([1.0, 1.0, np.linalg.det(u @ v)]) @ v
    out[:3, 3] = matrix[:3, 3]
    return out
