"""COLLADA 1.4 and 1.5 (.dae): polygons under their nodes, with colours and pictures of the common profile.

pycollada reads the document. Documents that declare entities are refused before.
"""

import io
from typing import Any
from urllib.parse import unquote

import numpy as np
from collada import Collada, DaeError
from collada.common import DaeUnsupportedError
from collada.lineset import LineSet
from collada.material import Map
from collada.scene import ControllerNode, GeometryNode, Node, NodeNode
from numpy.typing import NDArray

from ...errors import IntakeError
from ...scene import Material, MaterialMaps, TextureRef
from ...textures import srgb_to_linear
from .corners import Polygons, cut_apart, from_top
from .files import FileBundle, declares_entities
from .model import FileModel, ModelPart
from .names import label
from .pictures_beside import PicturesBeside
from .placing import place
from .values import glow_of, plain_material, shininess_roughness, unit

MOST_NODES = 100_000
MOST_DEPTH = 200
_UPRIGHT = {
    "X_UP": np.array([[0.0, -1, 0, 0], [1, 0, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1]]),
    "Y_UP": np.eye(4),
    "Z_UP": np.eye(4),
}


def read_collada(name: str, data: bytes, bundle: FileBundle) -> FileModel:
    """Read a .dae; skins stand as they were bound. Raises IntakeError when it is damaged or refers to itself."""
    if declares_entities(data):
        raise IntakeError(f"‘{name}’ declares entities, which models do not need. Export it again.")
    try:
        document = Collada(io.BytesIO(data), ignore=[DaeUnsupportedError])
    except DaeError as error:
        raise IntakeError(f"‘{name}’ is damaged or no COLLADA file. Export it again.") from error
    up = str(document.assetInfo.upaxis or "Y_UP")
    unit_m = float(document.assetInfo.unitmeter or 1.0)
    model = FileModel(up="z" if up == "Z_UP" else "y", unit_m=unit_m if unit_m > 0 else None)
    walk = _Walk(name, bundle, model)
    for node in document.scene.nodes if document.scene else ():
        walk.visit(node, _UPRIGHT.get(up, np.eye(4)), (), 0)
    walk.tell()
    return model


class _Walk:
    """Walk through the nodes of a scene that takes their meshes and materials into a model."""

    def __init__(self, name: str, bundle: FileBundle, model: FileModel):
        self._name, self._model = name, model
        self._materials: dict[str, int] = {}
        self._pictures = PicturesBeside(name, bundle, model)
        self._visited, self._lines, self._bound, self._beside = 0, 0, 0, set[str]()

    def visit(self, node: Any, matrix: NDArray[np.float64], group: tuple[str, ...], depth: int) -> None:
        self._visited += 1
        if self._visited > MOST_NODES or depth > MOST_DEPTH:
            raise IntakeError(f"‘{self._name}’ repeats its nodes without end. Export it again.")
        if isinstance(node, NodeNode):
            self.visit(node.node, matrix, group, depth + 1)
        elif isinstance(node, Node):
            called = node.xmlnode.get("name") or node.id
            inner = (*group, label(called, "Group"))
            for child in node.children:
                self.visit(child, matrix @ np.asarray(node.matrix, np.float64), inner, depth + 1)
        elif isinstance(node, GeometryNode):
            self._take(node.geometry, node.materials, matrix, group)
        elif isinstance(node, ControllerNode):
            self._bound += 1
            geometry = getattr(node.controller, "geometry", None)
            shape = getattr(node.controller, "bind_shape_matrix", None)
            if geometry is not None:
                matrix = matrix if shape is None else matrix @ np.asarray(shape, np.float64).reshape(4, 4)
                self._take(geometry, node.materials, matrix, group)
        else:
            self._beside.add(type(node).__name__.removesuffix("Node").lower())

    def _take(self, geometry: Any, bound: Any, matrix: NDArray[np.float64], group: tuple[str, ...]) -> None:
        worn = {m.symbol: m.target for m in bound}
        for primitive in geometry.primitives:
            if isinstance(primitive, LineSet):
                self._lines += 1
                continue
            part = _part(primitive)
            if part is None:
                continue
            part.name = group[-1] if group else label(geometry.name or geometry.id, "Part")
            part.group = group[:-1]
            part.material = self._material(worn.get(primitive.material))
            place(part, matrix[None])
            self._model.parts.append(part)

    def _material(self, found: Any) -> int:
        key = "" if found is None else str(found.id)
        if key not in self._materials:
            self._materials[key] = number = len(self._model.materials)
            plain = plain_material(number, label(getattr(found, "name", None) or key, "Plain"))
            effect = getattr(found, "effect", None)
            self._model.materials.append(plain if effect is None else self._dressed(plain, effect))
        return self._materials[key]

    def _dressed(self, plain: Material, effect: Any) -> Material:
        """The common profile (COLLADA 1.4.1, chapter 8) in OpenPBR's parameters."""
        maps: dict[str, TextureRef] = {}

        def colour_of(value: Any, slot: str, otherwise: float) -> tuple[float, float, float]:
            if isinstance(value, Map) and (ref := self._map(value)) is not None:
                maps[slot] = ref
                return (1.0, 1.0, 1.0)
            told = [otherwise] * 3 if value is None or isinstance(value, Map) else value
            shown = np.clip(np.asarray(told, np.float64)[:3], 0.0, 1.0)
            r, g, b = srgb_to_linear(shown).tolist()
            return r, g, b

        base, glow = colour_of(effect.diffuse, "base_color", 0.6), colour_of(effect.emission, "emission_color", 0.0)
        bump = getattr(effect, "bumpmap", None)
        if isinstance(bump, Map) and (ref := self._map(bump)) is not None:
            maps["normal"] = ref
        shininess = effect.shininess if isinstance(effect.shininess, float | int) else 0.0
        matt = effect.shadingtype in ("lambert", "constant")
        luminance, tint = glow_of(glow)
        values = {
            "base_color": base,
            "specular_roughness": 0.6 if matt else shininess_roughness(float(shininess)),
            "opacity": _opacity(effect),
            "emission_luminance": luminance,
            "emission_color": tint,
            "maps": MaterialMaps(**maps),
        }
        return Material.model_validate(plain.model_dump() | values)

    def _map(self, found: Map) -> TextureRef | None:
        path = unquote(str(found.sampler.surface.image.path)).removeprefix("file://")
        asset = self._pictures.take(path)
        return None if asset is None else TextureRef(asset=asset, name=self._pictures.title(path))

    def tell(self) -> None:
        """Note the kinds of things in the file that did not come in."""
        if self._bound:
            self._model.notes.append("Skins stand as they were bound, without their animation. glTF and USD bring it.")
        if self._lines:
            self._model.notes.append("Lines are left out.")
        if kinds := sorted(self._beside & {"camera", "light"}):
            self._model.notes.append(f"{' and '.join(f'{k}s' for k in kinds).capitalize()} of the file are left out.")


