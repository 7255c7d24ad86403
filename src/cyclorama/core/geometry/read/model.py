"""Model: the result of every reader."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ...scene import Material
from ...scene.came_with import FileCamera, FileLight
from ..skeleton import Skeleton


@dataclass(slots=True)
class FilePicture:
    """A map that came with the model, as the bytes of its file."""

    name: str
    data: bytes


@dataclass(slots=True)
class Binding:
    """Skin binding of a part's vertices to the file's skeleton."""

    points: NDArray[np.float32]
    """(v, 3) in the space that they are bound in"""
    bone: NDArray[np.int32]
    """(v, w)"""
    weight: NDArray[np.float32]
    """(v, w)"""
    shapes: list[tuple[int, NDArray[np.float32], NDArray[np.float32] | None]] = field(default_factory=list)
    """number of the shape, how far it moves the vertices (v, 3) and their normals (v, 3)"""


@dataclass(slots=True)
class Creases:
    """Edges of a cage that stay sharp when it is refined."""

    edges: NDArray[np.integer]
    """(s, 2) vertices of the part"""
    sharpness: NDArray[np.float64]
    """(s,) how often they are kept sharp"""


@dataclass(slots=True)
class ModelPart:
    """A named piece in the file's own space."""

    name: str
    vertices: NDArray[np.floating]
    """(v, 3) file units"""
    triangles: NDArray[np.integer]
    """(t, 3)"""
    normals: NDArray[np.float32] | None = None
    """(v, 3), None where the file brings none"""
    uvs: NDArray[np.float32] | None = None
    """(v, 2) origin at the top left"""
    material: int = 0
    """index into FileModel.materials"""
    binding: Binding | None = None
    """None in files without a skeleton"""
    more_uvs: NDArray[np.float32] | None = None
    """(v, 2) a second set"""
    colours: NDArray[np.float32] | None = None
    """(v, 4) linear Rec.709 and opacity"""
    visible: bool = True
    variants: dict[int, int] = field(default_factory=dict)
    """material by number of the variant, for those that give it another one"""
    inner: NDArray[np.uint8] | None = None
    """(t,) edges that only split polygons, as bits (see `polygons`); None in files of triangles"""
    group: tuple[str, ...] = ()
    """names of what it stands in, from the outside in"""
    body: int = -1
    """parts of one number are pieces of one mesh, parted by what they are made of; −1: a mesh of its own"""
    copies: int = 1
    """how many times the mesh stands in the part, one after the other"""
    smooth: bool = False
    """the file says that it is a cage, to be refined by subdivision"""
    creases: Creases | None = None
    refined: bool = False
    number: int = 0
    """which part of the file it is, counted from 1; set when all are known"""


def inner_edges(parts: list[ModelPart]) -> NDArray[np.uint8]:
    """Inner edges (t,) of parts end to end; (0,) where none of them came as polygons."""
    if all(p.inner is None for p in parts):
        return np.zeros(0, np.uint8)
    return np.concatenate([np.zeros(len(p.triangles), np.uint8) if p.inner is None else p.inner for p in parts])


@dataclass(slots=True)
class FileModel:
    """Everything a file brought, and what it brought that is not a subject.

    Texture references of the materials hold `picture:N` in place of an asset hash until the pictures are kept.
    """

    parts: list[ModelPart] = field(default_factory=list)
    materials: list[Material] = field(default_factory=list)
    pictures: list[FilePicture] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)
    """names of files that are referred to but not there, as the artist should read them: “Texture ‘a.png’”"""
    variants: list[str] = field(default_factory=list)
    """names of other choices of materials"""
    skeleton: Skeleton | None = None
    animation_names: list[str] = field(default_factory=list)
    """one for each of the skeleton's"""
    cameras: list[FileCamera] = field(default_factory=list)
    lights: list[FileLight] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    """sentences about what was left out or approximated"""
    up: str | None = None
    off: float = 0.0
    """how far its triangles are off exact surfaces, in units of the file"""
    unit_m: float | None = None
    """set where the format's specification says it"""

    def keep_picture(self, name: str, data: bytes) -> str:
        """Add a picture; its reference for maps."""
        self.pictures.append(FilePicture(name, data))
        return f"picture:{len(self.pictures) - 1}"
