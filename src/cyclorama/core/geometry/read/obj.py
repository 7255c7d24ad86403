"""OBJ with its MTL and textures: parts by object, group and material."""

from collections import Counter
from pathlib import PurePosixPath

import numpy as np
from numpy.typing import NDArray

from ...errors import IntakeError
from ...textures import srgb_to_linear
from ...words import count
from .corners import Polygons, cut_apart, from_top
from .files import FileBundle
from .model import FileModel, ModelPart
from .mtl import MtlShelf, as_text
from .obj_scan import (
    BAD,
    COLOURED,
    CORNERS,
    COUNTS,
    LACK,
    LOOSE,
    MAPPED,
    NAMES,
    NO_FACE,
    NO_VERTEX,
    NORMALS,
    POLYGONS,
    UNRESOLVED,
    VERTICES,
    scan,
)
from .point_caches import hang_on_caches

_LACKING = {NO_FACE: "a face without three sound corners", NO_VERTEX: "a face with a vertex that is not there"}


class _Scanned:
    """Contents of the lines, as arrays; see `obj_scan.scan`."""

    def __init__(self, name: str, data: bytes):
        text = np.frombuffer(data, np.uint8)
        counts, row = np.zeros(COUNTS, np.int64), np.zeros(8)
        self.vertices, self.colours = np.zeros((0, 3)), np.zeros((0, 3), np.float32)
        self.mapped, self.normals = np.zeros((0, 2)), np.zeros((0, 3))
        self.corners, self.sizes = np.zeros((0, 3), np.int32), np.zeros(0, np.int32)
        self.names = np.zeros((0, 3), np.int64)
        scan(
            text,
            False,
            counts,
            row,
            self.vertices,
            self.colours,
            self.mapped,
            self.normals,
            self.corners,
            self.sizes,
            self.names,
        )
        if counts[BAD] >= 0:
            raise _complaint(name, data, int(counts[BAD]), int(counts[LACK]))
        self.vertices, self.colours = np.empty((counts[VERTICES], 3)), np.empty((counts[VERTICES], 3), np.float32)
        self.mapped, self.normals = np.empty((counts[MAPPED], 2)), np.empty((counts[NORMALS], 3))
        self.corners, self.sizes = np.empty((counts[CORNERS], 3), np.int32), np.empty(counts[POLYGONS], np.int32)
        self.names = np.empty((counts[NAMES], 3), np.int64)
        scan(
            text,
            True,
            counts,
            row,
            self.vertices,
            self.colours,
            self.mapped,
            self.normals,
            self.corners,
            self.sizes,
            self.names,
        )
        self.loose, self.coloured, self.unresolved = int(counts[LOOSE]), int(counts[COLOURED]), int(counts[UNRESOLVED])


def _complaint(name: str, data: bytes, at: int, lack: int) -> IntakeError:
    end = min(e for e in (data.find(b"\n", at), data.find(b"\r", at), len(data)) if e >= 0)
    if end == len(data):
        return IntakeError(f"‘{name}’ ends in the middle of a line. Copy or export it again.")
    line = data.count(b"\n", 0, at) + 1 if b"\n" in data else data.count(b"\r", 0, at) + 1
    what = _LACKING.get(lack, "numbers that cannot be read")
    return IntakeError(f"‘{name}’ is damaged: line {line} has {what}. Export it again.")


