"""Buffers packed by EXT_meshopt_compression: attributes, triangles and index sequences, and their filters.

Follows the bitstream and filter sections of the extension's specification (Khronos, EXT_meshopt_compression, 2022).
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...errors import IntakeError
from ...kernel import kernel, routine

U8 = NDArray[np.uint8]
MAX_STRIDE = 256
_TAIL = {"ATTRIBUTES": 32, "TRIANGLES": 16, "INDICES": 4}
_HEADER = {"ATTRIBUTES": 0xA0, "TRIANGLES": 0xE0, "INDICES": 0xD0}


def unpack_buffer(name: str, data: bytes, count: int, stride: int, mode: str, what: str) -> U8:
    """The bytes (count · stride,) behind a packed buffer view; `what` is the filter's name.

    Raises IntakeError when the data does not unpack, and for versions that are not known.
    """
    damaged = IntakeError(f"‘{name}’ is damaged: its packed mesh data cannot be unpacked. Copy or export it again.")
    body = np.frombuffer(data, np.uint8)
    least = 1 + _TAIL.get(mode, 1)
    if mode not in _HEADER or not 0 < stride <= MAX_STRIDE or count < 0 or len(body) < least:
        raise damaged
    kind, version = int(body[0]) & 0xF0, int(body[0]) & 0x0F
    if kind != _HEADER[mode] or count > 400 * len(body):
        raise damaged
    if version > (0 if mode == "ATTRIBUTES" else 1):
        raise IntakeError(f"‘{name}’ is packed by a newer method than is known here. Export it without compression.")
    if mode == "ATTRIBUTES":
        out = np.zeros((count, stride), np.uint8)
        sound = stride % 4 == 0 and _attributes(body, out, np.zeros((256, stride), np.uint8))
    else:
        indices = np.zeros(count, np.uint32)
        read = _triangles if mode == "TRIANGLES" else _sequence
        sound = (mode != "TRIANGLES" or count % 3 == 0) and read(body, version, indices)
        out = indices.astype({2: np.uint16, 4: np.uint32}.get(stride, np.uint8)).view(np.uint8).reshape(count, -1)
    if not sound or out.shape[1] != stride:
        raise damaged
    return np.ascontiguousarray(_filtered(out, what, damaged)).reshape(-1)


def _filtered(values: U8, what: str, damaged: IntakeError) -> NDArray[Any]:
    stride = values.shape[1]
    if what == "OCTAHEDRAL" and stride in (4, 8):
        return _octahedral(values.view(np.int8 if stride == 4 else np.int16)).view(np.uint8)
    if what == "QUATERNION" and stride == 8:
        return _quaternion(values.view(np.int16)).view(np.uint8)
    if what == "EXPONENTIAL" and stride % 4 == 0:
        packed = values.view(np.int32)
        with np.errstate(over="ignore"):  # damaged exponents become infinite, and such vertices are told of
            return np.ldexp(((packed << 8) >> 8).astype(np.float64), packed >> 24).astype(np.float32).view(np.uint8)
    if what != "NONE":
        raise damaged
    return values


def _octahedral(v: NDArray[Any]) -> NDArray[Any]:
    most = np.iinfo(v.dtype).max
    x, y = v[:, 0].astype(np.float32), v[:, 1].astype(np.float32)
    z = v[:, 2].astype(np.float32) - np.abs(x) - np.abs(y)
    fold = np.minimum(z, 0)
    x, y = x + np.where(x >= 0, fold, -fold), y + np.where(y >= 0, fold, -fold)
    scale = most / np.maximum(np.sqrt(x * x + y * y + z * z), 1e-20)
    out = v.copy()
    for k, part in enumerate((x, y, z)):
        out[:, k] = np.trunc(part * scale + np.where(part >= 0, 0.5, -0.5))
    return out


def _quaternion(v: NDArray[np.int16]) -> NDArray[np.int16]:
    largest = (v[:, 3] & 3).astype(np.intp)
    scale = np.sqrt(0.5) / (v[:, 3] | 3).astype(np.float64)
    xyz = v[:, :3] * scale[:, None]
    w = np.sqrt(np.maximum(1.0 - (xyz * xyz).sum(axis=1), 0.0))
    out, rows = np.empty_like(v), np.arange(len(v))
    for k, part in enumerate((w, *xyz.T)):
        out[rows, (largest + k) & 3] = np.trunc(part * 32767 + np.where(part >= 0, 0.5, -0.5))
    return out


@routine
def _group(body, at, bits, out, k, first, rows):  # type: ignore[no-untyped-def]
    """Sixteen bytes of a column, from `first` on, packed with so many bits each; where the next group begins."""
    if bits == 0:
        for i in range(16):
            if first + i < rows:
                out[first + i, k] = 0
        return at
    if bits == 8:
        for i in range(16):
            if first + i < rows:
                out[first + i, k] = body[at + i]
        return at + 16
    escape = (1 << bits) - 1
    more, per = at + 2 * bits, 8 // bits
    for i in range(16):
        value = (body[at + i // per] >> (8 - bits - bits * (i % per))) & escape
        if value == escape:
            value = body[more]
            more += 1
        if first + i < rows:
            out[first + i, k] = value
    return more


@kernel
def _attributes(body, out, block):  # type: ignore[no-untyped-def]
    """Unpack rows of bytes; whether all went well."""
    count, stride = out.shape
    size = min((8192 // stride) & ~15, 256)
    end = body.shape[0] - max(stride, 32)  # the tail holds the row before the first
    base = body.shape[0] - stride
    at, start = 1, 0
    while start < count:
        rows = min(size, count - start)
        groups = (rows + 15) // 16
        for k in range(stride):
            header = at
            at += (groups + 3) // 4
            if at > end:
                return False
            for g in range(groups):
                if at + 32 > body.shape[0]:
                    return False
                mode = (body[header + g // 4] >> (2 * (g % 4))) & 3
                at = _group(body, at, 8 if mode == 3 else 2 * mode, block, k, 16 * g, rows)
            before = body[base + k] if start == 0 else out[start - 1, k]
            for i in range(rows):
                delta = block[i, k]
                before = np.uint8(before + ((delta >> 1) ^ -(delta & 1)))
                out[start + i, k] = before
        start += rows
    return at == end or at <= end


@routine
def _varied(body, at, end):  # type: ignore[no-untyped-def]
    """A number of up to five bytes of seven bits each, and the place behind it (−1: it does not end)."""
    value, shift = np.uint32(0), 0
    while shift < 35:
        if at >= end:
            return np.uint32(0), -1
        byte = body[at]
        at += 1
        value |= np.uint32(byte & 127) << np.uint32(shift)
        if byte < 128:
            return value, at
        shift += 7
    return value, at


@routine
def _from(last, value):  # type: ignore[no-untyped-def]
    """`last` and a signed difference whose sign is in the lowest bit."""
    return np.uint32(last + ((value >> np.uint32(1)) ^ (np.uint32(0) - (value & np.uint32(1)))))


@kernel
def _sequence(body, version, out):  # type: ignore[no-untyped-def]
    at, end = 1, body.shape[0] - 4
    first = second = np.uint32(0)
    for i in range(out.shape[0]):
        value, at = _varied(body, at, end)
        if at < 0:
            return False
        if value & np.uint32(1):
            second = _from(second, value >> np.uint32(1))
            out[i] = second
        else:
            first = _from(first, value >> np.uint32(1))
            out[i] = first
    return True


@routine
def _push_edge(edges, at, a, b):  # type: ignore[no-untyped-def]
    edges[at & 15, 0], edges[at & 15, 1] = a, b
    return at + 1


@routine
def _push(recent, at, vertex, really):  # type: ignore[no-untyped-def]
    recent[at & 15] = vertex
    return at + 1 if really else at


def _triangles(body: U8, version: int, out: NDArray[np.uint32]) -> bool:
    return bool(_unpack_triangles(body, version, out, np.zeros((16, 2), np.uint32), np.zeros(16, np.uint32)))


@kernel
def _unpack_triangles(body, version, out, edges, recent):  # type: ignore[no-untyped-def]
    """Unpack vertex numbers of triangles, which share edges and vertices with the sixteen before; whether all went
    well."""
    triangles = out.shape[0] // 3
    end = body.shape[0] - 16  # the tail is a table of frequent pairs
    at, table = 1 + triangles, end
    if at > end:
        return False
    newest, edge_at, recent_at = np.uint32(0), 0, 0
    last = np.uint32(0)
    near = 13 if version >= 1 else 15
    for t in range(triangles):
        code = np.int64(body[1 + t])
        high, low = code >> 4, code & 15
        if code < 0xF0:
            e = (edge_at - 1 - high) & 15
            a, b = edges[e, 0], edges[e, 1]
            fresh = low == 0
            if low < near:
                c = newest if fresh else recent[(recent_at - 1 - low) & 15]
                newest += np.uint32(1 if fresh else 0)
            else:
                fresh = True
                if low == 15:
                    value, at = _varied(body, at, end)
                    if at < 0:
                        return False
                    c = _from(last, value)
                else:
                    c = np.uint32(last + (low - (low ^ 3)))
                last = c
            recent_at = _push(recent, recent_at, c, fresh)
            edge_at = _push_edge(edges, edge_at, c, b)
            edge_at = _push_edge(edges, edge_at, a, c)
        else:
            if code < 0xFE:
                pair, first = np.int64(body[table + low]), 0
            else:
                if at >= end:
                    return False
                pair, first = np.int64(body[at]), 0 if code == 0xFE else 15
                at += 1
                if pair == 0:
                    newest = np.uint32(0)
            second, third = pair >> 4, pair & 15
            explicit = code >= 0xFE
            a = b = c = np.uint32(0)
            if first == 0:
                a = newest
                newest += np.uint32(1)
            if second == 0:
                b = newest
                newest += np.uint32(1)
            else:
                b = recent[(recent_at - second) & 15]
            if third == 0:
                c = newest
                newest += np.uint32(1)
            else:
                c = recent[(recent_at - third) & 15]
            if first == 15:
                value, at = _varied(body, at, end)
                if at < 0:
                    return False
                a = last = _from(last, value)
            if explicit and second == 15:
                value, at = _varied(body, at, end)
                if at < 0:
                    return False
                b = last = _from(last, value)
            if explicit and third == 15:
                value, at = _varied(body, at, end)
                if at < 0:
                    return False
                c = last = _from(last, value)
            recent_at = _push(recent, recent_at, a, True)
            recent_at = _push(recent, recent_at, b, second == 0 or (explicit and second == 15))
            recent_at = _push(recent, recent_at, c, third == 0 or (explicit and third == 15))
            edge_at = _push_edge(edges, edge_at, b, a)
            edge_at = _push_edge(edges, edge_at, c, b)
            edge_at = _push_edge(edges, edge_at, a, c)
        out[3 * t], out[3 * t + 1], out[3 * t + 2] = a, b, c
    return True
