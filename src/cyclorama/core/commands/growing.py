"""A part of a model that is grown, so that it reaches into what lies around it."""

from typing import Annotated

import numpy as np
from pydantic import Field

from ..errors import ChangeError
from ..geometry.measure import part_boxes
from ..geometry.mesh import Mesh
from ..geometry.nesting import grow
from ..scene import Project, put
from ..scene.base import Doc, Id
from ..scene.writing import revise
from .splitting import part_of

MOST_SHARE = 0.05
"""A part is grown by so much of the model's size at most."""


class GrowPart(Doc):
    """Request to move the surface of a part outwards."""

    item: Id
    part: Id
    by: Annotated[float, Field(gt=0, le=1e9)]
    """units of the file"""


def grown_mesh(project: Project, wanted: GrowPart, mesh: Mesh) -> Mesh:
    """The item's mesh with the part grown.

    Raises ChangeError when there is no such part, when it moves, or when that would be more than a mend.
    """
    item, number = part_of(project, wanted)
    if item.playing:
        raise ChangeError("Parts of a model that moves cannot be grown.")
    if not (mesh.part == number).any() or wanted.by > MOST_SHARE * float(np.ptp(mesh.vertices, axis=0).max()):
        raise ChangeError("That is more than a mend: nothing was grown.")
    return grow(mesh, number, wanted.by)


def with_grown(project: Project, wanted: GrowPart, mesh: Mesh, asset: str) -> Project:
    """The project in which the item has the mesh whose part was grown."""
    item, number = part_of(project, wanted)
    box = part_boxes(mesh, number + 1)[number]
    parts = tuple(revise(p, box=box) if p.id == wanted.part else p for p in item.parts)
    after = revise(item, asset=asset, parts=parts)
    return put(project, f"items/{item.id}", after)
