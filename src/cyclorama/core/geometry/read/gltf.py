"""glTF 2.0 and GLB: meshes, node transforms, instances, materials and their extensions.

Follows the Khronos glTF 2.0 specification (ISO/IEC 12113:2022); section numbers in comments refer to it.
"""

import json
import struct
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...errors import IntakeError
from ...words import number
from ..skeleton import local_matrices
from .files import FileBundle
from .gltf_extensions import check_extensions, left_out
from .gltf_file import GltfFile
from .gltf_material import read_materials
from .gltf_rig import PlacedMesh, RigReader
from .gltf_scene_extras import read_around
from .model import FileModel, FilePicture, ModelPart
from .names import label
from .placing import hang, place

MOST_INSTANCED = 20_000_000
"""Triangles that instances of a mesh may come to."""


def read_gltf(name: str, data: bytes, bundle: FileBundle) -> FileModel:
    """Read a .glb or .gltf; raises IntakeError, or a plain error for damage deep inside."""
    document, chunk = split(name, data)
    notes = check_extensions(name, document)
    file = GltfFile(name, document, chunk, bundle)
    model = FileModel(up="y", unit_m=1.0, notes=notes)  # 3.4: metres, +Y up
    _read_pictures(file, model)
    model.materials, notes = read_materials(document, model)
    model.notes += notes
    _read_scene(file, model)
    model.notes += left_out(document)
    return model


def split(name: str, data: bytes) -> tuple[dict[str, Any], memoryview | None]:
    """The JSON document and the binary chunk (4.4)."""
    text, chunk = memoryview(data), None
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
        rest = 20 + size
        if rest + 8 <= len(data):
            chunk = text[rest + 8 : rest + 8 + struct.unpack_from("<I", data, rest)[0]]
        text = text[20 : 20 + size]
    try:
        document = json.loads(bytes(text))
    except (ValueError, RecursionError) as error:
        raise IntakeError(f"‘{name}’ is damaged: its description cannot be read. Export it again.") from error
    if not isinstance(document, dict) or not isinstance(document.get("asset"), dict):
        raise IntakeError(f"‘{name}’ is not a glTF file. Export the model as GLB.")
    stated = str(document["asset"].get("version", "2.0"))
    if not stated.startswith("2"):
        raise IntakeError(f"‘{name}’ is glTF version {stated[:10]}; version 2 is needed. Export it again.")
    return document, chunk


def _read_pictures(file: GltfFile, model: FileModel) -> None:
    for i, image in enumerate(file.document.get("images", [])):
        title = label(image.get("name") or image.get("uri", "").split("/")[-1][:80], f"picture {i + 1}")
        data = file.view(image["bufferView"]) if "bufferView" in image else file.uri(image.get("uri", ""))
        if data is None:
            model.missing.append(f"Texture ‘{title}’")
        model.pictures.append(FilePicture(title, bytes(data or b"")))


def _read_scene(file: GltfFile, model: FileModel) -> None:
    rig = RigReader(file)
    default = len(model.materials)
    model.variants = [
        label(v.get("name"), f"Variant {i + 1}")
        for i, v in enumerate(file.document.get("extensions", {}).get("KHR_materials_variants", {}).get("variants", []))
    ]
    for body, placed in enumerate(rig.meshes):
        node = file.document["nodes"][placed.node]
        mesh = file.document["meshes"][node["mesh"]]
        title = label(node.get("name") or mesh.get("name"), f"Part {len(model.parts) + 1}")
        for i, primitive in enumerate(mesh["primitives"]):
            name = title if len(mesh["primitives"]) == 1 else f"{title} {i + 1}"
            part = _read_primitive(file, model, primitive, name, rig, placed)
            if part is None:
                continue
            part.material = int(primitive.get("material", default))
            part.visible = placed.visible
            part.body, part.group = body, rig.above(placed.node)
            _make_opaque(file, part)
            for mapping in primitive.get("extensions", {}).get("KHR_materials_variants", {}).get("mappings", []):
                part.variants |= {int(which): int(mapping["material"]) for which in mapping["variants"]}
            model.parts.append(part)
    read_around(file.document, rig, model)
    if rig.alive:
        model.skeleton, model.animation_names, notes = rig.finished()
        model.notes += notes


