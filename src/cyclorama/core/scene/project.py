"""The project document: items on a set, looks, cameras, and shots that bring them together."""

from collections import Counter
from collections.abc import Iterator
from typing import Annotated, Any

from pydantic import Field, ValidationError, model_validator
from pydantic_core import from_json

from ..errors import ChangeError
from .aim import Aim
from .base import Doc, Id, Name, affecting, new_id, read_only
from .camera import Camera
from .channel import Channel
from .error_sentences import explain
from .item import GROUNDS, SET_PARTS, Item
from .light import WITH_RIG, Light
from .look import Look
from .material import Material
from .palette import MOST_COLOURS, MOST_REFERENCES, PaletteColour, Reference
from .path import Path
from .property import OPEN_LISTS, place_of, root_document, value_at
from .shoot import TYPED, ShootSettings
from .shot import CAMERA, DISC, Row, Segment, Shot
from .stage import Stage
from .upgrade import SCHEMA_VERSION, is_newer, upgrade_document
from .writing import derive


@root_document
class Project(Doc):
    """Everything that is needed to shoot, without the files it refers to."""

    schema_version: Annotated[int, read_only()] = SCHEMA_VERSION
    id: Id
    name: Name
    rate_num: Annotated[int, affecting("motion", title="Frame rate", ge=1, le=240_000)] = 24
    rate_den: Annotated[int, affecting("motion", title="Frame rate divisor", ge=1, le=1001)] = 1
    items: Annotated[tuple[Item, ...], Field(max_length=200)] = ()
    subject_id: Annotated[Id | None, affecting("nothing", title="Subject")] = None
    """the item that is presented"""
    materials: Annotated[tuple[Material, ...], Field(max_length=30_000)] = ()
    set: Stage = Stage()
    looks: Annotated[tuple[Look, ...], Field(min_length=1, max_length=200)]
    cameras: Annotated[tuple[Camera, ...], Field(min_length=1, max_length=200)]
    paths: Annotated[tuple[Path, ...], Field(max_length=200)] = ()
    palette: Annotated[tuple[PaletteColour, ...], Field(max_length=MOST_COLOURS)] = ()
    references: Annotated[tuple[Reference, ...], Field(max_length=MOST_REFERENCES)] = ()
    shots: Annotated[tuple[Shot, ...], Field(min_length=1, max_length=200)]
    shot_id: Annotated[Id, affecting("nothing", title="Shot")]
    """the shot that is open"""

    @property
    def shot(self) -> Shot:
        """The shot that is open."""
        return next(s for s in self.shots if s.id == self.shot_id)

    def written_out(self, path: str) -> str:
        """The path with `shot`, `camera`, `look` and `subject` at its beginning written out; see `property`.

        Raises ChangeError when there is no subject.
        """
        head, *rest = path.split("/")
        if head not in OPEN_LISTS:
            return path
        shot = self.shot
        which = {"shot": shot.id, "camera": shot.camera_id, "look": shot.look_id, "subject": self.subject_id}[head]
        if which is None:
            raise ChangeError("There is no subject yet. Bring a model in first.")
        if (head, *rest[:1]) == ("subject", "variant") and self.subject is not None:
            rest[:1] = ["variants", self.subject.variant_id]
        if (head, *rest[:1]) == ("shot", "move") and (row := shot.travelling) is not None:
            rest[:1] = ["rows", row.id, "segments", row.segments[0].id]
        return "/".join([OPEN_LISTS[head], which, *rest])

    @property
    def camera(self) -> Camera:
        """The camera of the open shot."""
        return self.camera_of(self.shot)

    @property
    def look(self) -> Look:
        """The look of the open shot."""
        return self.look_of(self.shot)

    @property
    def subject(self) -> Item | None:
        """The item that is presented, as it is worn in the open shot."""
        found = self.item(self.subject_id)
        return None if found is None else with_worn_colourway(found, self.shot)

    def item(self, identity: str | None) -> Item | None:
        """The item of an id, None where there is none."""
        return next((item for item in self.items if item.id == identity), None)

    def camera_of(self, shot: Shot) -> Camera:
        """The camera that a shot is shot through."""
        return next(c for c in self.cameras if c.id == shot.camera_id)

    def look_of(self, shot: Shot) -> Look:
        """The look of a shot."""
        return next(x for x in self.looks if x.id == shot.look_id)

    @model_validator(mode="after")
    def _is_sound(self) -> "Project":
        return self.sound()

    def sound(self) -> "Project":
        """The project itself; raises ValueError with a sentence when something in it refers to what is not there, or
        two things have one id."""
        if self.schema_version != SCHEMA_VERSION:
            raise ValueError(
                f"It was saved as version {self.schema_version}; this program reads up to version {SCHEMA_VERSION}. "
                "Update Cyclorama to open it."
            )
        children: tuple[Item | Look | Shot, ...] = (*self.items, *self.looks, *self.shots)
        for child in children:
            child.sound()
        for sentence in _faults(self):
            raise ValueError(sentence)
        return self


