"""Small repairs every model gets on its way in: broken faces out, normals there and on the right side."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..textures import FARTHEST_UV
from .mesh import face_normals, unit_rows
from .normals import weld, with_smooth_normals
from .read import FilePart


@dataclass(slots=True)
class Repairs:
    """What was found and done, summed over parts."""

    degenerate: int = 0
    duplicate: int = 0
    open_edges: int = 0
    without_normals: int = 0
    broken_uvs: int = 0
    flipped_normals: int = 0
    inside_out: int = 0

    def __iadd__(self, other: "Repairs") -> "Repairs":
        for name in self.__slots__:
            setattr(self, name, getattr(self, name) + getattr(other, name))
        return self


@dataclass(slots=True)
class Clean:
    """A part ready for the renderer: vertices (v, 3) f32 file space, normals, uvs, triangles."""

    vertices: NDArray[np.float32]
    normals: NDArray[np.float32]
    uvs: NDArray[np.float32]
    triangles: NDArray[np.int32]
    source: NDArray[np.intp]
    """(v,) which vertex of the file each was"""


def repair(part: FilePart, keeps_winding: bool) -> tuple[Clean, Repairs]:
    """Clean one part. `keeps_winding`: the material lets light through, so the sides mean something."""
    found = Repairs()
    vertices = part.vertices
    triangles = part.triangles
    position, _ = weld(vertices.astype(np.float32))
    triangles = triangles[_sound(vertices, triangles, position, found)]
    found.open_edges = _open_edges(position[triangles])
    uvs = part.uvs if part.uvs is not None else np.zeros((len(vertices), 2), np.float32)
    broken = ~np.all(np.abs(uvs) < FARTHEST_UV, axis=1)
    found.broken_uvs = int(broken.sum())
    uvs = np.where(broken[:, None], np.float32(0), uvs)
    normals = part.normals
    if len(triangles) and not keeps_winding and found.open_edges == 0 and _volume(vertices, triangles) < 0:
        triangles = triangles[:, ::-1]
        normals = None if normals is None else -normals
        found.inside_out = 1
    if normals is None or not np.isfinite(normals).all() or np.any(np.abs(normals).sum(axis=1) < 1e-6):
        found.without_normals = len(triangles)
        return Clean(*with_smooth_normals(vertices, uvs, triangles)), found
    normals, found.flipped_normals = _face_outwards(vertices, triangles, normals)
    return Clean(vertices.astype(np.float32), unit_rows(normals), uvs.astype(np.float32),
                 np.ascontiguousarray(triangles, np.int32), np.arange(len(vertices))), found  # fmt: skip


def _sound(vertices: NDArray[np.float64], triangles: NDArray[np.int64], position: NDArray[np.intp],
           found: Repairs) -> NDArray[np.bool_]:  # fmt: skip
    """Which triangles have an area and are not there twice."""
    corners = position[triangles]
    distinct = (corners[:, 0] != corners[:, 1]) & (corners[:, 1] != corners[:, 2]) & (corners[:, 2] != corners[:, 0])
    area = np.linalg.norm(face_normals(vertices, triangles), axis=1)
    longest = np.ptp(vertices, axis=0).max() if len(vertices) else 0.0
    keep = distinct & (area > (longest * 1e-9) ** 2)
    found.degenerate = int((~keep).sum())
    key = np.sort(corners, axis=1)
    order = np.lexsort(key.T)
    same = np.zeros(len(key), bool)
    same[order[1:]] = np.all(key[order[1:]] == key[order[:-1]], axis=1)
    found.duplicate = int((same & keep).sum())
    return np.asarray(keep & ~same)


def _open_edges(corners: NDArray[np.intp]) -> int:
    edges = np.sort(np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]], corners[:, [2, 0]]]), axis=1)
    if len(edges) == 0:
        return 0
    code = edges[:, 0].astype(np.int64) << 32 | edges[:, 1]
    return int((np.unique(code, return_counts=True)[1] == 1).sum())


def _volume(vertices: NDArray[np.float64], triangles: NDArray[np.int64]) -> float:
    """Signed volume of a closed part; negative when its faces look inwards."""
    a, b, c = (vertices[triangles[:, i]] - vertices[triangles[0, 0]] for i in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)


def _face_outwards(vertices: NDArray[np.float64], triangles: NDArray[np.int64],
                   normals: NDArray[np.float32]) -> tuple[NDArray[np.float32], int]:  # fmt: skip
    """Normals turned to the side their faces look to, and how many faces disagreed with all three."""
    flat = face_normals(vertices, triangles)
    against = np.einsum("ti,tci->tc", flat, normals[triangles]) < 0
    flipped = int(against.all(axis=1).sum())
    if not against.any():
        return normals, 0
    side = np.zeros(len(vertices))
    np.add.at(side, triangles.ravel(), np.where(against, -1, 1).ravel())
    return np.where(side[:, None] < 0, -normals, normals).astype(np.float32), flipped
