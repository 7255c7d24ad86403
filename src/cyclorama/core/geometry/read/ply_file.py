"""The elements of a PLY, text or binary, as columns and lists (Turk, "The PLY Polygon File Format", 1994)."""

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...errors import IntakeError
from ...kernel import kernel
from .numbers import all_numbers

_KINDS = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2", "ushort": "u2",
    "uint16": "u2", "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4", "float": "f4", "float32": "f4",
    "double": "f8", "float64": "f8",
}  # fmt: skip
_AS_DOUBLE = 9
"""In place of the size of a list's length: it is a double, as everything is that was read from text."""


@dataclass(frozen=True, slots=True)
class PlyProperty:
    """A column of an element, or a list in each of its rows."""

    name: str
    kind: str
    length: str | None = None
    """kind of the number that says how long the list is; None: no list"""


@dataclass(slots=True)
class Element:
    """One kind of thing in the file."""

    name: str
    count: int
    properties: list[PlyProperty] = field(default_factory=list)


@dataclass(slots=True)
class Columns:
    """An element's content."""

    columns: dict[str, NDArray[Any]]
    """(count,) by name, those before and behind lists too"""
    lists: dict[str, tuple[NDArray[np.int64], NDArray[Any]]]
    """lengths (count,) and all values end to end"""


def read_header(name: str, data: bytes) -> tuple[str, list[Element], list[str], int]:
    """Byte order ("" for text, "<" or ">"), elements, comments, and where the content begins."""
    end = data.find(b"end_header")
    if end < 0:
        raise IntakeError(f"‘{name}’ has no end of its header; it has been cut off. Copy or export it again.")
    order, elements, comments = "", list[Element](), list[str]()
    for line in data[:end].decode("latin-1").replace("\r", "\n").split("\n"):
        words = line.split()
        try:
            if words[:1] == ["format"]:
                order = {"ascii": "", "binary_little_endian": "<", "binary_big_endian": ">"}[words[1]]
            elif words[:1] in (["comment"], ["obj_info"]):
                comments.append(line.split(None, 1)[1].strip() if len(words) > 1 else "")
            elif words[:1] == ["element"]:
                elements.append(Element(words[1], int(words[2])))
            elif words[:2] == ["property", "list"]:
                elements[-1].properties.append(PlyProperty(words[4], _KINDS[words[3]], _KINDS[words[2]]))
            elif words[:1] == ["property"]:
                elements[-1].properties.append(PlyProperty(words[2], _KINDS[words[1]]))
        except (KeyError, IndexError, ValueError) as error:
            raise IntakeError(
                f"‘{name}’ is damaged: its header says ‘{line.strip()[:60]}’. Export it again."
            ) from error
        if elements and elements[-1].count < 0:
            raise IntakeError(f"‘{name}’ is damaged: it says it has less than nothing. Export it again.")
    begin = end + len(b"end_header")
    begin += 2 if data[begin : begin + 2] == b"\r\n" else 1
    return order, elements, comments, begin


def read_elements(name: str, data: bytes) -> tuple[dict[str, Columns], list[str]]:
    """Everything the file holds, by name of the element, and its comments.

    Raises IntakeError when it ends too early, or says that it holds more than its bytes could.
    """
    order, elements, comments, at = read_header(name, data)
    too_short = IntakeError(f"‘{name}’ ends in the middle. Copy or export it again.")
    least = sum(e.count * sum(_least(p, order) for p in e.properties) for e in elements)
    if least > len(data) - at + 1:  # the last number of a text needs no blank behind it
        raise too_short
    body = np.frombuffer(data, np.uint8)[at:]
    if not order:
        body, order = _from_text(name, body), "="
        for element in elements:
            element.properties = [PlyProperty(p.name, "f8", p.length and "f8") for p in element.properties]
    found: dict[str, Columns] = {}
    at = 0
    for element in elements:
        columns, at = _read(body, order, element, at, too_short)
        found.setdefault(element.name, columns)
    return found, comments


def _least(p: PlyProperty, order: str) -> int:
    if not order:
        return 2
    return int((p.length or p.kind)[1])


def _from_text(name: str, body: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The numbers of a text as doubles, as bytes."""
    count, bad = all_numbers(body, np.empty(0))
    if bad >= 0:
        raise IntakeError(
            f"‘{name}’ is damaged: there is something among its numbers that is none. Export it again."
            if b"\n" in bytes(body[bad : bad + 200]) or bad + 200 < len(body)
            else f"‘{name}’ ends in the middle of a number. Copy or export it again."
        )
    values = np.empty(count)
    all_numbers(body, values)
    return values.view(np.uint8)


def _read(
    body: NDArray[np.uint8], order: str, element: Element, at: int, too_short: IntakeError
) -> tuple[Columns, int]:
    properties, count = element.properties, element.count
    if all(p.length is None for p in properties):
        kind = np.dtype([(f"{i}", order + p.kind) for i, p in enumerate(properties)])
        end = at + kind.itemsize * count
        if end > len(body):
            raise too_short
        table = np.frombuffer(body, kind, count, at) if kind.itemsize else np.zeros(count, kind)
        return Columns({p.name: table[f"{i}"] for i, p in enumerate(properties)}, {}), end
    sizes = np.array([int(p.kind[1]) for p in properties])
    lengths = np.array([_length_code(p) for p in properties])
    ends = np.zeros((len(properties), count), np.int64)
    columns, lists, end = {}, {}, at
    for which, p in enumerate(properties):
        end = _copy(body, at, sizes, lengths, order == ">", which, ends[which], np.zeros(0, np.uint8))
        if end < 0:
            raise too_short
        out = np.empty(int(ends[which, -1]) if count else 0, np.uint8)
        _copy(body, at, sizes, lengths, order == ">", which, ends[which], out)
        values = out.view(order + p.kind)
        if p.length is None:
            columns[p.name] = values
        else:
            lists[p.name] = np.diff(ends[which] // sizes[which], prepend=0), values
    return Columns(columns, lists), end


def _length_code(p: PlyProperty) -> int:
    """0 for a single value, the size of a list's length, below zero where it has a sign."""
    if p.length is None:
        return 0
    if p.length[0] == "f":
        return _AS_DOUBLE
    return int(p.length[1]) * (-1 if p.length[0] == "i" else 1)


@kernel
def _copy(body, at, sizes, lengths, big, which, ends, out):  # type: ignore[no-untyped-def]
    """Where the values of a property end (count,) when they stand end to end, and (where `out` has room) these values.

    Returns where the element ends, −1 when the body does before.
    """
    total = np.int64(0)
    for row in range(ends.shape[0]):
        for k in range(sizes.shape[0]):
            many = np.int64(1)
            code = lengths[k]
            if code == 9:
                if at + 8 > body.shape[0]:
                    return -1
                value = body[at : at + 8].view(np.float64)[0]
                if not 0.0 <= value < 1e12:
                    return -1
                many = np.int64(value)
                at += 8
            elif code != 0:
                size = abs(code)
                if at + size > body.shape[0]:
                    return -1
                many = np.int64(0)
                for i in range(size):
                    many = (many << 8) | np.int64(body[at + (i if big else size - 1 - i)])
                if code < 0 and many >> (8 * size - 1):
                    return -1
                at += size
            size = many * sizes[k]
            if size > body.shape[0] - at:
                return -1
            if k == which:
                if out.shape[0]:
                    for i in range(size):
                        out[total + i] = body[at + i]
                total += size
            at += size
        ends[row] = total
    return at
