"""3MF (3D Manufacturing Format, core and materials specification), read by the consortium's own library."""

from typing import Any

import lib3mf
import numpy as np
from lib3mf import Lib3MF
from numpy.typing import NDArray

from ...errors import IntakeError
from ...scene import MaterialMaps, TextureRef
from ...textures import srgb_to_linear
from .corners import from_top
from .files import FileBundle, unpack
from .model import FileModel, ModelPart
from .names import label
from .placing import place
from .values import plain_material

MOST_INSTANCES, MOST_DEPTH = 20_000, 60
_UNITS = {"MicroMeter": 1e-6, "MilliMeter": 1e-3, "CentiMeter": 1e-2, "Inch": 0.0254, "Foot": 0.3048, "Meter": 1.0}
_WRAPS = {"Wrap": "repeat", "Mirror": "mirror", "Clamp": "clamp", "NoTileStyle": "clamp"}
I64 = NDArray[np.int64]


def read_3mf(name: str, data: bytes, bundle: FileBundle) -> FileModel:
    """Read the build items of a .3mf with their colours and pictures. Raises IntakeError when it is damaged."""
    unpack(name, data)  # refuses archives that lead outside or unpack to far too much
    wrapper = lib3mf.get_wrapper()
    document = wrapper.CreateModel()
    reader = document.QueryReader("3mf")
    reader.SetStrictModeActive(False)
    try:
        reader.ReadFromBuffer(data)
    except Lib3MF.ELib3MFException as error:
        raise IntakeError(f"‘{name}’ is damaged or no 3MF file. Export it again.") from error
    model = FileModel(up="z", unit_m=_UNITS.get(Lib3MF.ModelUnit(document.GetUnit()).name, 1e-3))
    _Build(name, document, model).take()
    return model


class _Build:
    """The build items of a file, on their way into a model."""

    def __init__(self, name: str, document: Any, model: FileModel):
        self._name, self._document, self._model = name, document, model
        self._surfaces = _Surfaces(document, model)
        self._instances = 0

    def take(self) -> None:
        items = self._document.GetBuildItems()
        while items.MoveNext():
            item = items.GetCurrent()
            matrix = _matrix(item.GetObjectTransform()) if item.HasObjectTransform() else np.eye(4)
            self._object(item.GetObjectResource(), matrix, (), 0)

    def _object(self, found: Any, matrix: NDArray[np.float64], group: tuple[str, ...], depth: int) -> None:
        self._instances += 1
        if self._instances > MOST_INSTANCES or depth > MOST_DEPTH:
            raise IntakeError(f"‘{self._name}’ repeats its objects without end. Export it again.")
        identity = found.GetResourceID()
        called = label(found.GetName(), f"Object {identity}")
        if found.IsMeshObject():
            self._mesh(self._document.GetMeshObjectByID(identity), matrix, group, called)
            return
        if not found.IsComponentsObject():
            self._model.notes.append(f"‘{called}’ is no mesh and is left out.")
            return
        components = self._document.GetComponentsObjectByID(identity)
        for k in range(components.GetComponentCount()):
            one = components.GetComponent(k)
            inner = matrix @ _matrix(one.GetTransform()) if one.HasTransform() else matrix
            self._object(one.GetObjectResource(), inner, (*group, called), depth + 1)

    def _mesh(self, mesh: Any, matrix: NDArray[np.float64], group: tuple[str, ...], called: str) -> None:
        """A part for each surface that the triangles of a mesh have."""
        vertices = np.array([v.Coordinates[:] for v in mesh.GetVertices()], np.float64).reshape(-1, 3)
        triangles = np.array([t.Indices[:] for t in mesh.GetTriangleIndices()], np.int64).reshape(-1, 3)
        if not len(triangles):
            return
        told = mesh.GetAllTriangleProperties()
        resource = np.array([p.ResourceID for p in told], np.int64)
        property_of = np.array([p.PropertyIDs[:] for p in told], np.int64).reshape(-1, 3)
        default, index, there = mesh.GetObjectLevelProperty()
        bare = resource == 0
        if there:
            resource[bare], property_of[bare] = default, index
        for kind in np.unique(resource).tolist():
            mine = resource == kind
            for part in self._surfaces.parts(kind, vertices, triangles[mine], property_of[mine]):
                part.name, part.group = called, group
                place(part, matrix[None])
                self._model.parts.append(part)


