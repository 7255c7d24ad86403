"""glTF 2.0 and GLB: meshes, node transforms, metallic-roughness materials and some of their extensions.

Follows the Khronos glTF 2.0 specification (ISO/IEC 12113:2022); section numbers in comments refer to it.
"""

import base64
import binascii
import json
import struct
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from ...errors import IntakeError
from .files import FileBundle
from .gltf_material import read_materials
from .model import FileModel, FilePart, Picture

_COMPONENT = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
_WIDTH = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
_READABLE = {
    "KHR_materials_transmission", "KHR_materials_volume", "KHR_materials_ior", "KHR_materials_emissive_strength",
    "KHR_texture_transform", "KHR_lights_punctual", "KHR_mesh_quantization", "KHR_materials_unlit",
    "KHR_materials_specular", "KHR_materials_clearcoat", "KHR_materials_sheen", "KHR_materials_anisotropy",
    "KHR_materials_iridescence", "KHR_materials_dispersion", "KHR_materials_variants", "KHR_xmp_json_ld",
}  # fmt: skip
MAX_DEPTH = 200


def read_gltf(name: str, data: bytes, bundle: FileBundle) -> FileModel:
    """Read a .glb or .gltf; raises IntakeError, or a plain error for damage deep inside."""
    document, chunk = _split(name, data)
    blocking = [e for e in document.get("extensionsRequired", []) if e not in _READABLE]
    if blocking:
        raise IntakeError(
            f"‘{name}’ is packed with {', '.join(blocking)}, which cannot be read. "
            f"Export it again without mesh or texture compression."
        )
    file = _Gltf(name, document, chunk, bundle)
    model = FileModel(up="y", unit_m=1.0)  # 3.4: metres, +Y up
    _read_pictures(file, model)
    model.materials, notes = read_materials(document)
    model.notes += notes
    _read_scene(file, model)
    _note_what_is_left(document, model)
    return model


def _split(name: str, data: bytes) -> tuple[dict[str, Any], bytes | None]:
    """The JSON document and the binary chunk (4.4)."""
    text, chunk = data, None
    if name.lower().endswith(".glb"):
        if len(data) < 20 or data[:4] != b"glTF":
            raise IntakeError(f"‘{name}’ is not a GLB file, whatever its name says. Export the model as GLB.")
        version, length = struct.unpack_from("<II", data, 4)
        if version != 2:
            raise IntakeError(f"‘{name}’ is glTF version {version}; version 2 is needed. Export it again.")
        if length > len(data):
            raise IntakeError(f"‘{name}’ ends too early: {len(data):,} of {length:,} bytes. Copy or export it again.")
        size = struct.unpack_from("<I", data, 12)[0]
        text, rest = data[20 : 20 + size], 20 + size
        if rest + 8 <= len(data):
            chunk = data[rest + 8 : rest + 8 + struct.unpack_from("<I", data, rest)[0]]
    try:
        document = json.loads(text)
    except ValueError as error:
        raise IntakeError(f"‘{name}’ is damaged: its description cannot be read. Export it again.") from error
    if not isinstance(document, dict) or not isinstance(document.get("asset"), dict):
        raise IntakeError(f"‘{name}’ is not a glTF file. Export the model as GLB.")
    return document, chunk


