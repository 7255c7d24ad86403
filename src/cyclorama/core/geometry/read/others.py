"""OBJ with MTL, PLY and STL, through trimesh."""

import io
import warnings
from pathlib import PurePosixPath
from typing import Any

import numpy as np
import trimesh
from numpy.typing import NDArray

from ...errors import IntakeError
from ...scene import Material, MaterialMaps, TextureRef
from ..polygons import outlines_of
from .files import FileBundle
from .mixed_ply import is_mixed, read_mixed
from .model import FileModel, FilePart, Picture


class _Resolver(trimesh.resolvers.Resolver):
    """Hands trimesh the files of the bundle and remembers what was missing."""

    def __init__(self, name: str, bundle: FileBundle, model: FileModel):
        self._name, self._bundle, self._model = name, bundle, model

    def get(self, name: str) -> bytes:
        data = self._bundle.beside(self._name, name.strip())
        if data is None:
            if name not in self._model.missing:
                self._model.missing.append(name)
            raise KeyError(name)
        return data

    def write(self, name: str, data: bytes) -> None:
        raise NotImplementedError("intake only reads")

    def keys(self) -> list[str]:
        return []

    def namespaced(self, namespace: str) -> "_Resolver":
        return self


def read_stl(name: str, data: bytes, bundle: FileBundle) -> FileModel:
    """STL: bare triangles, no unit, no names."""
    # binary: 80 bytes of header, a count, 50 bytes a triangle; text starts with “solid” and is plain ASCII
    end = 84 + 50 * int.from_bytes(data[80:84], "little")
    if 84 <= end <= len(data):
        data = data[:end]  # some programs add notes at the end, which trimesh would take for text
    elif not (data.lstrip()[:5].lower() == b"solid" and data.isascii()):
        raise IntakeError(f"‘{name}’ is not a whole STL file. Copy or export it again.")
    model = FileModel(up="z")
    return _take(name, trimesh.load_scene(io.BytesIO(data), file_type="stl", process=False), model)


def read_ply(name: str, data: bytes, bundle: FileBundle) -> FileModel:
    """PLY, ascii or binary; files that only hold points have no faces."""
    if not data.startswith(b"ply"):
        raise IntakeError(f"‘{name}’ is not a PLY file, whatever its name says.")
    model = FileModel()
    if is_mixed(data):
        return _take_mixed(name, data, model)
    loaded = trimesh.load_scene(io.BytesIO(data), file_type="ply", process=False)
    for mesh in loaded.geometry.values():
        faces = _ply_faces(mesh)
        if any(len(f) > 3 for f in faces):
            model.outlines = outlines_of(np.asarray(mesh.vertices), faces)
    return _take(name, loaded, model)


def _take_mixed(name: str, data: bytes, model: FileModel) -> FileModel:
    columns, polygons = read_mixed(data)
    vertices = np.column_stack([columns[c] for c in "xyz"]).astype(np.float64)
    polygons = [p for p in polygons if len(p) > 2 and p.min() >= 0 and p.max() < len(vertices)]
    fans = [np.stack([np.broadcast_to(p[0], len(p) - 2), p[1:-1], p[2:]], axis=1) for p in polygons]
    normals = uvs = None
    if {"nx", "ny", "nz"} <= columns.keys():
        normals = np.column_stack([columns[c] for c in ("nx", "ny", "nz")]).astype(np.float32)
    for u, v in (("s", "t"), ("u", "v"), ("texture_u", "texture_v")):
        if u in columns and v in columns:
            uvs = np.column_stack([columns[u], 1.0 - columns[v]]).astype(np.float32)
    model.materials.append(_plain(0))
    model.outlines = outlines_of(vertices, polygons)
    triangles = np.concatenate(fans) if fans else np.zeros((0, 3), np.int64)
    model.parts.append(FilePart(PurePosixPath(name).stem[:80], vertices, triangles, normals, uvs, 0))
    return model


def _ply_faces(mesh: Any) -> Any:
    """The polygons (lists of vertex numbers) of a PLY as trimesh keeps them: by name, or packed with their lengths."""
    data = mesh.metadata.get("_ply_raw", {}).get("face", {}).get("data")
    names = ("vertex_index", "vertex_indices")
    if isinstance(data, dict):
        return next((data[n] for n in names if n in data), ())
    if isinstance(data, np.ndarray) and data.dtype.names:
        return next((data[n]["f1"] for n in names if n in data.dtype.names), ())
    return ()


def read_obj(name: str, data: bytes, bundle: FileBundle) -> FileModel:
    """OBJ with its MTL and textures; parts by object, group and material."""
    model = FileModel()
    text = data.decode("utf-8", errors="replace")
    if not any(line.lstrip().startswith(("v ", "v\t")) for line in text.splitlines()):
        raise IntakeError(f"‘{name}’ has no vertices; it is not an OBJ model.")
    with warnings.catch_warnings():
        # trimesh takes medians of empty slices when a vertex has no texture coordinates, and warns about it
        warnings.simplefilter("ignore", RuntimeWarning)
        loaded = trimesh.load_scene(
            io.StringIO(text), file_type="obj", process=False, split_objects=True, group_material=True,
            resolver=_Resolver(name, bundle, model), skip_materials=False,
        )  # fmt: skip
    model.outlines = _obj_outlines(text)
    return _take(name, loaded, model)


