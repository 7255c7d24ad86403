"""Results of an intake, and the keys under which they are kept.

Apart from the intake itself, so that who only uses its results need not load the readers.
"""

import hashlib
from dataclasses import dataclass, field

from ..scene import Item, Material, Project, dependency_key
from ..scene.base import Affects
from .measure import Measures
from .report import IntakeReport

HASH_LENGTH = 32
"""Hexadecimal digits of SHA-256 that name what is kept."""


@dataclass(slots=True)
class Intake:
    """A model that came in. Assets are bytes by content hash; mesh, measures and stand-in share a key."""

    item: Item
    materials: tuple[Material, ...]
    report: IntakeReport
    measures: Measures
    assets: dict[str, bytes] = field(default_factory=dict)

    @property
    def room(self) -> Measures:
        """The measures with all the room that the item's animation takes."""
        return self.measures.playing(self.item)


def content_hash(data: bytes) -> str:
    """The name under which bytes are kept."""
    return hashlib.sha256(data).hexdigest()[:HASH_LENGTH]


def hollow_key(item: Item) -> str:
    """The name of all that the hollow of an item depends on: its mesh, what is seen of it, and how it lies."""
    seen = [w.visible for w in item.variant.parts]
    return content_hash(repr((item.asset, item.made, item.placement.stance.model_dump_json(), seen)).encode())


def copies_key(project: Project, item: Item) -> str:
    """The name of all that the copies of an item depend on: shapes, relief and places of everything, and paths."""
    affects: frozenset[Affects] = frozenset(("geometry", "transform"))
    parts = [dependency_key(thing, affects) for thing in (*project.items, *project.materials, project.set)]
    return content_hash(repr((item.id, parts, project.paths, project.shot_id)).encode())


def standin_source_key(asset: str) -> str:
    return f"{asset}.standinsource"


def measures_key(asset: str) -> str:
    return f"{asset}.measures"


def rig_key(asset: str) -> str:
    return f"{asset}.rig"


def standin_key(asset: str) -> str:
    return f"{asset}.standin"