class _Surfaces:
    """Base materials, colours and pictures by the number of their group."""

    def __init__(self, document: Any, model: FileModel):
        self._document, self._model = document, model
        self._known: dict[object, int] = {}

    def parts(self, group: int, vertices: NDArray[np.float64], triangles: I64, properties: I64) -> list[ModelPart]:
        """Triangles of one group of properties as parts with their materials."""
        kind = Lib3MF.PropertyType(self._document.GetPropertyTypeByID(group)).name if group else "NoPropertyType"
        if kind == "BaseMaterial":
            found = self._document.GetBaseMaterialGroupByID(group)
            return [
                _compact(vertices, triangles[properties[:, 0] == one], material=self._base(group, found, one))
                for one in np.unique(properties[:, 0]).tolist()
            ]
        if kind == "Colors":
            known = self._document.GetColorGroupByID(group)
            colours = {k: _linear(known.GetColor(k)) for k in np.unique(properties).tolist()}
            values = np.array([colours[k] for k in properties.ravel().tolist()], np.float32)
            return [_apart(vertices, triangles, self._plain("colours", white=True), colours=values)]
        if kind == "TexCoord":
            known = self._document.GetTexture2DGroupByID(group)
            places = {k: known.GetTex2Coord(k) for k in np.unique(properties).tolist()}
            uv = np.array([(places[k].U, places[k].V) for k in properties.ravel().tolist()], np.float64)
            return [_apart(vertices, triangles, self._picture(known), uvs=from_top(uv[:, 0], uv[:, 1]))]
        if kind != "NoPropertyType":
            self._model.notes.append("Mixtures of materials are left out: what has them is grey.")
        return [_compact(vertices, triangles, self._plain("plain"))]

    def _plain(self, key: str, white: bool = False) -> int:
        if key not in self._known:
            self._known[key] = len(self._model.materials)
            plain = plain_material(len(self._model.materials))
            self._model.materials.append(plain.model_copy(update={"base_color": (1.0, 1.0, 1.0)}) if white else plain)
        return self._known[key]

    def _base(self, group: int, found: Any, one: int) -> int:
        if (group, one) not in self._known:
            self._known[group, one] = number = len(self._model.materials)
            *colour, opacity = _linear(found.GetDisplayColor(one))
            plain = plain_material(number, label(found.GetName(one), f"Material {one}"))
            self._model.materials.append(plain.model_copy(update={"base_color": tuple(colour), "opacity": opacity}))
        return self._known[group, one]

    def _picture(self, group: Any) -> int:
        texture = group.GetTexture2D()
        attachment = texture.GetAttachment()
        path = attachment.GetPath()
        if path not in self._known:
            self._known[path] = number = len(self._model.materials)
            title = label(path.rsplit("/", 1)[-1], "picture")
            styles = (Lib3MF.TextureTileStyle(style).name for style in texture.GetTileStyleUV())
            across, down = (_WRAPS.get(style, "repeat") for style in styles)
            ref = TextureRef(
                asset=self._model.keep_picture(title, bytes(attachment.WriteToBuffer())),
                name=title,
                wrap=across,  # type: ignore[arg-type]
                wrap_down=None if down == across else down,  # type: ignore[arg-type]
            )
            plain = plain_material(number, title)
            update = {"base_color": (1.0, 1.0, 1.0), "maps": MaterialMaps(base_color=ref)}
            self._model.materials.append(plain.model_copy(update=update))
        return self._known[path]


def _compact(vertices: NDArray[np.float64], triangles: I64, material: int) -> ModelPart:
    used, corners = np.unique(triangles, return_inverse=True)
    return ModelPart("", vertices[used], corners.reshape(-1, 3), material=material)


def _apart(vertices: NDArray[np.float64], triangles: I64, material: int, **values: NDArray[np.float32]) -> ModelPart:
    """A part in which every corner is a vertex of its own, with values (3·t, k)."""
    index = np.arange(triangles.size).reshape(-1, 3)
    return ModelPart("", vertices[triangles.ravel()], index, material=material, **values)  # type: ignore[arg-type]


def _matrix(transform: Any) -> NDArray[np.float64]:
    """The matrix of a transform, which the format writes for rows."""
    found = np.eye(4)
    found[:3] = np.array([row[:] for row in transform.Fields], np.float64).T
    return found


def _linear(colour: Any) -> tuple[float, float, float, float]:
    r, g, b = srgb_to_linear(np.array([colour.Red, colour.Green, colour.Blue]) / 255.0).tolist()
    return r, g, b, colour.Alpha / 255.0
