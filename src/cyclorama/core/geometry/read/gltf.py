"""glTF 2.0 and GLB: meshes, node transforms, metallic-roughness materials and some of their extensions.

Follows the Khronos glTF 2.0 specification (ISO/IEC 12113:2022); section numbers in comments refer to it.
"""

import json
import struct
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...errors import IntakeError
from ...words import number
from ..rig import bent
from .files import FileBundle
from .gltf_file import GltfFile
from .gltf_material import read_materials
from .gltf_rig import PlacedMesh, RigReader
from .model import FileModel, FilePart, Picture

_READABLE = {
    "KHR_materials_transmission", "KHR_materials_volume", "KHR_materials_ior", "KHR_materials_emissive_strength",
    "KHR_texture_transform", "KHR_lights_punctual", "KHR_mesh_quantization", "KHR_materials_unlit",
    "KHR_materials_specular", "KHR_materials_clearcoat", "KHR_materials_sheen", "KHR_materials_anisotropy",
    "KHR_materials_iridescence", "KHR_materials_dispersion", "KHR_materials_variants", "KHR_xmp_json_ld",
}  # fmt: skip


def read_gltf(name: str, data: bytes, bundle: FileBundle) -> FileModel:
    """Read a .glb or .gltf; raises IntakeError, or a plain error for damage deep inside."""
    document, chunk = _split(name, data)
    blocking = [e for e in document.get("extensionsRequired", []) if e not in _READABLE]
    if blocking:
        raise IntakeError(
            f"‘{name}’ is packed with {', '.join(blocking)}, which cannot be read. "
            f"Export it again without mesh or texture compression."
        )
    file = GltfFile(name, document, chunk, bundle)
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
            raise IntakeError(
                f"‘{name}’ ends too early: {number(len(data))} of {number(length)} bytes. Copy or export it again."
            )
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


def _read_pictures(file: GltfFile, model: FileModel) -> None:
    for i, image in enumerate(file.document.get("images", [])):
        label = image.get("name") or image.get("uri", f"picture {i + 1}")[:80]
        data = file.view(image["bufferView"]) if "bufferView" in image else file.uri(image.get("uri", ""))
        if data is None:
            model.missing.append(f"Texture ‘{label}’")
        model.pictures.append(Picture(label, data or b""))


def _read_scene(file: GltfFile, model: FileModel) -> None:
    rig = RigReader(file)
    default = len(model.materials)
    for placed in rig.meshes:
        node = file.document["nodes"][placed.node]
        mesh = file.document["meshes"][node["mesh"]]
        label = str(node.get("name") or mesh.get("name") or f"Part {len(model.parts) + 1}")[:80]
        for i, primitive in enumerate(mesh["primitives"]):
            name = label if len(mesh["primitives"]) == 1 else f"{label} {i + 1}"
            part = _read_primitive(file, model, primitive, name, rig, placed)
            if part is not None:
                part.material = int(primitive.get("material", default))
                model.parts.append(part)
    if rig.alive:
        model.skeleton, model.animation_names, notes = rig.finished()
        model.notes += notes


def _read_primitive(file: GltfFile, model: FileModel, primitive: dict[str, Any], name: str, rig: RigReader,
                    placed: PlacedMesh) -> FilePart | None:  # fmt: skip
    """One part as it stands at rest, with what it hangs on where the file has something that moves."""
    mode = primitive.get("mode", 4)
    if mode not in (4, 5, 6):
        model.notes.append(f"‘{name}’ contains points or lines; they are left out.")
        return None
    attributes = primitive["attributes"]
    positions = file.accessor(attributes["POSITION"]).astype(np.float64)
    triangles = _triangles(file, primitive, len(positions), mode)
    normals = file.accessor(attributes["NORMAL"]).astype(np.float32) if "NORMAL" in attributes else None
    uvs = file.accessor(attributes["TEXCOORD_0"]).astype(np.float32) if "TEXCOORD_0" in attributes else None
    matrices, weights = rig.at_rest
    if not rig.alive:
        matrix = matrices[placed.bones[0]]
        linear = matrix[:3, :3]
        if normals is not None:
            normals = (normals @ np.linalg.pinv(linear)).astype(np.float32)
        if np.linalg.det(linear) < 0:
            triangles = triangles[:, ::-1]
        return FilePart(name, positions @ linear.T + matrix[:3, 3], triangles, normals, uvs)
    binding = rig.binding(placed, primitive, positions)
    at_rest = binding.points.copy()
    for shape, move, _ in binding.shapes:
        at_rest += np.float32(weights[shape]) * move
    upright = np.tile(np.array([0, 1, 0], np.float32), (len(positions), 1)) if normals is None else normals
    vertices, leant = bent(at_rest, upright, binding.bone, binding.weight, matrices)
    if len(triangles) and np.linalg.det(matrices[binding.bone[0, 0], :3, :3]) < 0:
        triangles = triangles[:, ::-1]
    return FilePart(name, vertices.astype(np.float64), triangles, None if normals is None else leant, uvs,
                    binding=binding)  # fmt: skip


def _triangles(file: GltfFile, primitive: dict[str, Any], vertices: int, mode: int) -> NDArray[np.int64]:
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
