"""One pass over the lines of an OBJ: vertices, polygons, and where the lines stand that name things."""

import numpy as np

from ...kernel import kernel, routine
from .numbers import is_blank, is_end, number_at, skip_blanks, skip_line, whole_at

VERTICES, MAPPED, NORMALS, CORNERS, POLYGONS, NAMES, LOOSE, COLOURED, UNRESOLVED, BAD, LACK = range(11)
"""Columns of the counts; UNRESOLVED: map places and normals that are not there; BAD: place of the first line that
cannot be read (−1: none), LACK: what it lacks."""
COUNTS = 11
NO_POINT, NO_FACE, NO_VERTEX = 1, 2, 3
_SLASH, _HASH = 47, 35
_V, _T, _N, _F, _P, _L, _O = 118, 116, 110, 102, 112, 108, 111
_NAMING = b"ogum"
"""First letters of lines that name objects, groups and materials."""


@routine
def _row(text, at, row):
    """Fill `row` with the numbers of a line from here on; how many, and the place behind them."""
    k = 0
    while k < row.shape[0]:
        at = skip_blanks(text, at)
        value, after = number_at(text, at)
        if after == at:
            break
        row[k] = value
        k += 1
        at = after
    return k, at


@routine
def _face(text, at, fill, counts, corners):
    """The corners of a face: how many, the place behind them, and what is wrong (0: nothing)."""
    size, n = 0, text.shape[0]
    while True:
        at = skip_blanks(text, at)
        value, after = whole_at(text, at)
        if after == at:
            return size, at, (NO_FACE if size < 3 else 0)
        index = value - 1 if value > 0 else value + counts[VERTICES]
        if value == 0 or index < 0:
            return size, at, NO_VERTEX
        k = counts[CORNERS]
        if fill:
            corners[k, 0], corners[k, 1], corners[k, 2] = index, -1, -1
        for which in range(1, 3):
            if after < n and text[after] == _SLASH:
                value, past = whole_at(text, after + 1)
                if past > after + 1:
                    other = value - 1 if value > 0 else value + counts[MAPPED if which == 1 else NORMALS]
                    if value == 0 or other < 0:
                        other = -1
                        counts[UNRESOLVED] += 1
                    if fill:
                        corners[k, which] = other
                after = past
        counts[CORNERS] += 1
        size += 1
        at = after


@kernel
def scan(text, fill, counts, row, vertices, colours, mapped, normals, corners, sizes, names):
    """Count what a text holds, or fill arrays of these sizes with it; stops at the first line that cannot be read.

    colours (v, 3): NaN where a vertex has none. corners (c, 3): vertex, map place, normal, from 0 on, −1: none; those
    counted from the end are resolved. names (k, 3): beginning and end of the line, and the polygon before which it
    stands. row (8,): room for a line's numbers.
    """
    counts[:] = 0
    counts[BAD] = -1
    at, n = 0, text.shape[0]
    while at < n:
        at = skip_blanks(text, at)
        line, lack, known = at, 0, True
        c = text[at] if at < n else np.uint8(10)
        second = text[at + 1] if at + 1 < n else np.uint8(10)
        if c == _V and is_blank(second):
            k, at = _row(text, at + 1, row)
            v = counts[VERTICES]
            if fill:
                for i in range(3):
                    vertices[v, i] = row[i]
                    colours[v, i] = row[3 + i] if k >= 6 else np.nan
            counts[VERTICES] += 1
            counts[COLOURED] += 1 if k >= 6 else 0
            lack = NO_POINT if k < 3 else 0
        elif c == _V and (second in (_T, _N)):
            k, at = _row(text, at + 2, row)
            if second == _T:
                row[1] = row[1] if k > 1 else 0.0
                if fill:
                    mapped[counts[MAPPED], 0], mapped[counts[MAPPED], 1] = row[0], row[1]
                counts[MAPPED] += 1
                lack = NO_POINT if k < 1 else 0
            else:
                if fill:
                    for i in range(3):
                        normals[counts[NORMALS], i] = row[i]
                counts[NORMALS] += 1
                lack = NO_POINT if k < 3 else 0
        elif c == _F and (is_blank(second) or second == _O):
            size, at, lack = _face(text, at + (1 if is_blank(second) else 2), fill, counts, corners)
            if fill and lack == 0:
                sizes[counts[POLYGONS]] = size
            counts[POLYGONS] += 1
        else:
            known = False
            counts[LOOSE] += 1 if (c in (_P, _L)) and is_blank(second) else 0
            at = skip_line(text, at)
            for letter in _NAMING:
                if c == letter:
                    if fill:
                        k = counts[NAMES]
                        names[k, 0], names[k, 1], names[k, 2] = line, at, counts[POLYGONS]
                    counts[NAMES] += 1
        at = skip_blanks(text, at)
        if lack == 0 and known and at < n and not is_end(text[at]) and text[at] != _HASH:
            lack = NO_FACE if c == _F else NO_POINT
        if lack:
            counts[BAD], counts[LACK] = line, lack
            return
        at = skip_line(text, at)
        while at < n and is_end(text[at]):
            at += 1
