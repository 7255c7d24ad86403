"""Marks as solid bodies, from the outlines of a drawing."""

from dataclasses import replace

import numpy as np
import shapely

from ..scene import Made
from ..scene.base import ReadAsset
from ..scene.made import EXTRUDED_PARTS, Extrusion, Mark
from .extrude import extrude, lay
from .mesh import Mesh, join
from .outlines import Outline, Outlines


def outlines_of(mark: Mark, read_asset: ReadAsset | None) -> Outlines:
    """Outlines of a mark, or of a block of its size where nothing can be read. Raises IntakeError."""
    if read_asset is not None:
        return Outlines.from_bytes(read_asset(mark.outlines))
    block = shapely.box(-mark.aspect / 2, 0.0, mark.aspect / 2, 1.0)
    return Outlines((Outline("", (0.0, 0.0, 0.0), (block,)),))


def build_mark(made: Made, outlines: Outlines) -> Mesh:
    """The mesh of a mark, m: as high and deep as the shape, with its edge as bevel; for each piece of the drawing its
    face, bevel and side."""
    bodies = [
        replace(body, part=body.part + np.int32(len(EXTRUDED_PARTS) * k))
        for k, piece in enumerate(outlines.pieces)
        for polygon in shapely.transform(list(piece.polygons), lambda points: points * made.height_m)
        if len((body := extrude([polygon], made.depth_m, made.edge_m)).vertices)
    ]
    parts = np.concatenate([np.zeros(0, np.int32), *(body.part for body in bodies)])
    return lay(replace(join(bodies), part=parts), made.mark or Extrusion(), made.depth_m)