class _Gltf:
    """Access to buffers and accessors."""

    def __init__(self, name: str, document: dict[str, Any], chunk: bytes | None, bundle: FileBundle):
        self.name, self.document, self.bundle = name, document, bundle
        self._chunk = chunk
        self._buffers: dict[int, bytes] = {}

    def uri(self, uri: str) -> bytes | None:
        """Bytes behind a data URI or a file beside the model; None when it is not there."""
        if uri.startswith("data:"):
            try:
                return base64.b64decode(uri.split(",", 1)[1], validate=False)
            except (IndexError, binascii.Error):
                return None
        return self.bundle.beside(self.name, unquote(uri))

    def buffer(self, index: int) -> bytes:
        if index not in self._buffers:
            entry = self.document["buffers"][index]
            data = self.uri(entry["uri"]) if "uri" in entry else self._chunk
            if data is None:
                missing = entry.get("uri", "its binary part")
                raise IntakeError(f"‘{self.name}’ needs ‘{missing}’. Bring in both together, or export as GLB.")
            if len(data) < entry["byteLength"]:
                raise IntakeError(f"‘{self.name}’ ends too early: its data is cut off. Copy or export it again.")
            self._buffers[index] = data
        return self._buffers[index]

    def view(self, index: int) -> bytes:
        view = self.document["bufferViews"][index]
        start = view.get("byteOffset", 0)
        return self.buffer(view["buffer"])[start : start + view["byteLength"]]

    def accessor(self, index: int) -> NDArray[Any]:
        """The values (count, width) of an accessor, normalised integers as floats (3.6.2)."""
        entry = self.document["accessors"][index]
        dtype, width = np.dtype(_COMPONENT[entry["componentType"]]), _WIDTH[entry["type"]]
        count = entry["count"]
        if count < 0 or count > 500_000_000:
            raise ValueError("accessor count")
        if "bufferView" in entry:
            values = self._strided(entry["bufferView"], entry.get("byteOffset", 0), dtype, count, width)
        else:
            values = np.zeros((count, width), dtype)
        if "sparse" in entry:
            values = values.copy()
            sparse = entry["sparse"]
            at, new = sparse["indices"], sparse["values"]
            where = self._strided(at["bufferView"], at.get("byteOffset", 0),
                                  np.dtype(_COMPONENT[at["componentType"]]), sparse["count"], 1)[:, 0]  # fmt: skip
            values[where] = self._strided(new["bufferView"], new.get("byteOffset", 0), dtype, sparse["count"], width)
        if entry.get("normalized") and dtype.kind in "iu":
            values = np.maximum(values.astype(np.float32) / np.iinfo(dtype.type).max, -1.0)
        return values

    def _strided(self, view: int, offset: int, dtype: np.dtype[Any], count: int, width: int) -> NDArray[Any]:
        data = self.view(view)
        item = dtype.itemsize * width
        stride = self.document["bufferViews"][view].get("byteStride") or item
        if count and offset + stride * (count - 1) + item > len(data):
            raise IntakeError(f"‘{self.name}’ ends too early: its data is cut off. Copy or export it again.")
        if stride == item:
            return np.frombuffer(data, dtype, count * width, offset).reshape(count, width)
        return np.ndarray((count, width), dtype, data, offset, (stride, dtype.itemsize)).copy()


def _read_pictures(file: _Gltf, model: FileModel) -> None:
    for i, image in enumerate(file.document.get("images", [])):
        label = image.get("name") or image.get("uri", f"picture {i + 1}")[:80]
        data = file.view(image["bufferView"]) if "bufferView" in image else file.uri(image.get("uri", ""))
        if data is None:
            model.missing.append(label)
        model.pictures.append(Picture(label, data or b""))


def _read_scene(file: _Gltf, model: FileModel) -> None:
    document = file.document
    nodes = document.get("nodes", [])
    scenes = document.get("scenes")
    if scenes:
        roots = scenes[document.get("scene", 0)].get("nodes", [])
    else:
        children = {c for n in nodes for c in n.get("children", [])}
        roots = [i for i in range(len(nodes)) if i not in children]
    default = len(model.materials)
    stack: list[tuple[int, NDArray[np.float64], int]] = [(r, np.eye(4), 0) for r in reversed(roots)]
    while stack:
        index, parent, depth = stack.pop()
        if depth > MAX_DEPTH:
            raise IntakeError(f"‘{file.name}’ nests its nodes without end; it is damaged. Export it again.")
        node = nodes[index]
        matrix = parent @ _local_matrix(node)
        if "mesh" in node:
            mesh = document["meshes"][node["mesh"]]
            label = node.get("name") or mesh.get("name") or f"Part {len(model.parts) + 1}"
            _read_primitives(file, model, mesh["primitives"], str(label)[:80], matrix, default)
        stack += [(c, matrix, depth + 1) for c in reversed(node.get("children", []))]


