"""Mattes of parts and materials by the Cryptomatte open specification, version 1.2 (Friedman and Jones, 2016)."""

import json

import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
_MASK = 0xFFFFFFFF


def _rotated(x: int, by: int) -> int:
    return ((x << by) | (x >> (32 - by))) & _MASK


def murmur3_32(data: bytes, seed: int = 0) -> int:
    """MurmurHash3, 32-bit variant for little-endian machines (A. Appleby)."""
    h = seed
    blocks = len(data) // 4
    for i in range(blocks):
        k = int.from_bytes(data[4 * i : 4 * i + 4], "little") * 0xCC9E2D51 & _MASK
        h ^= _rotated(k, 15) * 0x1B873593 & _MASK
        h = (_rotated(h, 13) * 5 + 0xE6546B64) & _MASK
    tail = data[4 * blocks :]
    if tail:
        k = int.from_bytes(tail, "little") * 0xCC9E2D51 & _MASK
        h ^= _rotated(k, 15) * 0x1B873593 & _MASK
    h ^= len(data)
    for shift, factor in ((16, 0x85EBCA6B), (13, 0xC2B2AE35)):
        h = (h ^ (h >> shift)) * factor & _MASK
    return h ^ (h >> 16)


def name_id(name: str) -> int:
    """The 32-bit id of a name; ids that would be denormal, infinite or NaN as a float are moved (section 3)."""
    h = murmur3_32(name.encode())
    if (h >> 23) & 255 in (0, 255):
        h ^= 1 << 23
    return h


def id_as_float(identity: int) -> np.float32:
    return np.array([identity], np.uint32).view(np.float32)[0]


def matte_channels(layer: str, ranked: F32, names: tuple[str, ...]) -> tuple[dict[str, F32], dict[str, str]]:
    """Channels and header of one matte layer.

    ranked (h, w, ranks, 2): number + 1 of what covers the pixel (0: nothing) and how much of it, most first; names by
    number.
    """
    ids = np.array([0.0, *(id_as_float(name_id(n)) for n in names)], np.float32)
    numbers = np.clip(ranked[..., 0].astype(np.int64), 0, len(names))
    covering = np.where(numbers > 0, ranked[..., 1], 0).astype(np.float32)
    channels: dict[str, F32] = {}
    for rank in range(ranked.shape[2]):
        pair = "RG" if rank % 2 == 0 else "BA"
        channels[f"{layer}{rank // 2:02d}.{pair[0]}"] = np.ascontiguousarray(ids[numbers[:, :, rank]])
        channels[f"{layer}{rank // 2:02d}.{pair[1]}"] = np.ascontiguousarray(covering[:, :, rank])
    key = f"cryptomatte/{name_id(layer):08x}"[:19]
    manifest = {name: f"{name_id(name):08x}" for name in names}
    header = {
        f"{key}/name": layer,
        f"{key}/hash": "MurmurHash3_32",
        f"{key}/conversion": "uint32_to_float32",
        f"{key}/manifest": json.dumps(manifest, separators=(",", ":")),
    }
    return channels, header


def matte_of(channels: dict[str, F32], layer: str, name: str) -> F32:
    """Coverage of each pixel (h, w) by the object of a name; zero where the file does not know it."""
    wanted = id_as_float(name_id(name))
    total: F32 | None = None
    for ids, covering in ranks_of(channels, layer):
        here = np.where(ids == wanted, covering, np.float32(0))
        total = here if total is None else total + here
    assert total is not None
    return np.asarray(total, np.float32)


def ranks_of(channels: dict[str, F32], layer: str) -> list[tuple[F32, F32]]:
    """Ids and coverage (h, w) of a matte layer, most first. Raises KeyError when the file has no such layer."""
    found: list[tuple[F32, F32]] = []
    while f"{layer}{len(found) // 2:02d}.{'RB'[len(found) % 2]}" in channels:
        number, pair = len(found) // 2, "RG" if len(found) % 2 == 0 else "BA"
        found.append((channels[f"{layer}{number:02d}.{pair[0]}"], channels[f"{layer}{number:02d}.{pair[1]}"]))
    if not found:
        raise KeyError(layer)
    return found
