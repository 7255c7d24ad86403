"""A material that is kept, to be worn in other projects."""

from .base import Doc, Id, Name
from .material import Material


class SavedMaterial(Doc):
    """A material as it was when it was kept; its maps are files of the studio."""

    id: Id
    name: Name
    material: Material
