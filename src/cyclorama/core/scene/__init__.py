"""What stands in the studio: the project document and the typed changes to it."""

from .base import Doc
from .camera import Camera
from .changes import Change, SetValue, apply_set
from .light import Background, Environment, Gobo, Light, Sky
from .look import Look
from .material import Material, MaterialMaps, TextureRef
from .move import Move
from .place import Place, depending, inserted, moved, place_of, places, put, put_all, removed, value_at
from .project import SCHEMA_VERSION, Project, load_project, new_project
from .shoot import Passes, ShootSettings
from .stage import Disc, Stage, Sweep
from .subject import Animation, Detail, Part, Placement, Play, Subject, Variant

__all__ = [
    "SCHEMA_VERSION",
    "Animation",
    "Background",
    "Camera",
    "Change",
    "Detail",
    "Disc",
    "Doc",
    "Environment",
    "Gobo",
    "Light",
    "Look",
    "Material",
    "MaterialMaps",
    "Move",
    "Part",
    "Passes",
    "Place",
    "Placement",
    "Play",
    "Project",
    "SetValue",
    "ShootSettings",
    "Sky",
    "Stage",
    "Subject",
    "Sweep",
    "TextureRef",
    "Variant",
    "apply_set",
    "depending",
    "inserted",
    "load_project",
    "moved",
    "new_project",
    "place_of",
    "places",
    "put",
    "put_all",
    "removed",
    "value_at",
]
