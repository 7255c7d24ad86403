"""Setting lines of text: which glyph of which font stands where, and how much of each pixel they cover.

Lines are taken apart where their direction changes (Unicode Bidirectional Algorithm, UAX 9) or where another font has
the letters, shaped by HarfBuzz, put side by side as they are seen, and filled as outlines with exact coverage of
pixels, so that they are as sharp in every size.
"""

import threading
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from itertools import groupby
from pathlib import Path
from typing import Any

import numpy as np
import uharfbuzz as hb
from bidi import algorithm as bidi
from fontTools import unicodedata
from fontTools.pens.basePen import BasePen
from numba import njit
from numpy.typing import NDArray

from .errors import IntakeError

FONTS = Path(__file__).parent / "fonts"
_GROTESQUE = ("hanken-grotesk-latin", "hanken-grotesk-latin-ext", "hanken-grotesk-vietnamese")
_MONO = ("spline-sans-mono-latin", "spline-sans-mono-latin-ext")
_OTHERS = ("noto-sans-cyrillic", "noto-sans-greek", "noto-sans-hebrew", "noto-sans-arabic", "noto-sans-devanagari")
FAMILIES = {"grotesque": (*_GROTESQUE, *_OTHERS), "mono": (*_MONO, *_GROTESQUE, *_OTHERS)}
CURVE_STEPS = 12
"""Straight pieces of a curve of an outline: at 4K letters half a picture high they are off by less than a tenth of a
pixel."""
F32 = NDArray[np.float32]
_LOCK = threading.Lock()  # shaping keeps state in fonts


@dataclass(frozen=True, slots=True)
class Glyph:
    """A glyph and where it stands, in units of the size of the type, y upwards from the base line."""

    face: Any
    number: int
    x: float
    y: float


@dataclass(frozen=True, slots=True)
class TextLine:
    """A line as it is set, in units of the size of the type."""

    glyphs: tuple[Glyph, ...]
    width: float


def set_line(text: str, family: str, weight: int, spacing: float = 0.0, font_file: bytes | None = None) -> TextLine:
    """A line of text; `spacing` is added after every letter, in units of the size.

    What belongs together is kept together: spacing is only added between clusters. Raises IntakeError for a font file
    that is none.
    """
    glyphs: list[Glyph] = []
    at = 0.0
    with _LOCK:
        faces = _faces(family, weight, font_file)
        for face, run, backwards in _runs(text, faces):
            at = _shaped(face, run, backwards, spacing, at, glyphs)
    return TextLine(tuple(glyphs), max(0.0, at - spacing) if glyphs else 0.0)


def missing(text: str, family: str, font_file: bytes | None = None) -> str:
    """Letters for which no font has a shape."""
    with _LOCK:
        faces = _faces(family, 400, font_file)
        return "".join(sorted({c for c in text if c.isprintable() and not c.isspace() and not _has(faces, c)}))


def scripts_of(letters: str) -> list[str]:
    """English names of the scripts that letters belong to; none of symbols, which belong to all."""
    codes = dict.fromkeys(unicodedata.script(c) for c in letters if not c.isspace())
    return [unicodedata.script_name(code) for code in codes if code not in ("Zyyy", "Zinh", "Zzzz")]


def _has(faces: "list[Any]", letter: str) -> bool:
    return any(face.get_nominal_glyph(ord(letter)) for face in faces)


def _faces(family: str, weight: int, font_file: bytes | None) -> list[Any]:
    first = [_face(font_file, weight)] if font_file else []
    return [*first, *(_shipped(name, weight) for name in FAMILIES.get(family, FAMILIES["grotesque"]))]


@lru_cache(maxsize=64)
def _shipped(name: str, weight: int) -> Any:
    return _face((FONTS / f"{name}.ttf").read_bytes(), weight)


@lru_cache(maxsize=16)
def _face(data: bytes, weight: int) -> Any:
    """A font of a weight. Raises IntakeError when the data are none."""
    face = hb.Face(data)
    if face.glyph_count == 0 or face.upem == 0:
        raise IntakeError("That file is no font that can be used. Bring a TTF or OTF file.")
    font = hb.Font(face)
    font.set_variations({"wght": float(weight)})
    return font