def _make_opaque(file: GltfFile, part: ModelPart) -> None:
    """The opacity of vertex colours counts only where the material's does (3.9.4)."""
    materials = file.document.get("materials", [])
    if part.colours is not None:
        known = 0 <= part.material < len(materials)
        if not known or materials[part.material].get("alphaMode", "OPAQUE") == "OPAQUE":
            part.colours[:, 3] = 1.0


def _read_primitive(
    file: GltfFile, model: FileModel, primitive: dict[str, Any], name: str, rig: RigReader, placed: PlacedMesh
) -> ModelPart | None:
    """One part as it stands at rest, with what it hangs on where the file has something that moves."""
    mode = primitive.get("mode", 4)
    if mode not in (4, 5, 6):
        model.notes.append(f"‘{name}’ contains points or lines; they are left out.")
        return None
    attributes, index = file.primitive(primitive)
    positions = attributes["POSITION"].astype(np.float64)
    triangles = _triangles(file, index, len(positions), mode)
    normals = _attribute(attributes, "NORMAL", 3, len(positions), name, model)
    part = ModelPart(name, positions, triangles, normals)
    part.uvs = _attribute(attributes, "TEXCOORD_0", 2, len(positions), name, model)
    part.more_uvs = _attribute(attributes, "TEXCOORD_1", 2, len(positions), name, model)
    part.colours = _colours(attributes, len(positions), name, model)
    spread = _instances(file, placed, len(triangles))
    if not rig.alive:
        matrix = rig.at_rest[0][placed.bones[0]]
        place(part, matrix[None] if spread is None else matrix @ spread)
        return part
    if spread is not None:
        model.notes.append(f"‘{name}’ is instanced in a file that moves; only its first instance is shown.")
    part.binding = rig.binding(placed, primitive, part.vertices, attributes)
    hang(part, *rig.at_rest)
    return part


def _instances(file: GltfFile, placed: PlacedMesh, triangles: int) -> NDArray[np.float64] | None:
    """Where the instances (n, 4, 4) of a node stand within it (EXT_mesh_gpu_instancing); None: it has none."""
    entry = file.document["nodes"][placed.node].get("extensions", {}).get("EXT_mesh_gpu_instancing")
    if entry is None:
        return None
    given = {k: file.accessor(a).astype(np.float64) for k, a in entry["attributes"].items() if not k.startswith("_")}
    count = len(next(iter(given.values()))) if given else 0
    if count * triangles > MOST_INSTANCED:
        raise IntakeError(
            f"‘{file.name}’ has {number(count)} instances of {number(triangles)} triangles each; at most "
            f"{MOST_INSTANCED // 1_000_000} million triangles can be used. Export fewer of them."
        )
    return local_matrices(
        given.get("TRANSLATION", np.zeros((count, 3))),
        given.get("ROTATION", np.tile([0.0, 0.0, 0.0, 1.0], (count, 1))),
        given.get("SCALE", np.ones((count, 3))),
    )


def _attribute(
    attributes: dict[str, NDArray[Any]], key: str, width: int, count: int, name: str, model: FileModel
) -> NDArray[np.float32] | None:
    """An attribute (count, width); None, and noted, where it does not fit the vertices."""
    values = attributes.get(key)
    if values is None:
        return None
    if values.shape != (count, width):
        what = "normals" if key == "NORMAL" else "texture coordinates"
        model.notes.append(f"The {what} of ‘{name}’ do not fit its vertices; done without them.")
        return None
    return values.astype(np.float32)


def _colours(
    attributes: dict[str, NDArray[Any]], count: int, name: str, model: FileModel
) -> NDArray[np.float32] | None:
    """COLOR_0 as linear colours and opacity (count, 4) (3.7.2.1)."""
    values = attributes.get("COLOR_0")
    if values is None:
        return None
    if len(values) != count or values.shape[1] not in (3, 4):
        model.notes.append(f"The vertex colours of ‘{name}’ do not fit its vertices; done without them.")
        return None
    if values.dtype.kind in "iu":  # some writers forget to say that they count as 0…1
        values = values.astype(np.float32) / np.iinfo(values.dtype.type).max
    colours = np.ones((count, 4), np.float32)
    colours[:, : values.shape[1]] = np.nan_to_num(values, nan=1.0).clip(0, 1)
    return colours


def _triangles(file: GltfFile, index: NDArray[Any] | None, vertices: int, mode: int) -> NDArray[np.int64]:
    """Triangles (t, 3) from a list, strip or fan (3.7.2.1)."""
    index = np.arange(vertices, dtype=np.int64) if index is None else index.astype(np.int64)
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
