"""The stand-in: a reduced mesh that the browser draws while things are handled."""

import fast_simplification
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..picture.decode import decode_picture
from ..scene import Material
from .mesh import Mesh
from .standin_file import pack

TARGET_TRIANGLES = 40_000


def build_standin(mesh: Mesh, materials: list[Material], assets: dict[str, bytes]) -> tuple[bytes, NDArray[np.int32]]:
    """A reduced mesh in file space as one binary (see `pack`), and the vertex of the mesh each of its vertices is.

    `materials` has one for each part.
    """
    share = min(1.0, TARGET_TRIANGLES / max(len(mesh.triangles), 1))
    pieces, sources = [], []
    for part, material in enumerate(materials):
        v, source, t = _reduced(mesh, part, share)
        pieces.append((part, v, mesh.normals[source], _map_colours(material, mesh.uvs[source], assets), t))
        sources.append(source)
    return pack(pieces), np.concatenate(sources).astype(np.int32)


def _reduced(mesh: Mesh, part: int, share: float) -> tuple[NDArray[np.float32], NDArray[np.intp], NDArray[np.int32]]:
    faces = mesh.triangles[mesh.part == part]
    used, local = np.unique(faces, return_inverse=True)
    v = mesh.vertices[used]
    faces = local.reshape(-1, 3).astype(np.int32)
    wanted = max(64, int(len(faces) * share))
    if len(faces) <= wanted:
        return v, used, faces
    points, reduced = fast_simplification.simplify(v.astype(np.float32), faces, target_count=wanted)
    _, nearest = cKDTree(v).query(points)
    return points.astype(np.float32), used[nearest], reduced.astype(np.int32)


def _map_colours(material: Material, uv: NDArray[np.float32], assets: dict[str, bytes]) -> NDArray[np.uint8]:
    colours = np.full((len(uv), 4), 255, np.uint8)
    ref = material.maps.base_color
    if ref is not None and len(uv):
        pixels = decode_picture(assets[ref.asset], ref.name)
        h, w = pixels.shape[:2]
        finite = np.nan_to_num(uv, nan=0.0, posinf=0.0, neginf=0.0)
        x = np.floor(finite[:, 0] % 1.0 * w).astype(int) % w
        y = np.floor(finite[:, 1] % 1.0 * h).astype(int) % h
        colours[:, :3] = pixels[y, x, :3]
    return colours
