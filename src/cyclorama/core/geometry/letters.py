"""Letters as solid bodies: standing, lying, or going round a cylinder."""

import math
from dataclasses import replace

import numpy as np

from ..lettering import contours_of, set_line
from ..scene import Made
from ..scene.item import Letters
from .extrude import extrude, narrow, polygons_of, shade_smooth
from .mesh import Mesh, join

LEADING = 1.2
"""Distance of the lines, in sizes of the type."""
CAPITAL = 0.7
"""Height of capitals in sizes of the type: so high is a made shape that says how high it is."""
STRIP_DEG = 3.0
"""No edge of letters that go round a cylinder is wider."""


def build_letters(made: Made) -> Mesh:
    """The mesh of letters, m: capitals as high as the shape, as deep, with its edge as bevel; parts as in `extrude`.

    They stand on their lowest point, in the middle of their width.
    """
    letters = made.letters or Letters()
    size = made.height_m / CAPITAL
    pieces = [
        extrude(polygons_of([size * contour for contour in contours]), made.depth_m, made.edge_m)
        for contours in _placed_glyphs(letters)
    ]
    mesh = replace(join(pieces), part=np.concatenate([np.zeros(0, np.int32), *(p.part for p in pieces)]))
    if not len(mesh.vertices):
        return mesh
    return _laid(mesh, letters, made.depth_m)


def _placed_glyphs(letters: Letters) -> list[list[np.ndarray]]:
    """Contours of each letter that is shown, in units of the size."""
    lines = [set_line(text, letters.family, letters.weight, letters.spacing) for text in letters.text.split("\n")]
    share = {"left": 0.0, "middle": 0.5, "right": 1.0}[letters.align]
    wide = max(line.width for line in lines)
    found = []
    for row, line in enumerate(lines):
        start = np.array([share * (wide - line.width) - wide / 2, -LEADING * row])
        found += [[start + contour for contour in contours_of(glyph)] for glyph in line.glyphs]
    seen = [contours for contours in found if contours]
    return seen[: round(letters.shown * len(seen))]


def _laid(mesh: Mesh, letters: Letters, depth: float) -> Mesh:
    if letters.laid == "round":
        mesh = narrow(mesh, math.radians(STRIP_DEG) * letters.radius_m)
        x, y, z = mesh.vertices.astype(np.float64).T
        angle, away = x / letters.radius_m, letters.radius_m + z
        bent = np.stack([np.sin(angle) * away, y, np.cos(angle) * away], axis=1).astype(np.float32)
        mesh = shade_smooth(replace(mesh, vertices=bent))
    m = np.eye(4)
    if letters.laid == "standing":
        m[2, 3] = -depth / 2
    elif letters.laid == "lying":  # its top goes to the back, its face up
        m[:3, :3] = [[1, 0, 0], [0, 0, 1], [0, -1, 0]]
    mesh = mesh.transformed(m)
    low, high = mesh.vertices.min(axis=0), mesh.vertices.max(axis=0)
    m = np.eye(4)
    m[1, 3] = -low[1]
    if letters.laid == "lying":
        m[2, 3] = -(low[2] + high[2]) / 2
    return mesh.transformed(m)
