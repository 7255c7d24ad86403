"""Triangles with what belongs to them, as one value that is written and read whole."""

import io
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ..kernel import kernel


@dataclass(frozen=True, slots=True)
class Mesh:
    """Triangles of one or more parts in one space."""

    vertices: NDArray[np.float32]
    """(v, 3)"""
    normals: NDArray[np.float32]
    """(v, 3) unit"""
    uvs: NDArray[np.float32]
    """(v, 2) origin at the top left of the picture, as in glTF"""
    triangles: NDArray[np.int32]
    """(t, 3)"""
    part: NDArray[np.int32]
    """(t,) index of the part each triangle belongs to"""
    inner: NDArray[np.uint8] = field(default_factory=lambda: np.zeros(0, np.uint8))
    """(t,) edges that only split a polygon of the file, as bits (see `polygons`); (0,) where there are none"""
    more_uvs: NDArray[np.float32] = field(default_factory=lambda: np.zeros((0, 2), np.float32))
    """(v, 2) a second set; (0, 2) where there is none"""
    colours: NDArray[np.float32] = field(default_factory=lambda: np.zeros((0, 4), np.float32))
    """(v, 4) linear Rec.709 and opacity, to be multiplied with the material's; (0, 4) where there are none"""

    @property
    def inner_bits(self) -> NDArray[np.uint8]:
        """`inner` for every triangle (t,)."""
        return self.inner if len(self.inner) else np.zeros(len(self.triangles), np.uint8)

    def only(self, keep: NDArray[np.bool_]) -> "Mesh":
        """The mesh with some of its triangles (t,)."""
        return replace(self, triangles=self.triangles[keep], part=self.part[keep], inner=self.inner_bits[keep])

    def compacted(self) -> tuple["Mesh", NDArray[np.intp]]:
        """The mesh without the vertices that no triangle uses, and the numbers of those that stay."""
        used = used_by(self.triangles, len(self.vertices))
        number = (np.cumsum(used) - 1).astype(np.int32)
        return replace(
            self,
            vertices=self.vertices[used],
            normals=self.normals[used],
            uvs=self.uvs[used],
            triangles=number[self.triangles],
            more_uvs=self.more_uvs[used] if len(self.more_uvs) else self.more_uvs,
            colours=self.colours[used] if len(self.colours) else self.colours,
        ), np.flatnonzero(used)

    def reversed(self) -> "Mesh":
        """The mesh inside out, its normals as they are."""
        return replace(self, triangles=np.ascontiguousarray(self.triangles[:, ::-1]), inner=swapped_bits(self.inner))

    def transformed(self, matrix: NDArray[np.float64]) -> "Mesh":
        """The mesh under an affine (4, 4) matrix without shear."""
        vertices, normals = transform_vertices(matrix, self.vertices, self.normals)
        moved = replace(self, vertices=vertices, normals=normals)
        return moved.reversed() if np.linalg.det(matrix[:3, :3]) < 0 else moved

    def to_bytes(self) -> bytes:
        """One self-contained file (NumPy npz)."""
        buffer = io.BytesIO()
        np.savez(buffer, **{name: getattr(self, name) for name in self.__slots__})
        return buffer.getvalue()

    @staticmethod
    def from_bytes(data: bytes) -> "Mesh":
        with np.load(io.BytesIO(data), allow_pickle=False) as file:
            return Mesh(**{name: file[name] for name in Mesh.__slots__ if name in file})


def swapped_bits(inner: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Bits of inner edges for triangles whose corners stand the other way round: the first two edges change places."""
    return ((inner & 4) | ((inner & 1) << 1) | ((inner & 2) >> 1)).astype(np.uint8)


def transform_vertices(
    matrix: NDArray[np.float64], vertices: NDArray[np.float32], normals: NDArray[np.float32]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Vertices and unit normals (v, 3) under an affine (4, 4) matrix without shear."""
    linear = matrix[:3, :3]
    moved = (vertices @ linear.T + matrix[:3, 3]).astype(np.float32)
    return moved, unit_rows(normals @ np.linalg.inv(linear))


def unit_rows(a: NDArray[np.floating]) -> NDArray[np.float32]:
    """Rows (n, 3) scaled to length 1; rows without a direction become +Y."""
    length = np.linalg.norm(a, axis=1, keepdims=True)
    least = np.finfo(length.dtype).tiny
    safe = np.where(length > least, a / np.maximum(length, least), [0.0, 1.0, 0.0])
    return safe.astype(np.float32)


def join(meshes: list[Mesh]) -> Mesh:
    """All meshes end to end; part numbers are counted on."""
    vertex, part = 0, 0
    triangles, parts = [], []
    for m in meshes:
        triangles.append(m.triangles + vertex)
        parts.append(m.part + part)
        vertex += len(m.vertices)
        part += int(m.part.max()) + 1 if len(m.part) else 0
    if not meshes:
        empty = np.zeros((0, 3), np.float32)
        no_triangles, no_parts = np.zeros((0, 3), np.int32), np.zeros(0, np.int32)
        return Mesh(empty, empty, np.zeros((0, 2), np.float32), no_triangles, no_parts)
    return Mesh(
        np.concatenate([m.vertices for m in meshes]),
        np.concatenate([m.normals for m in meshes]),
        np.concatenate([m.uvs for m in meshes]),
        np.concatenate(triangles).astype(np.int32),
        np.concatenate(parts).astype(np.int32),
        np.concatenate([m.inner_bits for m in meshes]),
        together([m.more_uvs if len(m.more_uvs) else None for m in meshes], [len(m.vertices) for m in meshes], 2, 0.0),
        together([m.colours if len(m.colours) else None for m in meshes], [len(m.vertices) for m in meshes], 4, 1.0),
    )


def together(
    values: Sequence[NDArray[np.float32] | None], sizes: Sequence[int], width: int, default: float
) -> NDArray[np.float32]:
    """An attribute of pieces of so many vertices end to end (n, width), `default` for pieces without it; (0, width)
    where no piece has it."""
    if all(v is None for v in values):
        return np.zeros((0, width), np.float32)
    filled = [np.full((n, width), default, np.float32) if v is None else v for v, n in zip(values, sizes, strict=True)]
    return np.concatenate(filled).astype(np.float32, copy=False)


def used_by(triangles: NDArray[np.integer], count: int) -> NDArray[np.bool_]:
    """Which of so many vertices any triangle uses."""
    used = np.zeros(count, bool)
    used[triangles] = True
    return used


def face_normals(vertices: NDArray[np.floating], triangles: NDArray[np.integer]) -> NDArray[np.float64]:
    """Cross products (t, 3): direction of the face, length twice its area. In float64."""
    out = np.empty((len(triangles), 3))
    _cross_products(np.ascontiguousarray(vertices), np.ascontiguousarray(triangles), out)
    return out


@kernel
def _cross_products(vertices, triangles, out):  # type: ignore[no-untyped-def]
    for t in range(triangles.shape[0]):
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        x, y, z = np.float64(vertices[i, 0]), np.float64(vertices[i, 1]), np.float64(vertices[i, 2])
        ax, ay, az = vertices[j, 0] - x, vertices[j, 1] - y, vertices[j, 2] - z
        bx, by, bz = vertices[k, 0] - x, vertices[k, 1] - y, vertices[k, 2] - z
        out[t, 0], out[t, 1], out[t, 2] = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
