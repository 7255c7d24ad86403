"""Letters as solid bodies."""

from dataclasses import replace

import numpy as np

from ..lettering import contours_of, set_line
from ..scene import Made
from ..scene.made import Letters
from .extrude import extrude, lay, polygons_of
from .mesh import Mesh, join

LEADING = 1.2
"""Distance of the lines, in sizes of the type."""
CAPITAL = 0.7
"""Height of capitals in sizes of the type: so high is a made shape that says how high it is."""


def build_letters(made: Made, font_file: bytes | None = None) -> Mesh:
    """The mesh of letters, m: capitals as high as the shape, as deep, with its edge as bevel; parts as in `extrude`.

    They stand on their lowest point, in the middle of their width. font_file: the font of the family `file`.
    """
    letters = made.letters or Letters()
    size = made.height_m / CAPITAL
    pieces = [
        extrude(polygons_of([size * contour for contour in contours]), made.depth_m, made.edge_m)
        for contours in _placed_glyphs(letters, font_file)
    ]
    mesh = replace(join(pieces), part=np.concatenate([np.zeros(0, np.int32), *(p.part for p in pieces)]))
    return lay(mesh, letters, made.depth_m)


def _placed_glyphs(letters: Letters, font_file: bytes | None) -> list[list[np.ndarray]]:
    """Contours of each letter that is shown, in units of the size."""
    lines = [
        set_line(text, letters.family, letters.weight, letters.spacing, font_file) for text in letters.text.split("\n")
    ]
    share = {"left": 0.0, "middle": 0.5, "right": 1.0}[letters.align]
    wide = max(line.width for line in lines)
    found = []
    for row, line in enumerate(lines):
        start = np.array([share * (wide - line.width) - wide / 2, -LEADING * row])
        found += [[start + contour for contour in contours_of(glyph)] for glyph in line.glyphs]
    seen = [contours for contours in found if contours]
    return seen[: round(letters.shown * len(seen))]