def with_worn_colourway(item: Item, shot: Shot) -> Item:
    """The item in the colourway that it wears in a shot."""
    variant = next((w.variant for w in shot.wears if w.id == item.id), item.variant_id)
    return item if variant == item.variant_id else derive(item, variant_id=variant)


def _faults(p: Project) -> Iterator[str]:
    """Inconsistencies of a document, a sentence each."""
    lists: dict[str, tuple[Any, ...]] = {
        "material": p.materials,
        "item": p.items,
        "look": p.looks,
        "camera": p.cameras,
        "shot": p.shots,
        "path": p.paths,
        "colour": p.palette,
        "reference": p.references,
    }
    for what, things in lists.items():
        if len({thing.id for thing in things}) != len(things):
            yield f"Two {what}s have the same id."
    parts = Counter(part.id for item in p.items for part in item.parts)
    if any(count > 1 for count in parts.values()) or any(part in SET_PARTS for part in parts):
        yield "Two parts have the same id."
    items, materials = {item.id: item for item in p.items}, {m.id for m in p.materials}
    if p.subject_id is not None and p.subject_id not in items:
        yield f"There is no item ‘{p.subject_id}’ in this project."
    for item in p.items:
        yield from _ride_faults(item, items)
        if item.copies and item.copies.path and all(path.id != item.copies.path for path in p.paths):
            yield f"‘{item.name}’ is copied along a path that is not in this project."
        names = {part.id: part.name for part in item.parts}
        for w in (w for variant in item.variants for w in variant.parts):
            if w.material not in materials:
                yield f"Part ‘{names[w.id]}’ refers to a material that is not in this project."
    for camera in p.cameras:
        yield from _aim_faults(camera.aim, f"The camera ‘{camera.name}’", items)
        if camera.focus_item is not None and camera.focus_item not in items:
            yield f"The camera ‘{camera.name}’ focuses on an item that is not in this project."
    for look in p.looks:
        for light in look.lights:
            yield from _aim_faults(light.aim, f"The light ‘{light.name}’", items)
            if light.rides not in (WITH_RIG, *GROUNDS, *items):
                yield f"The light ‘{light.name}’ rides on an item that is not in this project."
    if all(shot.id != p.shot_id for shot in p.shots):
        yield f"There is no shot ‘{p.shot_id}’ in this project."
    for shot in p.shots:
        yield from _shot_faults(shot, p, items)


def _ride_faults(item: Item, items: dict[str, Item]) -> Iterator[str]:
    if item.id in GROUNDS:
        yield f"No item can have the id ‘{item.id}’."
    below, passed = item, {item.id}
    while below.rides not in GROUNDS:
        if below.rides not in items:
            yield f"‘{below.name}’ rides on an item that is not in this project."
            return
        below = items[below.rides]
        if below.id in passed:
            yield f"‘{item.name}’ cannot ride on what rides on itself."
            return
        passed.add(below.id)