def _local_matrix(node: dict[str, Any]) -> NDArray[np.float64]:
    """Translation · rotation · scale, or the given matrix (3.5.3)."""
    if "matrix" in node:
        return np.array(node["matrix"], np.float64).reshape(4, 4).T
    x, y, z, w = np.array(node.get("rotation", (0, 0, 0, 1)), np.float64)
    length = np.sqrt(x * x + y * y + z * z + w * w) or 1.0
    x, y, z, w = x / length, y / length, z / length, w / length
    m = np.eye(4)
    m[:3, :3] = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ]
    m[:3, :3] = m[:3, :3] * np.array(node.get("scale", (1, 1, 1)), np.float64)
    m[:3, 3] = node.get("translation", (0, 0, 0))
    return m


def _read_primitives(file: _Gltf, model: FileModel, primitives: list[dict[str, Any]], label: str,
                     matrix: NDArray[np.float64], default: int) -> None:  # fmt: skip
    for number, primitive in enumerate(primitives):
        mode = primitive.get("mode", 4)
        if mode not in (4, 5, 6):
            model.notes.append(f"‘{label}’ contains points or lines; they are left out.")
            continue
        attributes = primitive["attributes"]
        positions = file.accessor(attributes["POSITION"]).astype(np.float64)
        triangles = _triangles(file, primitive, len(positions), mode)
        normals = file.accessor(attributes["NORMAL"]).astype(np.float32) if "NORMAL" in attributes else None
        uvs = file.accessor(attributes["TEXCOORD_0"]).astype(np.float32) if "TEXCOORD_0" in attributes else None
        linear = matrix[:3, :3]
        if normals is not None:
            normals = (normals @ np.linalg.pinv(linear)).astype(np.float32)
        if np.linalg.det(linear) < 0:
            triangles = triangles[:, ::-1]
        name = label if len(primitives) == 1 else f"{label} {number + 1}"
        material = primitive.get("material", default)
        model.parts.append(FilePart(name, positions @ linear.T + matrix[:3, 3], triangles, normals, uvs, int(material)))


def _triangles(file: _Gltf, primitive: dict[str, Any], vertices: int, mode: int) -> NDArray[np.int64]:
    """Triangles (t, 3) from a list, strip or fan (3.7.2.1)."""
    if "indices" in primitive:
        index = file.accessor(primitive["indices"])[:, 0].astype(np.int64)
    else:
        index = np.arange(vertices, dtype=np.int64)
    if len(index) and (index.max() >= vertices):
        raise IntakeError(f"‘{file.name}’ refers to vertices that are not there; it is damaged. Export it again.")
    if mode == 4:
        return index[: len(index) // 3 * 3].reshape(-1, 3)
    if len(index) < 3:
        return np.zeros((0, 3), np.int64)
    if mode == 5:
        strip = np.stack([index[:-2], index[1:-1], index[2:]], axis=1)
        strip[1::2] = strip[1::2][:, [1, 0, 2]]
        return strip
    return np.stack([np.full(len(index) - 2, index[0]), index[1:-1], index[2:]], axis=1)


def _note_what_is_left(document: dict[str, Any], model: FileModel) -> None:
    """Say what was in the file but is not a subject."""
    lights = document.get("extensions", {}).get("KHR_lights_punctual", {}).get("lights", [])
    for count, singular in ((len(document.get("cameras", [])), "camera"), (len(lights), "light")):
        if count:
            plural = singular if count == 1 else singular + "s"
            model.notes.append(f"{count} {plural} in the file left out; the studio has its own.")
    if document.get("animations"):
        model.notes.append("Animation in the file is not played yet; the model stands in its rest pose.")
    if document.get("skins"):
        model.notes.append("Skins in the file are not applied yet; the model stands in its rest pose.")
