"""STL: bare triangles, no unit; text files may name their solids."""

from pathlib import PurePosixPath

import numpy as np
from numpy.typing import NDArray

from ...errors import IntakeError
from ...kernel import kernel
from ..normals import weld
from ..rows import first_of
from .files import FileBundle
from .model import FileModel, ModelPart
from .mtl import as_text
from .numbers import is_blank, is_end, number_at, skip_blanks, skip_line
from .values import plain_material

_TRIANGLE = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("more", "<u2")])


def read_stl(name: str, data: bytes, bundle: FileBundle) -> FileModel:
    """Read an STL, binary or text; raises IntakeError when it is not whole."""
    model = FileModel(up="z", materials=[plain_material(0)])
    # binary: 80 bytes of header, a count, 50 bytes a triangle; text starts with “solid” and is plain ASCII
    count = int.from_bytes(data[80:84], "little")
    end = 84 + _TRIANGLE.itemsize * count
    stem = PurePosixPath(name).stem[:80]
    if 84 <= end <= len(data):  # some programs add notes at the end
        corners = np.frombuffer(data, _TRIANGLE, count, 84)["corners"].reshape(-1, 3)
        model.parts.append(_welded(stem, corners))
    elif data.lstrip()[:5].lower() == b"solid" and data.isascii():
        model.parts += _solids(name, stem, data)
    else:
        raise IntakeError(f"‘{name}’ is not a whole STL file. Copy or export it again.")
    return model


def _welded(label: str, corners: NDArray[np.floating]) -> ModelPart:
    """Triangles whose corners (3·t, 3) stand one after the other, with every place once."""
    index, count = weld(corners)
    return ModelPart(label, np.ascontiguousarray(corners[first_of(index, count)]), index.reshape(-1, 3))


def _solids(name: str, stem: str, data: bytes) -> list[ModelPart]:
    text = np.frombuffer(data, np.uint8)
    corners, solids, row = np.zeros((0, 3)), np.zeros((0, 3), np.int64), np.zeros(3)
    vertices, begun, ended, bad = _scan(text, False, row, corners, solids)
    if bad >= 0 or begun != ended or vertices % 3:
        raise IntakeError(f"‘{name}’ ends in the middle or is damaged. Copy or export it again.")
    corners, solids = np.empty((vertices, 3)), np.empty((begun, 3), np.int64)
    _scan(text, True, row, corners, solids)
    parts = []
    for (begin, end, first), last in zip(solids.tolist(), [*solids[1:, 2].tolist(), vertices], strict=True):
        label = as_text(data[begin:end]).strip()[6:].strip()[:80]
        if last > first:
            parts.append(_welded(label if begun > 1 and label else stem, corners[first:last]))
    return parts


@kernel
def _scan(text, fill, row, corners, solids):  # type: ignore[no-untyped-def]
    """Counts of vertices, solids and ends of solids in a text, and where it is damaged (−1: nowhere).

    Fills corners (v, 3), and solids (s, 3): beginning and end of the line, and the first of its vertices.
    """
    at, n, vertices, begun, ended = 0, text.shape[0], 0, 0, 0
    while at < n:
        at = skip_blanks(text, at)
        line = at
        c = (text[at] | 32) if at < n else 0
        second = (text[at + 1] | 32) if at + 1 < n else 0
        end = skip_line(text, at)
        if c == 118 and second == 101:  # vertex
            while at < end and not is_blank(text[at]):
                at += 1
            for k in range(3):
                at = skip_blanks(text, at)
                row[k], after = number_at(text, at)
                if after == at or (after < n and not (is_blank(text[after]) or is_end(text[after]))):
                    return vertices, begun, ended, line
                at = after
            if fill:
                corners[vertices, 0], corners[vertices, 1], corners[vertices, 2] = row[0], row[1], row[2]
            vertices += 1
        elif c == 115 and second == 111:  # solid
            if fill:
                solids[begun, 0], solids[begun, 1], solids[begun, 2] = line, end, vertices
            begun += 1
        elif c == 101 and end - line >= 8 and (text[line + 3] | 32) == 115:  # endsolid
            ended += 1
        at = end
        while at < n and is_end(text[at]):
            at += 1
    return vertices, begun, ended, -1
