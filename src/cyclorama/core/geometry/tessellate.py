"""Finer triangles in place of coarse ones, without cracks, and surfaces moved along their normals."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from .mesh import Mesh, face_normals
from .normals import STEPS, weld
from .rows import distinct_rows, first_of

F32 = NDArray[np.float32]
I64 = NDArray[np.int64]
_NEXT = np.array([1, 2, 0])
INNER = np.uint8(1)


def tessellate(mesh: Mesh, longest: float, most: int, values: F32) -> tuple[Mesh, F32]:
    """The mesh with no edge longer than that, or with about as many triangles as it may have; and values (v, k) of its
    vertices.

    All edges longer than `longest` are halved at once, again and again. Both triangles at an edge see the same two
    points and decide alike, so that no gap opens, also where seams of texture coordinates part them.
    """
    while len(mesh.triangles) < most:
        points = mesh.vertices[mesh.triangles]
        across = points[:, _NEXT] - points
        long = np.einsum("tek,tek->te", across, across) > longest * longest
        if not long.any():
            break
        mesh, values = _divided(mesh, long, values)
    return mesh, values


def _divided(mesh: Mesh, long: NDArray[np.bool_], values: F32) -> tuple[Mesh, F32]:
    """The mesh with the edges marked (t, 3) halved; edge e goes from corner e to the next."""
    corners = mesh.triangles.astype(np.int64)
    ends = np.sort(np.stack([corners, corners[:, _NEXT]], axis=-1)[long], axis=1)
    index, count = distinct_rows(ends.astype(np.int32))
    pairs = ends[first_of(index, count)]
    middle = np.zeros(long.shape, np.int64)
    middle[long] = len(mesh.vertices) + index
    # turned so that what is long comes first: the only one, or the first of two that follow each other
    times = long.sum(axis=1)
    start = np.where(times == 2, (long.argmin(axis=1) + 1) % 3, long.argmax(axis=1))
    order = (start[:, None] + np.arange(3)) % 3
    rows = np.arange(len(corners))[:, None]
    bits = (mesh.inner_bits[:, None] >> order.astype(np.uint8)) & 1
    corners, middle = corners[rows, order], middle[rows, order]
    found: list[tuple[I64, NDArray[np.uint8], NDArray[np.int32]]] = []

    def add(
        which: NDArray[np.bool_], *pieces: tuple[tuple[I64, object], tuple[I64, object], tuple[I64, object]]
    ) -> None:
        """Triangles of corners, each with whether the edge from it lies inside a polygon."""
        for piece in pieces:
            at = np.stack([corner[which] for corner, _ in piece], axis=1)
            inside = [np.broadcast_to(np.asarray(bit, np.uint8), which.shape)[which] for _, bit in piece]
            found.append((at, (inside[0] | inside[1] << 1 | inside[2] << 2).astype(np.uint8), mesh.part[which]))

    (a, b, c), (x, y, z) = corners.T, middle.T
    ab, bc, ca = bits.T
    add(times == 0, ((a, ab), (b, bc), (c, ca)))
    add(times == 1, ((a, ab), (x, INNER), (c, ca)), ((x, ab), (b, bc), (c, INNER)))
    short = _length(mesh, a, y, pairs) <= _length(mesh, x, c, pairs)
    add((times == 2), ((x, ab), (b, bc), (y, INNER)))
    add((times == 2) & short, ((a, ab), (x, INNER), (y, INNER)), ((a, INNER), (y, bc), (c, ca)))
    add((times == 2) & ~short, ((a, ab), (x, INNER), (c, ca)), ((x, INNER), (y, bc), (c, INNER)))
    add(
        times == 3,
        ((a, ab), (x, INNER), (z, ca)),
        ((x, ab), (b, bc), (y, INNER)),
        ((z, INNER), (y, bc), (c, ca)),
        ((x, INNER), (y, INNER), (z, INNER)),
    )
    normals = mesh.normals[pairs].sum(axis=1)
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    normals = np.where(length > 1e-6, normals / np.maximum(length, 1e-6), mesh.normals[pairs[:, 0]])

    def halved(of: F32) -> F32:
        return np.concatenate([of, of[pairs].mean(axis=1, dtype=np.float32)]) if len(of) else of

    finer = Mesh(
        halved(mesh.vertices),
        np.concatenate([mesh.normals, normals.astype(np.float32)]),
        halved(mesh.uvs),
        np.concatenate([at for at, _, _ in found]).astype(np.int32),
        np.concatenate([part for _, _, part in found]),
        np.concatenate([inside for _, inside, _ in found]),
        halved(mesh.more_uvs),
        halved(mesh.colours),
    )
    return finer, halved(values)


def _length(mesh: Mesh, a: I64, b: I64, pairs: I64) -> F32:
    """Squared distance of vertices, some of which are middles that are not there yet."""
    places = np.concatenate([mesh.vertices, mesh.vertices[pairs].mean(axis=1, dtype=np.float32)])
    across = places[np.minimum(a, len(places) - 1)] - places[np.minimum(b, len(places) - 1)]
    return np.asarray(np.einsum("ij,ij->i", across, across))


def displace(mesh: Mesh, height: NDArray[np.floating], held: NDArray[np.bool_]) -> Mesh:
    """The mesh with each vertex moved along its normal by a height (v,) m, and normals of the surface that results.

    Vertices of one place move together, by their mean, so that seams stay closed. Those held (v,) stay where they are.
    Where normals differed at one place they go on to differ: hard edges stay hard.
    """
    place, count = weld(mesh.vertices)
    step = np.where(held, 0.0, height)[:, None] * mesh.normals
    total = np.stack([np.bincount(place, step[:, k], count) for k in range(3)], axis=1)
    fixed = np.bincount(place, held, count) > 0
    mean = np.where(fixed[:, None], 0.0, total / np.bincount(place, minlength=count)[:, None])
    vertices = (mesh.vertices + mean[place]).astype(np.float32)
    leaning = np.round(mesh.normals * (STEPS / 100)).astype(np.int32)
    smooth, groups = distinct_rows(np.column_stack([place, leaning]))
    flat = face_normals(vertices, mesh.triangles)
    corner = smooth[mesh.triangles].ravel()
    summed = np.stack([np.bincount(corner, np.repeat(flat[:, k], 3), groups) for k in range(3)], axis=1)
    length = np.linalg.norm(summed, axis=1, keepdims=True)
    normals = np.where(length > 0, summed / np.maximum(length, 1e-30), [0.0, 1.0, 0.0]).astype(np.float32)
    return replace(mesh, vertices=vertices, normals=normals[smooth])
