"""Loaded once by the process that children for foreign files come from: all that these need, kernels too.

Kernels that are compiled are loaded from disk when they are first called; called here, they are there in every child,
which could not write to the cache itself.
"""

import importlib
import io
import json
import logging
import pkgutil
import struct

import numpy as np
from PIL import Image

from ..core import geometry, lettering
from ..core.cut import sound
from ..core.errors import CycloramaError
from ..core.geometry.detail import DetailRequest
from ..core.geometry.intake import take_in
from ..core.picture import inspect_upload
from ..core.scene import Detail
from ..store import archive, bundle
from . import intake_children

LOADED = (archive, bundle, inspect_upload, intake_children, lettering, sound)
LARGE = ("usd", "step", "collada", "threemf")
"""Beginnings of the names of readers whose libraries are loaded when they are needed."""
_OBJ = b"mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvn 0 0 1\nusemtl m\nf 1/1/1 2/1/1 3/1/1 4/1/1\n"
_PLY = b"ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"  # noqa: E501


def stl() -> bytes:
    """A triangle as binary STL."""
    facet = np.zeros(1, [("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
    facet["corners"] = [[0, 0, 0], [1, 0, 0], [0, 1, 0]]
    return bytes(80) + np.uint32(1).tobytes() + facet.tobytes()


def glb() -> bytes:
    """A triangle as binary glTF 2.0."""
    binary = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes()
    document = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "buffers": [{"byteLength": len(binary)}],
        "bufferViews": [{"buffer": 0, "byteLength": len(binary)}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
    }
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<I4s", len(text), b"JSON") + text + struct.pack("<I4s", len(binary), b"BIN\0") + binary
    return struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks


def load() -> None:
    """Import all that works on meshes, bring a small model of each text format in, and set a letter."""
    for module in pkgutil.walk_packages(geometry.__path__, f"{geometry.__name__}."):
        if not module.name.rpartition(".")[2].startswith(LARGE):
            importlib.import_module(module.name)
    picture = io.BytesIO()
    Image.new("RGB", (2, 2)).save(picture, "PNG")
    material = b"newmtl m\nmap_Kd a.png\n"
    obj = {"a.obj": _OBJ, "a.mtl": material, "a.png": picture.getvalue()}
    for files in (obj, {"a.ply": _PLY}, {"a.stl": stl()}, {"a.glb": glb()}):
        take_in(files)
    take_in({"a.stl": stl()}, wanted=DetailRequest(Detail(lighten=True), off=0.001))
    take_in(obj, wanted=DetailRequest(Detail(smooth="all"), off=0.1))
    lettering.set_line("Ag", "grotesque", 400, 0.0, None)


try:
    load()
except (CycloramaError, OSError):  # then every child loads for itself
    logging.getLogger(__name__).exception("Readers could not be loaded ahead")
