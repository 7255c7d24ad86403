"""The schema: what documents and kinds hold, told to the browser and to scripts once, so that nobody keeps a list."""

from functools import cache
from typing import get_args

from pydantic import BaseModel

from ..core.kind_fields import KindField
from ..core.light.kinds import KINDS, fields_of
from ..core.motion.loop import FIX_TITLES
from ..core.motion.segments import SEGMENTS
from ..core.render.passes.kinds import PASSES
from ..core.review.stations import STATIONS
from ..core.scene import MaterialMaps, place_of
from ..core.scene.camera import FARTHEST_M, NEAREST_M
from ..core.scene.delivery import COMMON_FORMATS
from ..core.scene.light import Behind
from ..core.scene.material import USUAL_MAPS
from ..core.scene.property import affects_everywhere, keyable_everywhere
from ..core.scene.stocked import STOCK_TITLES
from ..store.database import TakeState


class FieldSchema(BaseModel):
    """A place of the project; `*` in its path stands for the id of an item."""

    path: str
    title: str
    unit: str
    kind: str
    least: float | None
    most: float | None
    choices: dict[str, str]
    """of a choice: its values, and what they are called"""
    affects: str
    keyable: bool


class LightSchema(BaseModel):
    """A kind of light."""

    shape: str
    title: str
    fields: list[str]
    """of a light, that it has and some others have not"""


class SegmentSchema(BaseModel):
    """A kind of segment."""

    kind: str
    title: str
    says: str
    figure: str
    """names of its fields in braces, `:m` for lengths"""
    fields: list[str]


class PassSchema(BaseModel):
    """A kind of pass."""

    name: str
    title: str
    says: str


class MapSchema(BaseModel):
    """A map of a material."""

    slot: str
    title: str


class Distances(BaseModel):
    """Nearest and farthest distance of a camera or light from its aim, m."""

    nearest_m: float = NEAREST_M
    farthest_m: float = FARTHEST_M


class Schema(BaseModel):
    """All that is known of documents and kinds beside their values."""

    lights: list[LightSchema]
    segments: list[SegmentSchema]
    passes: list[PassSchema]
    maps: list[MapSchema]
    """the usual ones first"""
    fixes: dict[str, str]
    """ways to close a gap of a loop, and what their buttons say"""
    formats: list[str]
    stations: list[str]
    stock: dict[str, str]
    """kinds of saved things, in the order in which a studio is set up"""
    take_states: dict[str, str]
    backdrop: Behind
    """one of a grade before anything is chosen"""
    distances: Distances


def names_of(fields: tuple[KindField, ...]) -> list[str]:
    """Names of fields in the document."""
    return [field.name for field in fields]


@cache
def schema() -> Schema:
    """The schema of this version."""
    slots = dict.fromkeys((*USUAL_MAPS, *MaterialMaps.model_fields))
    return Schema(
        lights=[LightSchema(shape=k.shape, title=k.title, fields=sorted(fields_of(k))) for k in KINDS.values()],
        segments=[
            SegmentSchema(kind=k.kind, title=k.title, says=k.says, figure=k.figure, fields=names_of(k.fields))
            for k in SEGMENTS.values()
        ],
        passes=[PassSchema(name=k.name, title=k.title, says=k.says) for k in PASSES.values()],
        maps=[MapSchema(slot=s, title=place_of(f"materials/*/maps/{s}").title.removesuffix(" map")) for s in slots],
        fixes={str(fix): title for fix, title in FIX_TITLES.items()},
        formats=list(COMMON_FORMATS),
        stations=list(STATIONS),
        stock=dict(STOCK_TITLES),
        take_states={state: TAKE_WORDS.get(state, state) for state in (*get_args(TakeState), "damaged")},
        backdrop=Behind(),
        distances=Distances(),
    )


TAKE_WORDS = {"running": "shooting"}
"""States of takes that people call otherwise."""


@cache
def fields() -> list[FieldSchema]:
    """Every place of a project."""
    keyable = set(keyable_everywhere())
    found = []
    for path in affects_everywhere():
        place = place_of(path.replace("*", "{item}"))
        found.append(
            FieldSchema(
                path=path,
                title=place.title,
                unit=place.unit,
                kind=place.kind,
                least=place.least,
                most=place.most,
                choices=dict(place.choices),
                affects=place.affects,
                keyable=path in keyable,
            )
        )
    return found