def _obj_outlines(text: str) -> NDArray[np.float64] | None:
    """Edges of an OBJ's polygons; None when all are triangles."""
    vertices: list[list[float]] = []
    polygons: list[NDArray[np.int64]] = []
    for line in text.splitlines():
        words = line.split()
        if len(words) > 3 and words[0] == "v":
            vertices.append([float(x) for x in words[1:4]])
        elif len(words) > 3 and words[0] == "f":
            numbers = np.array([int(w.split("/")[0]) for w in words[1:]])
            polygons.append(np.where(numbers < 0, numbers + len(vertices), numbers - 1))
    if all(len(p) == 3 for p in polygons):
        return None
    return outlines_of(np.array(vertices), polygons)


def _take(name: str, loaded: Any, model: FileModel) -> FileModel:
    known: dict[int, int] = {}
    stem = PurePosixPath(name).stem
    for label, mesh in loaded.geometry.items():
        if not isinstance(mesh, trimesh.Trimesh):
            model.notes.append("Loose points or curves in the file are left out.")
            continue
        uvs, material = _visual(mesh, model, known)
        has_normals = "vertex_normals" in mesh._cache
        model.parts.append(
            FilePart(
                name=(stem if str(label).startswith("geometry_") else str(label) or stem)[:80],
                vertices=np.asarray(mesh.vertices, np.float64),
                triangles=np.asarray(mesh.faces, np.int64),
                normals=np.asarray(mesh.vertex_normals, np.float32) if has_normals else None,
                uvs=uvs,
                material=material,
            )
        )
    return model


def _visual(mesh: trimesh.Trimesh, model: FileModel, known: dict[int, int]) -> tuple[np.ndarray | None, int]:
    """Texture coordinates with the origin at the top left, and the material's index."""
    uv = getattr(mesh.visual, "uv", None)
    uvs = None
    if uv is not None and len(uv) == len(mesh.vertices):
        uvs = np.column_stack([uv[:, 0], 1.0 - uv[:, 1]]).astype(np.float32)
    source = getattr(mesh.visual, "material", None)
    if source is None:
        if -1 not in known:
            known[-1] = len(model.materials)
            model.materials.append(_plain(len(model.materials)))
        return uvs, known[-1]
    if id(source) not in known:
        known[id(source)] = len(model.materials)
        model.materials.append(_from_mtl(source, model))
    return uvs, known[id(source)]


def _plain(index: int) -> Material:
    return Material(id=f"material-{index + 1}", name="Plain", base_color=(0.6, 0.6, 0.6))


def _from_mtl(source: Any, model: FileModel) -> Material:
    """MTL: Kd, Ke, d, Ni, and the physically based Pr, Pm; shininess Ns as roughness (2/(Ns+2))^¼."""
    values: dict[str, Any] = {str(k).lower(): v for k, v in (getattr(source, "kwargs", None) or {}).items()}

    def number(key: str, default: float) -> float:
        value = values.get(key, default)
        return float(np.ravel(value)[0]) if np.size(value) else default

    diffuse = np.asarray(getattr(source, "diffuse", (153, 153, 153, 255)), float)[:4] / 255.0
    shininess = float(getattr(source, "glossiness", 0) or number("ns", 0))
    rough = number("pr", float((2.0 / (max(shininess, 0.0) + 2.0)) ** 0.25))
    emission = np.ravel(values.get("ke", (0, 0, 0))).astype(float)[:3]
    peak = float(emission.max()) if emission.size == 3 else 0.0
    picture = getattr(source, "image", None)
    ref = None
    if picture is not None:
        buffer = io.BytesIO()
        picture.convert("RGBA").save(buffer, "PNG")
        label = f"{getattr(source, 'name', 'map')} base colour"[:80]
        ref = TextureRef(asset=f"picture:{len(model.pictures)}", name=label)
        model.pictures.append(Picture(label, buffer.getvalue()))
    base = [float(min(max(x, 0.0), 1.0)) ** 2.2 for x in diffuse[:3]]
    index = len(model.materials)
    return Material(
        id=f"material-{index + 1}",
        name=str(getattr(source, "name", "") or f"Material {index + 1}")[:80],
        base_color=(1.0, 1.0, 1.0) if ref else (base[0], base[1], base[2]),
        base_metalness=min(max(number("pm", 0.0), 0.0), 1.0),
        specular_roughness=min(max(rough, 0.0), 1.0),
        specular_ior=min(max(number("ni", 1.5), 1.0), 3.0),
        emission_luminance=max(0.0, peak) * 1000.0,
        emission_color=_colour(emission / peak) if peak > 0 else (1.0, 1.0, 1.0),
        opacity=min(max(number("d", 1.0 - number("tr", 0.0)), 0.0), 1.0),
        maps=MaterialMaps(base_color=ref),
    )


def _colour(values: NDArray[np.float64]) -> tuple[float, float, float]:
    r, g, b = (min(max(float(x), 0.0), 1.0) for x in values)
    return r, g, b