def _runs(text: str, faces: list[Any]) -> Iterator[tuple[Any, str, bool]]:
    """Stretches of one font and direction, in the order in which they are seen from the left."""
    letters = [c for c in text if c.isprintable() or c in "\u200c\u200d"]
    if not letters:
        return
    plain = "".join(letters)
    storage = bidi.get_empty_storage()
    storage["base_level"] = base = bidi.get_base_level(plain)
    storage["base_dir"] = ("L", "R")[base]
    bidi.get_embedding_levels(plain, storage)
    bidi.explicit_embed_and_overrides(storage)
    bidi.resolve_weak_types(storage)
    bidi.resolve_neutral_types(storage, False)
    bidi.resolve_implicit_levels(storage, False)
    told = [(c["level"], c["ch"]) for c in storage["chars"]]
    which: list[int] = []
    for _, letter in told:  # marks stay with the letter they stand on, and so do spaces
        joined = which and (not letter.strip() or letter in "\u200c\u200d" or _combining(letter))
        found = next((i for i, face in enumerate(faces) if face.get_nominal_glyph(ord(letter))), 0)
        which.append(which[-1] if joined and faces[which[-1]].get_nominal_glyph(ord(letter)) else found)
    runs = []
    for (level, i), group in groupby(range(len(told)), key=lambda k: (told[k][0], which[k])):
        runs.append((level, i, "".join(told[k][1] for k in group)))
    # UAX 9, rule L2: from the highest level down, what is at least as high is turned round
    for level in range(max(r[0] for r in runs), 0, -1):
        k = 0
        while k < len(runs):
            end = k
            while end < len(runs) and runs[end][0] >= level:
                end += 1
            runs[k:end] = runs[k:end][::-1]
            k = end + 1
    for level, i, run in runs:
        yield faces[i], run, bool(level % 2)


def _combining(letter: str) -> bool:
    return "\u0300" <= letter <= "\u036f" or "\u0591" <= letter <= "\u05c7" or "\u064b" <= letter <= "\u065f"


def _shaped(font: Any, run: str, backwards: bool, spacing: float, at: float, glyphs: list[Glyph]) -> float:
    """Put the glyphs of a run at the end of a line; where it ends then."""
    buffer = hb.Buffer()
    buffer.add_str(run)
    buffer.guess_segment_properties()
    buffer.direction = "rtl" if backwards else "ltr"
    hb.shape(font, buffer)
    em = font.face.upem
    infos, positions = buffer.glyph_infos, buffer.glyph_positions
    for i, (info, position) in enumerate(zip(infos, positions, strict=True)):
        glyphs.append(Glyph(font, info.codepoint, at + position.x_offset / em, position.y_offset / em))
        at += position.x_advance / em
        if i + 1 == len(infos) or infos[i + 1].cluster != info.cluster:
            at += spacing
    return at


class _Outline(BasePen):  # type: ignore[misc]  # the library has no types
    """Gathers the straight pieces of an outline, curves taken apart."""

    def __init__(self) -> None:
        super().__init__(None)
        self.pieces: list[tuple[float, float, float, float]] = []

    def _moveTo(self, point: tuple[float, float]) -> None:
        self._first = self._here = point

    def _lineTo(self, point: tuple[float, float]) -> None:
        self.pieces.append((*self._here, *point))
        self._here = point

    def _curveToOne(self, a: tuple[float, float], b: tuple[float, float], end: tuple[float, float]) -> None:
        start = self._here
        for k in range(1, CURVE_STEPS + 1):
            t = k / CURVE_STEPS
            u = 1 - t
            weights = (u * u * u, 3 * u * u * t, 3 * u * t * t, t * t * t)
            self._lineTo(
                tuple(sum(w * p[i] for w, p in zip(weights, (start, a, b, end), strict=True)) for i in (0, 1))  # type: ignore[arg-type]
            )

    def _closePath(self) -> None:
        if self._here != self._first:
            self._lineTo(self._first)


