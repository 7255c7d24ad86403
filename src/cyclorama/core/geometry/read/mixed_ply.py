"""Binary PLY whose polygons have different numbers of corners, which trimesh does not read."""

import struct
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...errors import IntakeError

_KINDS = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2", "ushort": "u2",
    "uint16": "u2", "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4", "float": "f4", "float32": "f4",
    "double": "f8", "float64": "f8",
}  # fmt: skip
_CODES = {"i1": "b", "u1": "B", "i2": "h", "u2": "H", "i4": "i", "u4": "I", "f4": "f", "f8": "d"}


@dataclass(frozen=True, slots=True)
class Element:
    """One kind of thing in the file: its number, and (name, kind, kind of the length for lists)."""

    name: str
    count: int
    properties: list[tuple[str, str, str | None]]


def read_header(data: bytes) -> tuple[str, list[Element], int]:
    """Byte order ("" for text, "<" or ">"), elements, and where the content begins."""
    end = data.find(b"end_header")
    if end < 0:
        raise IntakeError("The PLY file has no end of its header. Export it again.")
    begin = data.index(b"\n", end) + 1
    order, elements = "", []
    for line in data[:end].decode("ascii", errors="replace").splitlines():
        words = line.split()
        if words[:1] == ["format"]:
            order = {"binary_little_endian": "<", "binary_big_endian": ">"}.get(words[1], "")
        elif words[:1] == ["element"]:
            elements.append(Element(words[1], int(words[2]), []))
        elif words[:2] == ["property", "list"]:
            elements[-1].properties.append((words[4], _KINDS[words[3]], _KINDS[words[2]]))
        elif words[:1] == ["property"]:
            elements[-1].properties.append((words[2], _KINDS[words[1]], None))
    return order, elements, begin


def is_mixed(data: bytes) -> bool:
    """Whether a PLY is binary and its polygons are not all alike."""
    order, elements, at = read_header(data)
    for element in elements if order else ():
        lists = [name for name, _, length in element.properties if length is not None]
        if not lists:
            at += element.count * sum(int(kind[1]) for _, kind, _ in element.properties)
        elif element.name == "face" and element.count:
            return len(lists) == 1 and not _all_alike(data, order, element, at)
        else:
            return False
    return False


def _all_alike(data: bytes, order: str, element: Element, at: int) -> bool:
    """Whether every list of an element is as long as the first one."""
    first = at
    fields: list[tuple[Any, ...]] = []
    for name, kind, length in element.properties:
        if length is None:
            fields.append((name, order + kind))
            first += int(kind[1])
            continue
        if first + int(length[1]) > len(data):
            return False
        (count,) = struct.unpack_from(order + _CODES[length], data, first)
        fields += [("length", order + length), (name, order + kind, (count,))]
    table = np.dtype(fields)
    if at + table.itemsize * element.count > len(data):
        return False
    lengths = np.frombuffer(data, table, element.count, at)["length"]
    return bool((lengths == lengths[0]).all())


def read_mixed(data: bytes) -> tuple[dict[str, NDArray[Any]], list[NDArray[np.int64]]]:
    """Columns of the vertices by name, and the polygons. Raises IntakeError when the file ends too early."""
    order, elements, begin = read_header(data)
    polygons, vertices = _content(data, order, elements, begin)
    return vertices, polygons


def _content(
    data: bytes, order: str, elements: list[Element], at: int
) -> tuple[list[NDArray[np.int64]], dict[str, NDArray[Any]]]:
    polygons: list[NDArray[np.int64]] = []
    vertices: dict[str, NDArray[Any]] = {}
    for element in elements:
        if all(length is None for _, _, length in element.properties):
            kind = np.dtype([(name, order + k) for name, k, _ in element.properties])
            if at + kind.itemsize * element.count > len(data):
                raise IntakeError("The PLY file ends in the middle. Copy or export it again.")
            table = np.frombuffer(data, kind, element.count, at)
            at += kind.itemsize * element.count
            if element.name == "vertex":
                vertices = {name: table[name] for name in kind.names or ()}
            continue
        try:
            found, at = _lists(data, order, element, at)
        except (struct.error, ValueError) as error:
            raise IntakeError("The PLY file ends in the middle. Copy or export it again.") from error
        if element.name == "face":
            polygons = found
    return polygons, vertices


def _lists(data: bytes, order: str, element: Element, at: int) -> tuple[list[NDArray[np.int64]], int]:
    found = []
    for _ in range(element.count):
        for name, kind, length in element.properties:
            if length is None:
                at += int(kind[1])
                continue
            (count,) = struct.unpack_from(order + _CODES[length], data, at)
            at += int(length[1])
            if name in ("vertex_index", "vertex_indices"):
                found.append(np.frombuffer(data, order + kind, count, at).astype(np.int64))
            at += count * int(kind[1])
    return found, at