def _part(primitive: Any) -> ModelPart | None:
    """The mesh of a set of triangles or polygons; None where it has no faces."""
    if primitive.vertex is None or primitive.vertex_index is None or not len(primitive.vertex_index):
        return None
    points = np.asarray(primitive.vertex, np.float64)
    index = np.asarray(primitive.vertex_index, np.int64)
    sizes = np.full(len(index), 3) if index.ndim == 2 else np.asarray(primitive.vcounts, np.int64)
    columns = [index.ravel()]
    mapped = primitive.texcoordset[0] if len(primitive.texcoordset) else None
    normals = primitive.normal
    if mapped is not None:
        columns.append(np.asarray(primitive.texcoord_indexset[0], np.int64).ravel())
    if normals is not None:
        columns.append(np.asarray(primitive.normal_index, np.int64).ravel())
    corners = np.stack(columns, axis=1)
    limits = [len(points), *(len(v) for v in (mapped, normals) if v is not None)]
    if (corners < 0).any() or (corners >= limits).any() or int(sizes.sum()) != len(corners):
        raise IntakeError("The model refers to vertices that are not there; it is damaged. Export it again.")
    pieces = cut_apart(points, Polygons(corners, sizes, np.zeros(len(sizes), np.int64)))
    if not pieces:
        return None
    _, rows, part = pieces[0]
    if mapped is not None:
        uv = np.asarray(mapped, np.float64)[rows[:, 1]]
        part.uvs = from_top(uv[:, 0], uv[:, 1])
    if normals is not None:
        part.normals = np.asarray(normals, np.float32)[rows[:, -1]]
    return part


def _opacity(effect: Any) -> float:
    """Opacity of an effect, by its opaque mode (COLLADA 1.4.1, “Determining Transparency”)."""
    amount = effect.transparency if isinstance(effect.transparency, float | int) else 1.0
    clear = effect.transparent
    if clear is None or isinstance(clear, Map):
        return unit(amount) if clear is None and amount > 0 else 1.0
    if str(getattr(effect, "opaque_mode", "A_ONE")) == "RGB_ZERO":
        return unit(1.0 - float(np.mean(clear[:3])) * amount)
    return unit((float(clear[3]) if len(clear) > 3 else 1.0) * amount)
