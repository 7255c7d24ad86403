"""Small GLB files with skins, shapes and animations, written field by field."""

import json
import struct
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from cyclorama.core.geometry.mesh import Mesh

_KIND = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4", 16: "MAT4"}
_TYPE = {"f4": 5126, "u4": 5125, "u2": 5123}


class Glb:
    """Collects what a test wants in the file; `document` may be changed freely before it is written."""

    def __init__(self) -> None:
        self.binary = bytearray()
        self.document: dict[str, Any] = {
            "asset": {"version": "2.0"},
            "nodes": [],
            "meshes": [],
            "bufferViews": [],
            "accessors": [],
            "scenes": [{"nodes": []}],
            "skins": [],
            "animations": [],
        }

    def array(self, values: ArrayLike, dtype: str = "f4") -> int:
        """An accessor with one row an item."""
        data = np.ascontiguousarray(values, f"<{dtype}")
        data = data.reshape(len(data), -1)
        self.binary.extend(b"\0" * (-len(self.binary) % 4))
        view = {"buffer": 0, "byteOffset": len(self.binary), "byteLength": data.nbytes}
        self.binary.extend(data.tobytes())
        self.document["bufferViews"].append(view)
        accessor = {
            "bufferView": len(self.document["bufferViews"]) - 1,
            "componentType": _TYPE[dtype],
            "count": len(data),
            "type": _KIND[data.shape[1]],
        }
        self.document["accessors"].append(accessor)
        return len(self.document["accessors"]) - 1

    def mesh(self, mesh: Mesh, targets: tuple[ArrayLike, ...] = (), **attributes: int) -> int:
        """A mesh of one primitive; `attributes` are accessors by name."""
        primitive: dict[str, Any] = {
            "attributes": {
                "POSITION": self.array(mesh.vertices),
                "NORMAL": self.array(mesh.normals),
                "TEXCOORD_0": self.array(mesh.uvs),
            }
            | attributes,
            "indices": self.array(mesh.triangles.reshape(-1, 1), "u4"),
        }
        if targets:
            primitive["targets"] = [{"POSITION": self.array(t)} for t in targets]
        self.document["meshes"].append({"primitives": [primitive]})
        return len(self.document["meshes"]) - 1

    def node(self, root: bool = True, **fields: Any) -> int:
        self.document["nodes"].append(fields)
        index = len(self.document["nodes"]) - 1
        if root:
            self.document["scenes"][0]["nodes"].append(index)
        return index

    def animation(self, name: str, *channels: tuple[int, str, ArrayLike, ArrayLike]) -> None:
        """Channels of (node, path, times, values); straight from key to key."""
        samplers, entries = [], []
        for node, path, times, values in channels:
            rows = np.asarray(values, float)
            rows = rows.reshape(-1, 1) if path == "weights" else rows
            samplers.append({"input": self.array(times), "output": self.array(rows)})
            entries.append({"sampler": len(samplers) - 1, "target": {"node": node, "path": path}})
        self.document["animations"].append({"name": name, "samplers": samplers, "channels": entries})

    def to_bytes(self) -> bytes:
        """The file."""
        self.binary.extend(b"\0" * (-len(self.binary) % 4))
        document = {**self.document, "buffers": [{"byteLength": len(self.binary)}]}
        text = json.dumps({k: v for k, v in document.items() if v != []}).encode()
        text += b" " * (-len(text) % 4)
        return (
            struct.pack("<4sII", b"glTF", 2, 28 + len(text) + len(self.binary))
            + struct.pack("<I4s", len(text), b"JSON")
            + text
            + struct.pack("<I4s", len(self.binary), b"BIN\0")
            + bytes(self.binary)
        )


def about_y(degrees: ArrayLike) -> np.ndarray:
    """Quaternions (n, 4), x y z w."""
    half = np.radians(np.asarray(degrees, float)) / 2
    zero = np.zeros_like(half)
    return np.stack([zero, np.sin(half), zero, np.cos(half)], axis=1)


def still(mesh: Mesh) -> bytes:
    """A mesh and nothing else."""
    glb = Glb()
    glb.node(mesh=glb.mesh(mesh), name="Part")
    return glb.to_bytes()


def turning(mesh: Mesh, seconds: float = 4.0) -> bytes:
    """A mesh whose node turns once about Y, counter-clockwise from above, in even steps."""
    glb = Glb()
    node = glb.node(mesh=glb.mesh(mesh), name="Rotor")
    glb.animation("Turn", (node, "rotation", np.linspace(0, seconds, 33), about_y(np.linspace(0, 360, 33))))
    return glb.to_bytes()


def bending_bar(length: float = 2.0, rings: int = 21) -> tuple[Glb, np.ndarray]:
    """A square bar along +Y on two joints, the second half way up, that turns 90° about Z in one second.

    Returns the file and the heights of its vertices (v,); weights go over from joint to joint around the middle.
    """
    y = np.linspace(0, length, rings)
    corners = np.array([[-0.1, -0.1], [0.1, -0.1], [0.1, 0.1], [-0.1, 0.1]])
    vertices = np.array([[x, h, z] for h in y for x, z in corners], np.float32)
    normals = np.array([[x, 0, z] for _ in y for x, z in corners], np.float32) / np.float32(np.sqrt(0.02))
    faces = [[4 * r + a, 4 * r + 4 + a, 4 * r + (a + 1) % 4] for r in range(rings - 1) for a in range(4)]
    faces += [[4 * r + 4 + a, 4 * r + 4 + (a + 1) % 4, 4 * r + (a + 1) % 4] for r in range(rings - 1) for a in range(4)]
    mesh = Mesh(
        vertices,
        normals,
        np.zeros((len(vertices), 2), np.float32),
        np.array(faces, np.int32),
        np.zeros(len(faces), np.int32),
    )
    upper = np.clip(vertices[:, 1] - length / 2 + 0.5, 0, 1)
    joints, weights = np.tile([0, 1, 0, 0], (len(vertices), 1)), np.zeros((len(vertices), 4))
    weights[:, 0], weights[:, 1] = 1 - upper, upper
    glb = Glb()
    index = glb.mesh(mesh, JOINTS_0=glb.array(joints, "u2"), WEIGHTS_0=glb.array(weights))
    tip = glb.node(root=False, translation=[0, length / 2, 0])
    base = glb.node(children=[tip])
    inverse = np.tile(np.eye(4), (2, 1, 1))
    inverse[1, 1, 3] = -length / 2
    glb.document["skins"] = [
        {"joints": [base, tip], "inverseBindMatrices": glb.array(inverse.transpose(0, 2, 1).reshape(2, 16))}
    ]
    glb.node(mesh=index, skin=0, name="Bar")
    half = np.sqrt(0.5)
    glb.animation("Bend", (tip, "rotation", [0, 1], [[0, 0, 0, 1], [0, 0, half, half]]))
    return glb, vertices[:, 1]