@lru_cache(maxsize=4096)
def _outline(font: Any, number: int) -> NDArray[np.float64]:
    """Straight pieces (n, 4) of a glyph's outline, x0 y0 x1 y1 in units of the size."""
    pen = _Outline()
    with _LOCK:
        font.draw_glyph_with_pen(number, pen)
    return np.array(pen.pieces, np.float64).reshape(-1, 4) / font.face.upem


def contours_of(glyph: Glyph) -> list[NDArray[np.float64]]:
    """Closed contours (n, 2) of a glyph where it stands, in units of the size, y upwards."""
    pieces = _outline(glyph.face, glyph.number)
    if not len(pieces):
        return []
    begins = np.flatnonzero((pieces[1:, :2] != pieces[:-1, 2:]).any(axis=1)) + 1
    return [run[:, :2] + [glyph.x, glyph.y] for run in np.split(pieces, begins) if len(run) > 2]


def coverage(line: TextLine, size_px: float, left: float, base: float, width: int, height: int) -> F32:
    """Coverage of each pixel (height, width) by a line that begins at `left` on the base line `base`, px."""
    covered = np.zeros((height, width), np.float32)
    for glyph in line.glyphs:
        pieces = _outline(glyph.face, glyph.number)
        if not len(pieces):
            continue
        x = left + (pieces[:, 0::2] + glyph.x) * size_px
        y = base - (pieces[:, 1::2] + glyph.y) * size_px
        x0, y0 = max(0, int(np.floor(x.min()))), max(0, int(np.floor(y.min())))
        x1, y1 = min(width, int(np.ceil(x.max())) + 1), min(height, int(np.ceil(y.max())) + 1)
        if x1 <= x0 or y1 <= y0:
            continue
        one = _filled(np.stack([x[:, 0] - x0, y[:, 0] - y0, x[:, 1] - x0, y[:, 1] - y0], 1), x1 - x0, y1 - y0)
        # overlapping letters cover no more than all of a pixel
        np.maximum(covered[y0:y1, x0:x1], one, out=covered[y0:y1, x0:x1])
    return covered


def _filled(pieces: NDArray[np.float64], width: int, height: int) -> F32:
    """Exact coverage of pixels by a closed outline: signed areas, summed along rows."""
    areas = np.zeros((height, width + 2), np.float64)
    _add_areas(pieces, areas)
    return np.minimum(np.abs(np.cumsum(areas, axis=1)[:, :width]), 1.0).astype(np.float32)


@njit(cache=True, nogil=True)
def _add_areas(pieces, areas):  # type: ignore[no-untyped-def]
    """Add, for every piece, how the covered area changes from pixel to pixel of each row it crosses."""
    height, width = areas.shape[0], areas.shape[1] - 2
    for n in range(pieces.shape[0]):
        x0, y0, x1, y1 = pieces[n]
        if y0 == y1:
            continue
        sign = 1.0
        if y0 > y1:
            x0, y0, x1, y1, sign = x1, y1, x0, y0, -1.0
        slope = (x1 - x0) / (y1 - y0)
        for row in range(max(0, int(np.floor(y0))), min(height, int(np.ceil(y1)))):
            top, bottom = max(y0, row), min(y1, row + 1.0)
            tall = (bottom - top) * sign
            if tall == 0.0:
                continue
            a, b = x0 + (top - y0) * slope, x0 + (bottom - y0) * slope
            if a > b:
                a, b = b, a
            a, b = min(max(a, 0.0), width), min(max(b, 0.0), width)
            first, last = int(a), int(b)
            if first == last:
                areas[row, first] += tall * (1.0 - (0.5 * (a + b) - first))
                areas[row, first + 1] += tall * (0.5 * (a + b) - first)
                continue
            per = tall / (b - a)
            for column in range(first, last + 1):
                upto = min(b, column + 1.0)
                inside = upto - max(a, column)
                part = per * inside
                middle = 0.5 * (upto + max(a, column)) - column
                areas[row, column] += part * (1.0 - middle)
                areas[row, column + 1] += part * middle
