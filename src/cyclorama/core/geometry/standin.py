"""The stand-in: a reduced mesh that the browser draws while things are handled."""

import fast_simplification
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..picture.decode import decode_picture
from ..scene import Material
from ..textures import srgb_to_linear, to_srgb_bytes
from .mesh import Mesh, face_normals, used_by
from .rows import distinct_rows, first_of, runs
from .standin_file import pack

TARGET_TRIANGLES = 40_000
MANY, CELLS = 400_000, 60_000
"""Parts of more triangles are first laid into a grid of which so many cells hold their surface."""


def build_standin(mesh: Mesh, materials: list[Material], assets: dict[str, bytes]) -> tuple[bytes, NDArray[np.int32]]:
    """A reduced mesh in file space as one binary (see `pack`), and the vertex of the mesh each of its vertices is.

    `materials` has one for each part, whose triangles stand together and in its order.
    """
    share = min(1.0, TARGET_TRIANGLES / max(len(mesh.triangles), 1))
    ends = np.searchsorted(mesh.part, np.arange(len(materials)), side="right")
    pictures: dict[str, NDArray[np.uint8]] = {}
    pieces, sources = [], []
    for part, material in enumerate(materials):
        faces = mesh.triangles[ends[part - 1] if part else 0 : ends[part]]
        v, source, t = _reduced(mesh.vertices, faces, share)
        colours = _map_colours(material, mesh.uvs[source], assets, pictures)
        if len(mesh.colours) and material.vertex_colours:
            colours[:, :3] = _tinted(colours[:, :3], mesh.colours[source, :3])
        pieces.append((part, v, mesh.normals[source], colours, t))
        sources.append(source)
    return pack(pieces), np.concatenate(sources).astype(np.int32)


def _reduced(
    vertices: NDArray[np.float32], faces: NDArray[np.int32], share: float
) -> tuple[NDArray[np.float32], NDArray[np.intp], NDArray[np.int32]]:
    low, high = int(faces.min()), int(faces.max()) + 1
    mask = used_by(faces - low, high - low)
    used = np.flatnonzero(mask)
    v = vertices[low + used]
    faces = (np.cumsum(mask) - 1)[faces - low].astype(np.int32)
    wanted = max(64, int(len(faces) * share))
    if len(faces) <= wanted:
        return v, low + used, faces
    if len(faces) > MANY:
        kept, faces = _clustered(v, faces)
        v, used = v[kept], used[kept]
    points, reduced = fast_simplification.simplify(v.astype(np.float32), faces, target_count=wanted)
    _, nearest = cKDTree(v).query(points)
    return points.astype(np.float32), (low + used)[nearest], reduced.astype(np.int32)


def _clustered(v: NDArray[np.float32], faces: NDArray[np.int32]) -> tuple[NDArray[np.intp], NDArray[np.int32]]:
    """What is left when vertices in one cell of a grid become one: which vertices stay, and the triangles of these.

    Rossignac and Borrel, "Multi-resolution 3D approximations for rendering complex scenes", 1993. It takes a tenth of
    the time and memory of the finer reduction, which then has little left to do.
    """
    area = sum(float(np.linalg.norm(face_normals(v, faces[some]), axis=1).sum()) for some in runs(len(faces))) / 2
    cell = max(np.sqrt(area / CELLS), np.finfo(np.float32).tiny)
    index, count = distinct_rows(np.floor((v - v.min(axis=0)) / cell).astype(np.int32))
    left = []
    for some in runs(len(faces)):
        joined = index[faces[some]]
        apart = (joined[:, 0] != joined[:, 1]) & (joined[:, 1] != joined[:, 2]) & (joined[:, 2] != joined[:, 0])
        left.append(joined[apart])
    joined = np.concatenate(left)
    alike, many = distinct_rows(np.sort(joined, axis=1))
    return first_of(index, count), joined[np.sort(first_of(alike, many))]


def _tinted(shown: NDArray[np.uint8], colours: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Display bytes (v, 3) multiplied with linear colours."""
    return to_srgb_bytes(srgb_to_linear(shown / 255.0) * colours)


def _map_colours(
    material: Material, uv: NDArray[np.float32], assets: dict[str, bytes], pictures: dict[str, NDArray[np.uint8]]
) -> NDArray[np.uint8]:
    colours = np.full((len(uv), 4), 255, np.uint8)
    ref = material.maps.base_color
    if ref is not None and len(uv):
        if ref.asset not in pictures:
            pictures[ref.asset] = decode_picture(assets[ref.asset], ref.name)
        pixels = pictures[ref.asset]
        h, w = pixels.shape[:2]
        finite = np.nan_to_num(uv, nan=0.0, posinf=0.0, neginf=0.0)
        x = np.floor(finite[:, 0] % 1.0 * w).astype(int) % w
        y = np.floor(finite[:, 1] % 1.0 * h).astype(int) % h
        colours[:, :3] = pixels[y, x, :3]
    return colours
