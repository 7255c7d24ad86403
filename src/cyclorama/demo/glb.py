"""Writing GLB files (glTF 2.0, section 4.4)."""

import io
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from PIL import Image

from ..core.geometry.glb import glb_bytes
from ..core.geometry.mesh import Mesh


@dataclass
class GlbWriter:
    """Collects meshes, materials and pictures and writes them as one file."""

    _binary: bytearray = field(default_factory=bytearray)
    _views: list[dict[str, Any]] = field(default_factory=list)
    _accessors: list[dict[str, Any]] = field(default_factory=list)
    _meshes: list[dict[str, Any]] = field(default_factory=list)
    _nodes: list[dict[str, Any]] = field(default_factory=list)
    _materials: list[dict[str, Any]] = field(default_factory=list)
    _images: list[dict[str, Any]] = field(default_factory=list)
    _extensions: set[str] = field(default_factory=set)
    _bones: dict[str, int] = field(default_factory=dict)
    _places: list[np.ndarray] = field(default_factory=list)
    _animations: list[dict[str, Any]] = field(default_factory=list)

    def bone(self, name: str, at: tuple[float, float, float], on: str | None = None) -> None:
        """Add a bone at a place of the model at rest, on another one or none; before all parts."""
        place = np.array(at, float)
        below = self._places[self._bones[on]] if on else np.zeros(3)
        self._nodes.append({"name": name, "translation": (place - below).tolist()})
        self._bones[name] = len(self._places)
        self._places.append(place)
        if on:
            self._nodes[self._bones[on]].setdefault("children", []).append(self._bones[name])

    def animation(self, name: str, seconds: np.ndarray, tracks: dict[tuple[str, str], np.ndarray]) -> None:
        """Add an animation: times (n,), and for (bone, `rotation` or `translation`) values (n, 4) or (n, 3), straight
        in between; quaternions are x, y, z, w."""
        time = self._accessor(seconds.astype("<f4").reshape(-1, 1), "SCALAR", True)
        samplers, channels = [], []
        for (bone, what), values in tracks.items():
            kind = "VEC4" if what == "rotation" else "VEC3"
            samplers.append({"input": time, "output": self._accessor(values.astype("<f4"), kind)})
            channels.append({"sampler": len(samplers) - 1, "target": {"node": self._bones[bone], "path": what}})
        self._animations.append({"name": name, "samplers": samplers, "channels": channels})

    def texture(self, name: str, pixels: np.ndarray) -> dict[str, int]:
        """Embed a picture (h, w, 3) of bytes; returns the reference to use in a material."""
        buffer = io.BytesIO()
        Image.fromarray(pixels).save(buffer, "PNG")
        self._images.append({"name": name, "mimeType": "image/png", "bufferView": self._view(buffer.getvalue())})
        return {"index": len(self._images) - 1}

    def material(
        self,
        name: str,
        base: tuple[float, float, float] = (1, 1, 1),
        metal: float = 0.0,
        rough: float = 0.5,
        extensions: dict[str, Any] | None = None,
        base_map: dict[str, int] | None = None,
        mr_map: dict[str, int] | None = None,
        normal_map: dict[str, int] | None = None,
        emissive: tuple[float, float, float] = (0, 0, 0),
    ) -> int:
        """Add a metallic-roughness material; base is linear Rec.709."""
        pbr: dict[str, Any] = {"baseColorFactor": [*base, 1.0], "metallicFactor": metal, "roughnessFactor": rough}
        if base_map:
            pbr["baseColorTexture"] = base_map
        if mr_map:
            pbr["metallicRoughnessTexture"] = mr_map
        entry: dict[str, Any] = {"name": name, "pbrMetallicRoughness": pbr, "emissiveFactor": list(emissive)}
        if normal_map:
            entry["normalTexture"] = normal_map
        if extensions:
            entry["extensions"] = extensions
            self._extensions |= set(extensions)
        self._materials.append(entry)
        return len(self._materials) - 1

    def part(self, name: str, mesh: Mesh, material: int, on: str | None = None) -> None:
        """Add a named part, which goes along with a bone where one is told."""
        attributes = {
            "POSITION": self._accessor(mesh.vertices.astype("<f4"), "VEC3", True),
            "NORMAL": self._accessor(mesh.normals.astype("<f4"), "VEC3"),
            "TEXCOORD_0": self._accessor(mesh.uvs.astype("<f4"), "VEC2"),
        }
        if on:
            joints, weights = np.zeros((len(mesh.vertices), 4), "<u2"), np.zeros((len(mesh.vertices), 4), "<f4")
            joints[:, 0], weights[:, 0] = self._bones[on], 1.0
            attributes |= {"JOINTS_0": self._accessor(joints, "VEC4"), "WEIGHTS_0": self._accessor(weights, "VEC4")}
        index = self._accessor(mesh.triangles.reshape(-1, 1).astype("<u4"), "SCALAR")
        self._meshes.append(
            {"name": name, "primitives": [{"attributes": attributes, "indices": index, "material": material}]}
        )
        self._nodes.append({"name": name, "mesh": len(self._meshes) - 1} | ({"skin": 0} if on else {}))

    def _view(self, data: bytes) -> int:
        self._binary.extend(b"\0" * (-len(self._binary) % 4))
        self._views.append({"buffer": 0, "byteOffset": len(self._binary), "byteLength": len(data)})
        self._binary.extend(data)
        return len(self._views) - 1

    def _accessor(self, values: np.ndarray, kind: str, limits: bool = False) -> int:
        entry: dict[str, Any] = {
            "bufferView": self._view(values.tobytes()),
            "componentType": {"f4": 5126, "u4": 5125, "u2": 5123}[values.dtype.str[1:]],
            "count": len(values),
            "type": kind,
        }
        if limits:
            entry |= {"min": values.min(axis=0).tolist(), "max": values.max(axis=0).tolist()}
        self._accessors.append(entry)
        return len(self._accessors) - 1

    def _skin(self) -> dict[str, Any]:
        """All bones, bound where they are at rest."""
        back = np.tile(np.eye(4), (len(self._places), 1, 1))
        back[:, :3, 3] = -np.array(self._places)
        matrices = back.transpose(0, 2, 1).reshape(-1, 16).astype("<f4")  # column by column
        return {"joints": list(range(len(self._places))), "inverseBindMatrices": self._accessor(matrices, "MAT4")}

    def to_bytes(self) -> bytes:
        """The file."""
        skins = [self._skin()] if self._bones else []
        self._binary.extend(b"\0" * (-len(self._binary) % 4))
        held = {child for node in self._nodes for child in node.get("children", [])}
        document = {
            "asset": {"version": "2.0", "generator": "Cyclorama demo"},
            "scene": 0,
            "scenes": [{"nodes": [i for i in range(len(self._nodes)) if i not in held]}],
            "skins": skins,
            "animations": self._animations,
            "nodes": self._nodes,
            "meshes": self._meshes,
            "materials": self._materials,
            "images": self._images,
            "textures": [{"source": i} for i in range(len(self._images))],
            "accessors": self._accessors,
            "bufferViews": self._views,
            "buffers": [{"byteLength": len(self._binary)}],
            "extensionsUsed": sorted(self._extensions),
        }
        return glb_bytes({k: v for k, v in document.items() if v != []}, bytes(self._binary))


def glass(ior: float, colour: tuple[float, float, float], depth_m: float) -> dict[str, Any]:
    """Extensions of a clear dielectric with absorption."""
    return {
        "KHR_materials_transmission": {"transmissionFactor": 1.0},
        "KHR_materials_ior": {"ior": ior},
        "KHR_materials_volume": {
            "thicknessFactor": 1.0,
            "attenuationColor": list(colour),
            "attenuationDistance": depth_m,
        },
    }
