"""Where cameras and lights are directed, and what stands on what."""

import numpy as np

from ..arrays import Points, Vec3
from ..geometry.placement import placement_matrix
from ..geometry.primitives import made_box
from ..scene import Aim, Item, Project
from ..scene.item import ON_CAMERA, ON_DISC, ON_SET


def aim_point(aim: Aim, project: Project) -> Vec3:
    """The point (3,) that is aimed at, m, in studio space at rest."""
    offset = np.array([aim.x_m, aim.y_m, aim.z_m])
    item = project.item(aim.item)
    return offset if item is None else middle_of(item, aim.part) + offset


def middle_of(item: Item, part: str | None = None) -> Vec3:
    """The middle (3,) of the box around an item, or one of its parts, in studio space at rest.

    A model that came in before boxes of parts were kept has its middle where it stands on the floor.
    """
    box = box_of(item, part)
    if box is None:
        return np.array([item.placement.x_m, 0.0, item.placement.z_m])
    m = placement_matrix(item.placement)
    return np.asarray(m[:3, :3] @ box.mean(axis=0) + m[:3, 3])


def box_of(item: Item, part: str | None = None) -> Points | None:
    """Lowest and highest corner (2, 3) of an item, or one of its parts, in its own space; None where not known."""
    if item.made is not None:
        return made_box(item.made)
    boxes = np.array([p.box for p in item.parts if p.box is not None and part in (None, p.id)])
    if not len(boxes):
        return None
    return np.array([boxes[:, :3].min(axis=0), boxes[:, 3:].max(axis=0)])


def box_corners(item: Item, part: str | None = None) -> Points | None:
    """Corners (8, 3) of the box around an item, or one of its parts, in studio space at rest; None where not known."""
    box = box_of(item, part)
    if box is None:
        return None
    m = placement_matrix(item.placement)
    return np.asarray(np.array(np.meshgrid(*box.T)).reshape(3, -1).T @ m[:3, :3].T + m[:3, 3])


def stand_height_m(project: Project, item: Item) -> float:
    """Height of what an item stands on, m: the floor, the disc's top, or the top of the item that it rides on."""
    if item.rides in (ON_SET, ON_CAMERA):
        return 0.0
    if item.rides == ON_DISC:
        return project.set.stand_height_m
    below = project.item(item.rides)
    assert below is not None  # the document is sound
    corners = box_corners(below)
    return stand_height_m(project, below) if corners is None else float(corners[:, 1].max())
