"""Parts that are taken apart: the project with the new parts, each wearing what the old one did."""

import hashlib
from typing import Annotated, Literal, Protocol

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ..errors import ChangeError
from ..framing import Projection
from ..geometry.cache_keys import content_hash
from ..geometry.measure import part_boxes
from ..geometry.mesh import Mesh
from ..geometry.placement import placement_matrix
from ..geometry.split import pieces_of, seen_inside, split
from ..motion import moment
from ..scene import Item, Part, Project, Worn, put_all
from ..scene.base import Doc, Id, Unit01
from ..scene.writing import revise
from .base import Frame
from .filling import filled_as, without_filling
from .names import free_ids, free_name

WHOLE = "It is one piece already. Draw a line round what you want apart."


class SplitPart(Doc):
    """Take a part of an item apart: into its pieces, or what is seen inside a line that is drawn in the picture."""

    item: Id
    part: Id
    by: Literal["pieces", "line"] = "pieces"
    frame: Frame = 0
    line: Annotated[tuple[tuple[Unit01, Unit01], ...], Field(max_length=2000)] = ()
    """shares of the picture from the top left"""


def split_mesh(project: Project, wanted: SplitPart, mesh: Mesh) -> Mesh:
    """The item's mesh with new parts.

    Raises ChangeError when there is no such part, or nothing to take apart.
    """
    item, number = part_of(project, wanted)
    label = pieces_of(mesh, number) if wanted.by == "pieces" else _inside(project, item, number, wanted, mesh)
    if not label.any():
        raise ChangeError(WHOLE if wanted.by == "pieces" else "Nothing of that part is seen inside the line.")
    if label.all():
        raise ChangeError("All of that part is inside the line: nothing would be left.")
    return split(mesh, number, label, len(without_filling(item).parts))


def with_parts(project: Project, wanted: SplitPart, mesh: Mesh, asset: str) -> Project:
    """The project in which an item has the parts of a mesh that was split from its own."""
    whole, number = part_of(project, wanted)
    item = without_filling(whole)
    old, count = item.parts[number], int(mesh.part.max()) + 1 - len(item.parts)
    taken = {p.id for x in project.items for p in x.parts}
    ids = list(free_ids([f"{old.id[:30]}-{k}" for k in range(2, count + 2)], taken, "part").values())
    triangles = np.bincount(mesh.part, minlength=len(item.parts) + count)
    boxes = part_boxes(mesh, len(item.parts) + count)
    parts = [revise(p, triangles=int(triangles[i]), box=boxes[i]) for i, p in enumerate(item.parts)]
    for k, identity in enumerate(ids):
        i = len(item.parts) + k
        name = free_name((p.name for p in parts), old.name)
        parts.append(Part(id=identity, name=name, triangles=int(triangles[i]), box=boxes[i], group=old.group))
    variants = tuple(
        revise(
            v,
            parts=v.parts
            + tuple(
                Worn(id=identity, material=v.parts[number].material, visible=v.parts[number].visible)
                for identity in ids
            ),
        )
        for v in item.variants
    )
    after = filled_as(revise(item, asset=asset, parts=tuple(parts), variants=variants), whole)
    looks = tuple(
        revise(
            look,
            lights=tuple(
                revise(light, excluded_parts=(*light.excluded_parts, *ids)) if old.id in light.excluded_parts else light
                for light in look.lights
            ),
        )
        for look in project.looks
    )
    return put_all(project, {f"items/{item.id}": after, "looks": looks})


def changed_key(data: bytes, old: str) -> str:
    """The name under which a changed mesh is kept: what else belongs to the old one goes along under it."""
    return content_hash(hashlib.sha256(data).digest() + old.encode())


class OfPart(Protocol):
    """Names a part of an item."""

    item: Id
    part: Id


def part_of(project: Project, wanted: OfPart) -> tuple[Item, int]:
    """The item, and the number of its part. Raises ChangeError when there is none that can be split."""
    item = project.item(wanted.item)
    number = next((i for i, p in enumerate(item.parts) if p.id == wanted.part), None) if item else None
    if item is None or number is None:
        raise ChangeError("That part is not there any more.")
    if item.made is not None:
        raise ChangeError("A made shape has only one part.")
    if item.filling is not None and number == len(item.parts) - 1:
        raise ChangeError("That is a liquid: its shape is that of what it fills.")
    return item, number


def _inside(project: Project, item: Item, number: int, wanted: SplitPart, mesh: Mesh) -> NDArray[np.int32]:
    if len(wanted.line) < 3:
        raise ChangeError("Draw a line round what you want apart.")
    if item.play.animation is not None:
        raise ChangeError(
            f"‘{item.name}’ moves by itself. Let it stand first (Subject, Animation), then draw the line."
        )
    here = moment(project, wanted.frame)
    stands = here.carried(here.carriages[item.id], here.around)[0] @ placement_matrix(item.placement)
    to_camera = np.linalg.inv(here.around.cameras[0]) @ stands
    x, y, z = (mesh.vertices @ to_camera[:3, :3].T + to_camera[:3, 3]).T
    lens = Projection.of(here.camera, here.shoot.width, here.shoot.height)
    with np.errstate(invalid="ignore", divide="ignore"):
        depth = np.where(z < 0, -z, np.nan)
        across, up = lens.places(x / depth, y / depth)
    places = np.stack([0.5 + 0.5 * across / lens.half_w, 0.5 - 0.5 * up / lens.half_h], axis=1)
    eye = np.linalg.inv(stands) @ here.around.cameras[0][:, 3]
    return seen_inside(mesh, number, places, eye[:3], np.array(wanted.line))
