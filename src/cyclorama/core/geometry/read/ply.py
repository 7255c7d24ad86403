"""PLY: polygons, triangle strips, colours and texture coordinates of points and of faces."""

from pathlib import PurePosixPath
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...errors import IntakeError
from ...scene import MaterialMaps, TextureRef
from ...textures import srgb_to_linear
from .clouds import point_part, touching_radius
from .corners import Polygons, cut_apart, distinct_values, from_top
from .files import FileBundle
from .model import FileModel, ModelPart
from .ply_file import Columns, read_elements
from .values import plain_material

_INDICES = ("vertex_indices", "vertex_index")
_POINT_UVS = (("s", "t"), ("u", "v"), ("texture_u", "texture_v"), ("texture_s", "texture_t"))
_COLOURS = (("red", "green", "blue"), ("diffuse_red", "diffuse_green", "diffuse_blue"), ("r", "g", "b"))


def read_ply(name: str, data: bytes, bundle: FileBundle) -> FileModel:
    """Read a PLY; points without faces become balls."""
    if not data.startswith(b"ply"):
        raise IntakeError(f"‘{name}’ is not a PLY file, whatever its name says.")
    elements, comments = read_elements(name, data)
    vertex = elements.get("vertex", Columns({}, {}))
    if not {"x", "y", "z"} <= vertex.columns.keys():
        raise IntakeError(f"‘{name}’ has no vertices. Export it again.")
    points = np.column_stack([vertex.columns[c] for c in "xyz"]).astype(np.float64)
    index, sizes, face = _faces(elements)
    if len(index) and not (index.min() >= 0 and index.max() < len(points)):
        raise IntakeError(f"‘{name}’ refers to vertices that are not there; it is damaged. Export it again.")
    model = FileModel()
    if not len(sizes) and len(points):
        return _cloud(name, points, vertex, model)
    # properties of corners or faces make corners distinct: map coordinates, colours of the face
    mapped, part = _corner_uvs(face, sizes)
    painted = _colours(face.columns)
    corners = np.zeros((len(index), 3), np.int32)
    corners[:, 0] = index
    del index
    if mapped is not None:
        mapped, corners[:, 1] = distinct_values(mapped)
    if painted is not None:
        corners[:, 2] = np.repeat(np.arange(len(sizes)), sizes)
    pieces = cut_apart(points, Polygons(corners, sizes, part))
    del corners
    textures = [c.split(None, 1)[1] for c in comments if c.lower().startswith("texturefile ") and len(c.split()) > 1]
    point_uvs, point_colours = _point_uvs(vertex), _colours(vertex.columns)
    normals = _normals(vertex)
    stem = PurePosixPath(name).stem[:80]
    for number, rows, piece in pieces:
        piece.name = stem if len(pieces) == 1 else f"{stem} {number + 1}"
        piece.uvs = mapped[rows[:, 1]] if mapped is not None else _rows(point_uvs, rows[:, 0])
        piece.normals, piece.colours = _rows(normals, rows[:, 0]), _rows(point_colours, rows[:, 0])
        if piece.colours is None and painted is not None:
            piece.colours = painted[rows[:, 2]]
        piece.material = _material(name, textures, number, bundle, model, piece)
        model.parts.append(piece)
    return model


def _cloud(name: str, points: NDArray[np.float64], vertex: Columns, model: FileModel) -> FileModel:
    """Points without faces as balls that just touch, on the average; or as large as the file says."""
    told = vertex.columns.get("radius")
    finite = np.isfinite(points).all(axis=1)
    if told is not None:
        radii = np.maximum(np.nan_to_num(told.astype(np.float64)), 0.0)
    else:
        radii = np.full(len(points), touching_radius(points[finite]))
    colours = _colours(vertex.columns)
    points, radii, colours = points[finite], radii[finite], None if colours is None else colours[finite]
    title = PurePosixPath(name).stem[:80]
    part = point_part(title, points, radii, None if colours is None else colours[:, :3].astype(np.float64), model)
    plain = plain_material(0)
    model.materials.append(plain.model_copy(update={"base_color": (1.0, 1.0, 1.0)}) if colours is not None else plain)
    model.parts.append(part)
    return model