def _aim_faults(aim: Aim, who: str, items: dict[str, Item]) -> Iterator[str]:
    item = items.get(aim.item) if aim.item is not None else None
    if aim.item is not None and item is None:
        yield f"{who} aims at an item that is not in this project."
    if aim.part is not None and (item is None or all(part.id != aim.part for part in item.parts)):
        yield f"{who} aims at a part that is not in this project."


def _shot_faults(shot: Shot, p: Project, items: dict[str, Item]) -> Iterator[str]:
    if all(c.id != shot.camera_id for c in p.cameras):
        yield f"There is no camera ‘{shot.camera_id}’ in this project, which ‘{shot.name}’ is shot through."
    if all(x.id != shot.look_id for x in p.looks):
        yield f"There is no look ‘{shot.look_id}’ in this project, which ‘{shot.name}’ has."
    for row in shot.rows:
        if row.id not in (CAMERA, DISC) and row.id not in items:
            yield f"In ‘{shot.name}’ an item travels that is not in this project."
    paths = {path.id for path in p.paths}
    for segment in (s for row in shot.rows for s in row.segments if s.kind == "ride"):
        if segment.path_id not in paths:
            yield f"In ‘{shot.name}’ the camera rides along a path that is not in this project."
    for channel in shot.channels:
        yield from _channel_faults(shot, channel, p)
    for wears in shot.wears:
        item = items.get(wears.id)
        if item is None or all(v.id != wears.variant for v in item.variants):
            yield f"In ‘{shot.name}’ an item wears a colourway that is not there."


def _channel_faults(shot: Shot, channel: Channel, p: Project) -> Iterator[str]:
    try:
        place = place_of(channel.path)
        value_at(p, channel.path)
    except (KeyError, ChangeError):
        yield f"In ‘{shot.name}’ a value is keyed that is not in this project: ‘{channel.path}’."
        return
    if not place.keyable or len(channel.keys[0].value) != place.numbers:
        yield f"In ‘{shot.name}’ {place.title.lower()} is keyed, which cannot change during a shot."


def load_project(data: str | bytes | dict[str, Any]) -> Project:
    """Read a project document.

    Raises ChangeError with a sentence about the first thing that is wrong.
    """
    try:
        document = data if isinstance(data, dict) else from_json(data)
        if isinstance(document, dict) and is_newer(document):
            version = document["schema_version"]
            raise ChangeError(f"It was saved by a newer version of Cyclorama (document version {version}). Update it.")
        return Project.model_validate(_brought_up(document) if isinstance(document, dict) else document)
    except ValidationError as error:
        raise ChangeError(explain(error)) from error
    except ValueError as error:
        raise ChangeError(f"This is not a project document: {error}.") from error


def _brought_up(document: dict[str, Any]) -> dict[str, Any]:
    try:
        return upgrade_document(document)
    except (KeyError, TypeError, AttributeError, IndexError) as error:
        raise ChangeError("It was saved by an earlier version, and something is missing in it.") from error


def new_project(name: str, shoot: ShootSettings = TYPED) -> Project:
    """An empty studio: a round sweep, a disc, three soft lights, an orbit of ten seconds."""
    camera = Camera(id=new_id("camera"), name="Camera 1")
    lights = (
        Light(id="key", name="Key", role="key", azimuth_deg=-45, elevation_deg=40),
        Light(id="fill", name="Fill", role="fill", azimuth_deg=60, elevation_deg=20, strength_stops=-1.5,
                  width_m=1.2, height_m=1.2),
        Light(id="rim", name="Rim", role="rim", azimuth_deg=165, elevation_deg=45, strength_stops=-0.5,
                  width_m=0.4, height_m=1.0),
    )  # fmt: skip
    look = Look(id=new_id("look"), name="Look 1", lights=lights)
    shot = Shot(
        id=new_id("shot"),
        name="Orbit",
        camera_id=camera.id,
        look_id=look.id,
        rows=(Row(id=CAMERA, segments=(Segment(id="segment-1"),)),),
        shoot=shoot,
    )
    return Project(id=new_id("project"), name=name, looks=(look,), cameras=(camera,), shots=(shot,), shot_id=shot.id)
