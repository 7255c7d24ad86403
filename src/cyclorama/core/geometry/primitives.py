"""Shapes made by the program: plinth, box, ball, card and natural forms, each on the middle of its base."""

from collections.abc import Callable
from functools import lru_cache

import numpy as np

from ..arrays import Points
from ..scene import Made
from ..scene.base import ReadAsset
from ..scene.made import EXTRUDED_PARTS, Form
from .build import arc, grid_mesh, lathe
from .mesh import Mesh
from .natural import build_natural, is_natural

CARD_M = 0.02
"""How thick a card is, as a share of its width."""
SEGMENTS, ROUND_STEPS = 128, 6


def build_made(made: Made, read_asset: ReadAsset | None = None) -> Mesh:
    """The mesh of a made shape, m, as wide (x), deep (z) and high (y) as it says; one part but for letters and marks.

    read_asset: for the outlines of marks and the fonts of letters. Without it letters are set in the program's own, and
    a mark is a block of its size.

    A plinth and a ball are round where they are as wide as deep, else elliptic; a card is as thick as a fiftieth of its
    width, whatever its depth.
    """
    if made.letters is not None:
        from .letters import build_letters  # polygons are only loaded where something is written

        file = made.letters.font_file if made.letters.family == "file" else None
        return build_letters(made, read_asset(file) if file and read_asset else None)
    if made.mark is not None:
        from .marks import build_mark, outlines_of

        return build_mark(made, outlines_of(made.mark, read_asset))
    return build_natural(made) if is_natural(made) else _BUILDERS[made.form](made)


def part_names(made: Made) -> tuple[str, ...]:
    """Names of the parts of a made shape; none: it is one part."""
    return EXTRUDED_PARTS if made.letters is not None else ()


def build_standin(made: Made, read_asset: ReadAsset) -> Mesh:
    """The mesh of a made shape with as few triangles as tell what it is."""
    return build_natural(made, coarse=True) if is_natural(made) else build_made(made, read_asset)


def made_box(made: Made) -> Points:
    """Lowest and highest corner (2, 3) of a made shape, m."""
    if made.letters is not None or made.mark is not None:
        return _bounds(made)
    depth = made.width_m * CARD_M if made.form == "card" else made.depth_m
    x, z = made.width_m / 2, depth / 2
    return np.array([[-x, 0.0, -z], [x, made.height_m, z]])


@lru_cache(maxsize=64)
def _bounds(made: Made) -> Points:
    vertices = build_made(made).vertices.astype(np.float64)
    return np.array([vertices.min(axis=0), vertices.max(axis=0)]) if len(vertices) else np.zeros((2, 3))


def _plinth(made: Made) -> Mesh:
    """A drum with a rounded upper edge, turned in the size of its width and stretched in depth."""
    radius = made.width_m / 2
    edge = min(made.edge_m, made.height_m, radius * 0.999)
    flat = np.linspace(0, radius - edge, 4)[:-1]
    top = np.stack([flat, np.full_like(flat, made.height_m)], axis=1)
    corner = np.array([[radius, made.height_m]])
    rim = arc(radius - edge, made.height_m - edge, edge, 90, 0, ROUND_STEPS) if edge > 0 else corner
    base = np.array([[radius, 0.0], [0.0, 0.0]] if made.height_m > edge else [[0.0, 0.0]])
    drum = lathe(np.vstack([top, rim, base]), SEGMENTS, 40)
    return drum.transformed(np.diag([1.0, 1.0, made.depth_m / made.width_m, 1.0]))


def _ball(made: Made) -> Mesh:
    """An ellipsoid."""
    profile = arc(0, 0.5, 0.5, 90, -90, SEGMENTS // 2)
    profile[[0, -1], 0] = 0.0
    return lathe(profile, SEGMENTS, 60).transformed(np.diag([made.width_m, made.height_m, made.depth_m, 1.0]))


def _box(made: Made) -> Mesh:
    return _block(made.width_m, made.height_m, made.depth_m, made.edge_m)


def _card(made: Made) -> Mesh:
    return _block(made.width_m, made.height_m, made.width_m * CARD_M, 0.0)


def _block(width: float, height: float, depth: float, edge: float) -> Mesh:
    """A block with rounded edges: one closed ring of the outline for each level, and lids.

    Upright edges are rounded by arcs of the outline, the upper ones by levels that draw it in.
    """
    edge = min(edge, width / 2 * 0.999, depth / 2 * 0.999, height * 0.999)
    levels = [(0.0, 0.0)]  # height, and how far the outline is drawn in there
    if edge > 0:
        levels += [(height - edge + y, edge - x) for x, y in arc(0, 0, edge, 0, 90, ROUND_STEPS)]
    else:
        levels.append((height, 0.0))
    outlines = [_outline(width, depth, edge, drawn_in) for _, drawn_in in levels]
    rings = [np.insert(outline, 1, y, axis=1) for outline, (y, _) in zip(outlines, levels, strict=True)]
    # lids: the last ring drawn in to its middle; the base is closed too, so that nothing shines through
    middle_top, middle_base = np.zeros_like(rings[-1]), np.zeros_like(rings[0])
    middle_top[:, 1] = height
    points = np.stack([middle_base, *rings, middle_top])
    around = np.linspace(0, 1, points.shape[1])
    up = np.concatenate([[0.0], np.linspace(0, 1, len(rings)), [1.0]])
    uvs = np.stack(np.broadcast_arrays(around[None, :], 1 - up[:, None]), axis=-1)
    return grid_mesh(points, uvs, 40)


def _outline(width: float, depth: float, edge: float, drawn_in: float) -> np.ndarray:
    """The closed outline (n, 2) in x and z, counter-clockwise seen from above, its corners rounded."""
    x, z = width / 2 - edge, depth / 2 - edge
    steps = ROUND_STEPS if edge > 0 else 0
    found = []
    for k, (cx, cz) in enumerate([(x, z), (x, -z), (-x, -z), (-x, z)]):
        a = np.radians(90 * k + (np.linspace(0, 90, steps + 1) if steps else np.array([45.0])))
        found.append(np.stack([cx + (edge - drawn_in) * np.sin(a), cz + (edge - drawn_in) * np.cos(a)], axis=1))
    outline = np.concatenate(found)
    return np.vstack([outline, outline[:1]])


_BUILDERS: dict[Form, Callable[[Made], Mesh]] = {"plinth": _plinth, "box": _box, "ball": _ball, "card": _card}