def _faces(elements: dict[str, Columns]) -> tuple[NDArray[np.int64], NDArray[np.int64], Columns]:
    """Vertices of all corners end to end, how many each polygon has, and what else is said of faces."""
    face = elements.get("face", Columns({}, {}))
    for name in _INDICES:
        if name in face.lists:
            sizes, index = face.lists[name]
            return index.astype(np.int64), sizes, face
    for name in _INDICES:
        if name in elements.get("tristrips", face).lists:
            triangles = _unstripped(elements["tristrips"].lists[name][1].astype(np.int64))
            return triangles.ravel(), np.full(len(triangles), 3), Columns({}, {})
    return np.zeros(0, np.int64), np.zeros(0, np.int64), Columns({}, {})


def _unstripped(strip: NDArray[np.int64]) -> NDArray[np.int64]:
    """Triangles (t, 3) of strips end to end, −1 between them."""
    triangles = np.stack([strip[:-2], strip[1:-1], strip[2:]], axis=1)
    at = np.arange(len(strip))
    begun = np.maximum.accumulate(np.where(strip < 0, at + 1, 0))[:-2]
    odd = (at[:-2] - begun) % 2 == 1
    triangles[odd] = triangles[odd][:, [1, 0, 2]]
    return triangles[(triangles >= 0).all(axis=1)]


def _corner_uvs(face: Columns, sizes: NDArray[np.int64]) -> tuple[NDArray[np.float32] | None, NDArray[np.int64]]:
    """Places of the corners on their map (c, 2), and the number of the map that each face uses."""
    number = face.columns.get("texnumber")
    part = np.zeros(len(sizes), np.int64) if number is None else np.maximum(number.astype(np.int64), 0)
    lengths, values = face.lists.get("texcoord", (np.zeros(0, np.int64), np.zeros(0)))
    if len(lengths) != len(sizes) or not (lengths == 2 * sizes).all():
        return None, part
    return from_top(values[0::2], values[1::2]), part


def _point_uvs(vertex: Columns) -> NDArray[np.float32] | None:
    for u, v in _POINT_UVS:
        if u in vertex.columns and v in vertex.columns:
            return from_top(vertex.columns[u], vertex.columns[v])
    return None


def _normals(vertex: Columns) -> NDArray[np.float32] | None:
    if not {"nx", "ny", "nz"} <= vertex.columns.keys():
        return None
    return np.column_stack([vertex.columns[c] for c in ("nx", "ny", "nz")]).astype(np.float32)


def _colours(columns: dict[str, NDArray[Any]]) -> NDArray[np.float32] | None:
    """Linear colours and opacity (n, 4); programs write display values, whole numbers or 0…1."""
    for names in _COLOURS:
        if set(names) <= columns.keys():
            given = [columns[n] for n in (*names, "alpha") if n in columns]
            values = np.column_stack([g.astype(np.float64) for g in given])
            # text has no types: numbers above 1 are whole ones
            limits = [
                np.iinfo(g.dtype).max if g.dtype.kind in "iu" else 255.0 if g.max(initial=0) > 1.5 else 1.0
                for g in given
            ]
            values = np.nan_to_num(np.clip(values / limits, 0.0, 1.0), nan=1.0)
            alpha = values[:, 3] if len(given) > 3 else np.ones(len(values))
            return np.column_stack([srgb_to_linear(values[:, :3]), alpha]).astype(np.float32)
    return None


def _rows(values: NDArray[np.float32] | None, rows: NDArray[np.int64]) -> NDArray[np.float32] | None:
    return None if values is None else values[rows]


def _material(
    name: str, textures: list[str], number: int, bundle: FileBundle, model: FileModel, piece: ModelPart
) -> int:
    """A plain material, with the picture of this number where there is one."""
    index, ref = len(model.materials), None
    label = textures[number] if piece.uvs is not None and number < len(textures) else None
    if label is not None:
        picture = bundle.beside(name, label)
        if picture is None:
            model.missing.append(f"Texture ‘{label}’")
        else:
            ref = TextureRef(asset=model.keep_picture(label[:80], picture), name=label[:80])
    material = plain_material(index, "Plain" if index == 0 else f"Plain {index + 1}")
    if ref or piece.colours is not None:
        material = material.model_copy(update={"base_color": (1.0, 1.0, 1.0), "maps": MaterialMaps(base_color=ref)})
    model.materials.append(material)
    return index
