"""The stand-in: a reduced mesh that the browser draws while things are handled."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ..picture_files import decode_picture
from ..scene import Material
from ..textures import srgb_to_linear, tile_numbers, to_srgb_bytes
from .lighten import reduce_mesh
from .mesh import Mesh, face_normals
from .rows import distinct_rows, first_of, runs
from .standin_file import pack

ERROR = 1 / 800
"""What may show of the reduction, in radii of the model: about half a pixel where it fills the lens."""
MOST_TRIANGLES, COARSER = 120_000, 3.0
"""While a stand-in has more, more may show, up to COARSEST radii."""
COARSEST = 1 / 80
MANY, CELLS = 400_000, 60_000
"""Parts of more triangles are first laid into a grid of which so many cells hold their surface."""


def build_standin(mesh: Mesh, materials: list[Material], assets: dict[str, bytes]) -> tuple[bytes, NDArray[np.int32]]:
    """A reduced mesh in file space as one binary (see `pack`), and the vertex of the mesh each of its vertices is.

    `materials` has one for each part, whose triangles stand together and in its order.
    """
    light, kept = _reduced(mesh, len(materials))
    pictures: dict[str, NDArray[np.uint8]] = {}
    pieces, sources = [], []
    for part, (material, faces) in enumerate(zip(materials, _by_part(light, len(materials)), strict=True)):
        used, t = np.unique(faces, return_inverse=True)
        source = kept[used]
        colours = _map_colours(material, mesh.uvs[source], assets, pictures)
        if len(mesh.colours) and material.vertex_colours:
            colours[:, :3] = _tinted(colours[:, :3], mesh.colours[source, :3])
        faces = t.reshape(-1, 3).astype(np.int32)
        pieces.append((part, mesh.vertices[source], mesh.normals[source], colours, faces))
        sources.append(source)
    return pack(pieces), np.concatenate(sources).astype(np.int32)


def _by_part(mesh: Mesh, parts: int) -> list[NDArray[np.int32]]:
    """The triangles of each part."""
    ends = np.searchsorted(mesh.part, np.arange(parts), side="right")
    return [mesh.triangles[ends[part - 1] if part else 0 : ends[part]] for part in range(parts)]


def _reduced(mesh: Mesh, parts: int) -> tuple[Mesh, NDArray[np.int32]]:
    """The mesh with as few triangles as show no difference, and which of its vertices (n,) are left."""
    left, whole = _coarse(mesh, parts)
    radius = float(np.linalg.norm(np.ptp(mesh.vertices[mesh.triangles.min() : mesh.triangles.max() + 1], axis=0))) / 2
    error = ERROR
    while True:
        owner = np.zeros(len(left.vertices), np.int32)
        owner[left.triangles] = left.part[:, None]
        light, kept = reduce_mesh(left, radius * error, owner, np.zeros(len(left.triangles), bool))
        there = np.bincount(light.part, minlength=parts) > 0
        error *= COARSER
        if len(light.triangles) <= MOST_TRIANGLES or error > COARSEST:
            break
    if not there.all():  # parts smaller than the tolerance: seen when the camera comes near
        small = left.only(~there[left.part])
        order = np.argsort(np.concatenate([light.part, small.part]), kind="stable")
        back = np.full(len(left.vertices), -1)
        back[kept] = np.arange(len(kept))
        missing = np.setdiff1d(small.triangles, kept)
        back[missing] = np.arange(len(kept), len(kept) + len(missing))
        kept = np.concatenate([kept, missing])
        faces = np.concatenate([light.triangles, back[small.triangles].astype(np.int32)])[order]
        light = replace(light, triangles=faces, part=np.concatenate([light.part, small.part])[order])
    return light, whole[kept].astype(np.int32)


def _coarse(mesh: Mesh, parts: int) -> tuple[Mesh, NDArray[np.int32]]:
    """The mesh to reduce, without texture and colours, and its vertices' numbers in the model: parts of very many
    triangles are laid into a grid before."""
    faces = []
    for own in _by_part(mesh, parts):
        if len(own) > MANY:
            used, corners = np.unique(own, return_inverse=True)
            first, joined = _clustered(mesh.vertices[used], corners.reshape(-1, 3).astype(np.int32))
            own = used[first][joined].astype(np.int32)
        faces.append(own)
    used, corners = np.unique(np.concatenate(faces), return_inverse=True)
    triangles = corners.reshape(-1, 3).astype(np.int32)
    part = np.repeat(np.arange(parts, dtype=np.int32), [len(f) for f in faces])
    nothing = np.zeros((len(used), 2), np.float32)
    return Mesh(mesh.vertices[used], mesh.normals[used], nothing, triangles, part), used


def _clustered(v: NDArray[np.float32], faces: NDArray[np.int32]) -> tuple[NDArray[np.intp], NDArray[np.int32]]:
    """Vertices that stay when those in one cell of a grid become one, and the triangles of these.

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
    if ref is None or not ref.asset or not len(uv):
        return colours
    tile = tile_numbers(uv) if ref.tiles else np.zeros(len(uv), np.int64)
    for number, asset in enumerate(ref.tiles or (ref.asset,)):
        here = tile == number
        if not asset or not here.any():
            continue
        if asset not in pictures:
            pictures[asset] = decode_picture(assets[asset], ref.name)
        pixels = pictures[asset]
        h, w = pixels.shape[:2]
        finite = np.nan_to_num(uv[here], nan=0.0, posinf=0.0, neginf=0.0)
        x = np.floor(finite[:, 0] % 1.0 * w).astype(int) % w
        y = np.floor(finite[:, 1] % 1.0 * h).astype(int) % h
        colours[here, :3] = pixels[y, x, :3]
    return colours
