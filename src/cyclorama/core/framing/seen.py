"""Surface point at one place of a picture."""

from dataclasses import dataclass

from ..arrays import Vec3


@dataclass(frozen=True, slots=True)
class SurfacePoint:
    """A place of a surface."""

    point: Vec3
    """(3,) m in studio space, as what it belongs to is at rest"""
    item: str | None
    """the item that it belongs to; None: to the set"""
