"""Smooth normals by crease angle, for files that bring none."""

import numpy as np
from numpy.typing import NDArray

from .mesh import face_normals, unit_rows


def weld(vertices: NDArray[np.floating]) -> tuple[NDArray[np.intp], int]:
    """For each vertex (n, 3), which distinct position it has, and how many distinct positions there are."""
    if len(vertices) == 0:
        return np.zeros(0, np.intp), 0
    keys = np.ascontiguousarray(vertices, np.float32) + np.float32(0)  # −0 and 0 are one position
    order = np.lexsort(keys.T)
    sorted_keys = keys[order]
    new = np.concatenate([[True], np.any(sorted_keys[1:] != sorted_keys[:-1], axis=1)])
    index = np.empty(len(keys), np.intp)
    index[order] = np.cumsum(new) - 1
    return index, int(new.sum())


def smooth_normals(
    vertices: NDArray[np.floating], triangles: NDArray[np.integer], crease_deg: float = 35.0
) -> NDArray[np.float32]:
    """A normal for each triangle corner (t, 3, 3), area-weighted over the faces around the same position.

    Faces that meet at more than `crease_deg` keep a hard edge. Vertices are welded by position, so seams in
    texture coordinates do not show.
    """
    flat = face_normals(vertices, triangles)
    unit = unit_rows(flat).astype(np.float64)
    position, count = weld(vertices)
    corner_position = position[triangles.ravel()]
    order = np.argsort(corner_position, kind="stable")
    face_of = order // 3
    starts = np.searchsorted(corner_position[order], np.arange(count + 1))
    sizes = np.diff(starts)
    result = np.zeros((len(corner_position), 3))
    cos_crease = np.cos(np.radians(crease_deg))
    # Corners at positions with the same number of faces are compared in one go.
    for size in np.unique(sizes[sizes > 0]):
        first = starts[:-1][sizes == size]
        for block in np.array_split(first, max(1, len(first) * int(size) ** 2 // 4_000_000)):
            faces = face_of[block[:, None] + np.arange(size)]
            near = np.einsum("nik,njk->nij", unit[faces], unit[faces]) >= cos_crease
            summed = np.einsum("nij,njk->nik", near.astype(np.float64), flat[faces])
            result[order[block[:, None] + np.arange(size)].ravel()] = summed.reshape(-1, 3)
    return unit_rows(result).reshape(-1, 3, 3)


def with_smooth_normals(
    vertices: NDArray[np.floating],
    uvs: NDArray[np.floating],
    triangles: NDArray[np.integer],
    crease_deg: float = 35.0,
) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32], NDArray[np.int32], NDArray[np.intp]]:
    """Vertices, normals, uvs and triangles with vertices split along creases, and which vertex each was."""
    normals = smooth_normals(vertices, triangles, crease_deg).reshape(-1, 3)
    corner = triangles.ravel()
    key = np.column_stack([corner.astype(np.int64), np.round(normals * 1e4).astype(np.int64)])
    _, keep, inverse = np.unique(key, axis=0, return_index=True, return_inverse=True)
    source = corner[keep].astype(np.intp)
    return (
        vertices[source].astype(np.float32),
        normals[keep].astype(np.float32),
        uvs[source].astype(np.float32),
        inverse.reshape(-1, 3).astype(np.int32),
        source,
    )
