"""Where the numbers of a block of paths lie that are worked out side by side (see `core.wide`)."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...batched import BLOCK
from ...light.shapes import PANEL_COLUMNS
from ...material.batched import ROWS

(U, V, DX, DY, DZ, THROUGHPUT_R, THROUGHPUT_G, THROUGHPUT_B, DEPTH) = ((ROWS + k) * BLOCK for k in range(9))
"""Where on the triangle, direction of the ray, throughput, how often scattered."""
(PX, PY, PZ, FX, FY, FZ, NX, NY, NZ, TX, TY, TZ, BX, BY, BZ) = ((ROWS + k) * BLOCK for k in range(9, 24))
"""The hit, geometric normal, shading normal and the two tangents of its frame."""
(PICK, L1, L2, ROULETTE) = ((ROWS + k) * BLOCK for k in range(24, 28))
"""Random numbers; L1 and L2 become the spot that is aimed at."""
(AX, AY, AZ, CHANCE) = ((ROWS + k) * BLOCK for k in range(28, 32))
"""Direction to a light, and density with which it was chosen; negative: it is only ever aimed at."""
(FACE_X, FACE_Y, FACE_Z, SHARE, TOTAL, PER_TOTAL, PER_DEFAULT) = ((ROWS + k) * BLOCK for k in range(32, 39))
"""How the surface faces, as lights see it; with what chance the source was chosen; what all sources give, and
what that and the chances by default are divided by."""
(TURNED, MIXED) = ((ROWS + k) * BLOCK for k in range(39, 41))
"""Share of the paths that is turned to a glow behind glass (see `glow_targets`), negative where this one is; density of
the direction with these."""
ALL_ROWS = ROWS + 41
FROM, TO, TO_LIGHT, KEPT, LIT, GOES, GIVES, SPREAD = (k * BLOCK for k in (0, 3, 6, 9, 13, 19, 20, 21))
"""What comes of it. Where rays leave from (3 rows), directions of the bounce (3) and to the light (3), throughput and
density after the bounce (4), diffuse and specular light (6), whether the path goes on, whether the light gives
anything, how far facets spread (rad)."""
SEED, NUMBER, WORD, FRACTIONS = 0 * BLOCK, 1 * BLOCK, 2 * BLOCK, 3 * BLOCK
"""Seed and number of the sample, how the surface faces (see `light.facing`), then eight random 32-bit fractions."""
SOURCE, PART_A, PART_B, NEAR, BARE, BIN, PART = (k * BLOCK for k in range(7))
"""What is aimed at (see `direct.draw_part`), how many lights the ray may meet on its way, whether a bare panel is aimed
at, the bin of how the surface faces, the part it belongs to."""
DISTANCE, RADIANCE_R, RADIANCE_G, RADIANCE_B, MIRRORED = (k * BLOCK for k in range(5))
"""Of the light that is aimed at; 0: it is not reflected."""
PANEL_CASTS, PANEL_MIRRORED = ((PANEL_COLUMNS + k) * BLOCK for k in range(2))
"""After the columns of the panel: whether it casts shadows and is reflected."""
CORNER_ROWS = 18


class Block(NamedTuple):
    """Scratch for one block of paths; every array holds rows of BLOCK, end to end."""

    numbers: NDArray[np.float64]
    """rows of `material.even`, then U to MIXED"""
    corners: NDArray[np.float32]
    """positions and normals of the triangles' corners"""
    words: NDArray[np.uint32]
    """SEED to FRACTIONS"""
    spots: NDArray[np.int32]
    """SOURCE to PART"""
    light: NDArray[np.float32]
    """DISTANCE to MIRRORED"""
    panels: NDArray[np.float32]
    """the panels that are aimed at"""
    out: NDArray[np.float32]
    """FROM to SPREAD"""
    gives: NDArray[np.float64]
    """what each source gives"""


def make_block(sources: int = 2) -> Block:
    """For so many lights and other sources."""

    def rows(count: int) -> NDArray[np.float32]:
        return np.zeros(count * BLOCK, np.float32)

    return Block(
        np.zeros(ALL_ROWS * BLOCK),
        rows(CORNER_ROWS),
        np.zeros(11 * BLOCK, np.uint32),
        np.zeros(7 * BLOCK, np.int32),
        rows(5),
        rows(PANEL_COLUMNS + 2),
        rows(22),
        np.zeros(sources * BLOCK),
    )
