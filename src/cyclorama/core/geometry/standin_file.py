"""The binary in which meshes go to the browser."""

import json
import struct
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..textures import srgb_to_linear
from .mesh import Mesh


def pack_meshes(meshes: list[tuple[Mesh, int]]) -> bytes:
    """Meshes with their part numbers, as they are and white, in the same binary."""
    return pack(
        [(part, m.vertices, m.normals, np.full((len(m.vertices), 4), 255, np.uint8), m.triangles) for m, part in meshes]
    )


def in_parts(mesh: Mesh) -> list[tuple[Mesh, int]]:
    """The parts of a mesh, each with its number."""
    return [(mesh.only(mesh.part == part), int(part)) for part in np.unique(mesh.part)]


def packed_normals(normals: NDArray[np.float32]) -> NDArray[np.int8]:
    """Unit normals (v, 3) as they are in the binary (v, 4)."""
    packed = np.zeros((len(normals), 4), np.int8)
    packed[:, :3] = np.round(normals * 127)
    return packed


def pack(pieces: list[tuple[int, NDArray[Any], NDArray[Any], NDArray[Any], NDArray[Any]]]) -> bytes:
    """Pieces of (part, positions, normals, colours, triangles) as one binary for the browser.

    Layout, little endian: uint32 length of the header, JSON header {vertices, triangles,
    parts: [[part, first index, index count], …]}, float32 positions (v, 3), int8 normals (v, 4), uint8 sRGB
    colours (v, 4), uint32 indices (t, 3).
    """
    ranges, indices, base, start = [], [], 0, 0
    for part, v, _, _, t in pieces:
        ranges.append([part, start * 3, len(t) * 3])
        indices.append(t.astype("<u4") + np.uint32(base))
        base, start = base + len(v), start + len(t)
    header = json.dumps({"vertices": base, "triangles": start, "parts": ranges}).encode()
    header += b" " * (-len(header) % 4)
    normals = packed_normals(np.concatenate([np.zeros((0, 3)), *(p[2] for p in pieces)]))
    return b"".join(
        [
            struct.pack("<I", len(header)),
            header,
            *(p[1].astype("<f4").tobytes() for p in pieces),
            normals.tobytes(),
            *(p[3].tobytes() for p in pieces),
            *(i.tobytes() for i in indices),
        ]
    )


def unpack_mesh(data: bytes) -> Mesh:
    """The mesh in the binary, with its colours linear and without texture coordinates.

    Raises ValueError or KeyError when it is damaged.
    """
    positions, colours, triangles, part = unpack(data)
    header = struct.unpack_from("<I", data)[0] + 4
    normals = np.frombuffer(data, np.int8, len(positions) * 4, header + len(positions) * 12).reshape(-1, 4)[:, :3] / 127
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-6)
    linear = np.dstack([srgb_to_linear(colours[None, :, :3] / 255.0), colours[None, :, 3:] / 255.0])[0]
    return Mesh(
        positions,
        normals.astype(np.float32),
        np.zeros((len(positions), 2), np.float32),
        triangles.astype(np.int32),
        part.astype(np.int32),
        colours=linear.astype(np.float32),
    )


def unpack(data: bytes) -> tuple[NDArray[np.float32], NDArray[np.uint8], NDArray[np.uint32], NDArray[np.int64]]:
    """Positions (v, 3), sRGB colours (v, 4), triangles (t, 3) and the part (t,) of each, from the binary.

    Raises ValueError or KeyError when it is damaged.
    """
    if len(data) < 4:
        raise ValueError("no header")
    (size,) = struct.unpack_from("<I", data)
    header = json.loads(data[4 : 4 + size])
    v, t, at = header["vertices"], header["triangles"], 4 + size
    positions = np.frombuffer(data, "<f4", v * 3, at).reshape(v, 3)
    colours = np.frombuffer(data, np.uint8, v * 4, at + v * 16).reshape(v, 4)
    triangles = np.frombuffer(data, "<u4", t * 3, at + v * 20).reshape(t, 3)
    part = np.zeros(t, np.int64)
    for number, first, count in header["parts"]:
        part[first // 3 : (first + count) // 3] = number
    return positions, colours, triangles, part
