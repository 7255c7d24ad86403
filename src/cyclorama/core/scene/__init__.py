"""Scene: the project document."""

from .aim import Aim
from .base import Doc
from .camera import Camera
from .channel import Channel, Key
from .grade import Grade
from .item import Animation, AnimationPiece, Detail, Item, Part, Placement, Play, Variant, Worn
from .light import Background, Environment, Gobo, Light, Sky
from .look import Look
from .made import Made
from .material import Material, MaterialMaps, TextureRef
from .path import Path, PathPoint
from .project import Project, load_project, new_project, with_worn_colourway
from .property import Property, assets_of, dependency_key, full_path, place_of, places, value_at
from .shoot import FOR_CLIPS, Passes, ShootSettings
from .shot import Row, Segment, Shot, Wears
from .stage import Disc, Stage, Sweep
from .tone import Tone
from .upgrade import SCHEMA_VERSION
from .writing import at_values, insert_item, move_item, put, put_all, remove_item

__all__ = [
    "FOR_CLIPS",
    "SCHEMA_VERSION",
    "Aim",
    "Animation",
    "AnimationPiece",
    "Background",
    "Camera",
    "Channel",
    "Detail",
    "Disc",
    "Doc",
    "Environment",
    "Gobo",
    "Grade",
    "Item",
    "Key",
    "Light",
    "Look",
    "Made",
    "Material",
    "MaterialMaps",
    "Part",
    "Passes",
    "Path",
    "PathPoint",
    "Placement",
    "Play",
    "Project",
    "Property",
    "Row",
    "Segment",
    "ShootSettings",
    "Shot",
    "Sky",
    "Stage",
    "Sweep",
    "TextureRef",
    "Tone",
    "Variant",
    "Wears",
    "Worn",
    "assets_of",
    "at_values",
    "dependency_key",
    "full_path",
    "insert_item",
    "load_project",
    "move_item",
    "new_project",
    "place_of",
    "places",
    "put",
    "put_all",
    "remove_item",
    "value_at",
    "with_worn_colourway",
]