def read_obj(name: str, data: bytes, bundle: FileBundle) -> FileModel:
    """Read an OBJ of polygons; raises IntakeError when it is none or damaged."""
    if data[:2] in (b"\xfe\xff", b"\xff\xfe"):
        data = as_text(data).encode()
    found = _Scanned(name, data)
    if not len(found.vertices):
        raise IntakeError(f"‘{name}’ has no vertices; it is not an OBJ model.")
    corners = found.corners
    if len(corners) and corners[:, 0].max() >= len(found.vertices):
        raise IntakeError(f"‘{name}’ refers to vertices that are not there; it is damaged. Export it again.")
    model = FileModel()
    for column, total in ((1, len(found.mapped)), (2, len(found.normals))):
        beyond = corners[:, column] >= total
        found.unresolved += int(beyond.sum())
        corners[beyond, column] = -1
    _note(name, data, found, model)
    part, keys = _sections(data, found, shelf := MtlShelf(name, bundle, model))
    pieces = cut_apart(found.vertices, Polygons(corners, found.sizes, part))
    labels = _labels([keys[number] for number, _, _ in pieces], PurePosixPath(name).stem)
    for label, (number, rows, piece) in zip(labels, pieces, strict=True):
        _dress(piece, rows, found)
        piece.name, piece.material = label, shelf.index(keys[number][2], piece.colours is not None)
        model.parts.append(piece)
    hang_on_caches(name, model, found.vertices, [rows[:, 0] for _, rows, _ in pieces], bundle)
    return model


def _note(name: str, data: bytes, found: _Scanned, model: FileModel) -> None:
    if found.loose:
        model.notes.append("Loose points or lines in the file are left out.")
    if found.unresolved:
        many = count(found.unresolved, "corner")
        model.notes.append(f"{many} with texture coordinates or normals that are not in the file; done without them.")
    if len(found.sizes) and not data.endswith((b"\n", b"\r")):
        unused = len(found.vertices) - len(np.unique(found.corners[:, 0]))
        if unused:
            model.notes.append(
                f"The file ends without the end of a line, and {count(unused, 'vertex', 'vertices')} belong to no "
                f"face: it may have been cut off. Compare it with the original."
            )


def _dress(piece: ModelPart, rows: NDArray[np.int64], found: _Scanned) -> None:
    """Give a part its texture coordinates, normals and colours, as far as its corners refer to any."""
    if (rows[:, 1] >= 0).any():
        at = np.where(rows[:, 1:2] >= 0, found.mapped[np.maximum(rows[:, 1], 0)], [0.0, 1.0])
        piece.uvs = from_top(*at.T)
    if (rows[:, 2] >= 0).all():
        piece.normals = found.normals[rows[:, 2]].astype(np.float32)
    if found.coloured:
        colours = found.colours[rows[:, 0]]
        if not np.isnan(colours).all():
            # no specification says so, but programs write what is seen: display values, some of them 0…255
            scale = 255.0 if np.nanmax(found.colours) > 1.5 else 1.0
            shown = srgb_to_linear(np.nan_to_num(colours / scale, nan=1.0))
            piece.colours = np.column_stack([shown, np.ones(len(shown))]).astype(np.float32)


def _sections(data: bytes, found: _Scanned, shelf: MtlShelf) -> tuple[NDArray[np.int64], list[tuple[str, str, str]]]:
    """Which part each polygon (p,) belongs to, and object, group and material of the parts."""
    named = {"o": "", "g": "", "usemtl": ""}
    keys = {("", "", ""): 0}
    starts, parts = [0], [0]
    for begin, end, polygon in found.names.tolist():
        word, _, rest = as_text(data[begin:end]).replace("\t", " ").partition(" ")
        if word == "mtllib":
            shelf.open(rest.strip())
        elif word in named:
            named[word] = rest.strip()
            starts.append(polygon)
            parts.append(keys.setdefault((named["o"], named["g"], named["usemtl"]), len(keys)))
    runs = np.array([*starts[1:], len(found.sizes)]) - np.array(starts)
    return np.repeat(np.array(parts, np.int64), runs), list(keys)


def _labels(keys: list[tuple[str, str, str]], stem: str) -> list[str]:
    """A name for each part: its object's or group's, with group and material behind it where that is not enough."""
    labels = [thing or group or stem for thing, group, _ in keys]
    taken = Counter(labels)
    return [
        label if taken[label] == 1 else " · ".join(dict.fromkeys(filter(None, (label, group, material))))
        for label, (_, group, material) in zip(labels, keys, strict=True)
    ]
