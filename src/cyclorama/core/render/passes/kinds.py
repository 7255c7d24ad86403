"""Kinds of passes: all that is known of each, but how its pictures are made (`outputs`)."""

from dataclasses import dataclass

from ...scene.shoot import PassName


@dataclass(frozen=True, slots=True)
class PassKind:
    """A kind of pass."""

    name: PassName
    title: str
    says: str
    """what it holds"""
    numbers: bool = False
    """It holds numbers instead of a picture: always EXR."""
    alone: bool = False
    """It needs nothing of the film of a frame."""
    of_picture: bool = False
    """It is made of the clean picture, not of the film alone."""


_ALL = (
    PassKind(
        "lights",
        "Every light apart",
        "Strengths and colours can be re-balanced afterwards",
        numbers=True,
        of_picture=True,
    ),
    PassKind("components", "Diffuse, specular, transmission", "Direct and indirect, and emission", numbers=True),
    PassKind("air", "Haze", "Light from haze, and in alpha the share of all else that it hides", numbers=True),
    PassKind("albedo", "Albedo", "Colour without light"),
    PassKind("normal", "Normal", "Direction of the surface", numbers=True),
    PassKind("position", "Position", "Where the surface is, in metres", numbers=True),
    PassKind("depth", "Depth", "Distance from the camera, in metres", numbers=True),
    PassKind("motion", "Motion vectors", "Movement to the next frame, in pixels", numbers=True),
    PassKind("objects", "Part mattes", "Coverage of every part, Cryptomatte", numbers=True),
    PassKind("materials", "Material mattes", "Coverage of every material, Cryptomatte", numbers=True),
    PassKind(
        "catcher",
        "Shadow catcher",
        "All that stands on the sweep, with its shadow and reflection in alpha, to lay over another picture",
        of_picture=True,
    ),
    PassKind("occlusion", "Occlusion", "How open each place is", alone=True),
    PassKind("wireframe", "Wireframe", "Edges of the mesh", alone=True),
    PassKind("clay", "Clay", "One grey material over all", alone=True),
)
PASSES: dict[PassName, PassKind] = {kind.name: kind for kind in _ALL}
NUMBERS = tuple(kind.name for kind in _ALL if kind.numbers)
ALONE = tuple(kind.name for kind in _ALL if kind.alone)
OF_PICTURE = tuple(kind.name for kind in _ALL if kind.of_picture)
