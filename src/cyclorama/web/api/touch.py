"""Touch: parts under the pointer, and places for lights."""

import base64
from functools import partial
from typing import Annotated, Literal

import numpy as np
from fastapi import APIRouter, Depends, Request
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel, Field

from ...app.lens import LensEye
from ...app.shared_work import IsUnwanted
from ...core.colour_difference import difference, lab_of, parse_colour, rgb_of
from ...core.commands.keys import value_in_frame
from ...core.commands.light_places import PlaceLight, with_light_placed
from ...core.commands.tools import Tools
from ...core.commands.values import SetValue
from ...core.errors import ChangeError
from ...core.motion import Moment, moment
from ...core.render.film.picking import PickProbe
from ...core.scene import full_path
from ...core.textures import to_srgb_bytes
from ..context import Context, context

router = APIRouter(prefix="/api/projects/{project_id}")
Ctx = Annotated[Context, Depends(context)]
MAP_WIDTH = 480


class TouchedThing(BaseModel):
    """One thing that a picture shows."""

    kind: Literal["set", "part"]
    name: str
    """‘Brass cap’, ‘Sweep’"""
    of: str
    """the item it belongs to, and what it is made of"""
    item: str | None
    part: str
    material: str | None


class TouchMap(BaseModel):
    """Part at each place of a picture."""

    width: int
    height: int
    numbers: str
    """(height · width) little-endian uint16 in base64: of `things` counted from 1, 0 nothing"""
    things: list[TouchedThing]


class Placed(BaseModel):
    """Where a light would stand."""

    changes: list[SetValue]
    says: str


@router.get("/touch")
async def touch(ctx: Ctx, request: Request, project_id: str, frame: int) -> TouchMap:
    """Part at each place of a frame's picture."""
    version = await run_in_threadpool(ctx.studio.projects.version, project_id)
    key = ("touch", project_id, version, frame)
    return await ctx.eyes.answer(request, key, partial(_touch_map, ctx, project_id, frame))


def _touch_map(ctx: Context, project_id: str, frame: int, _: IsUnwanted) -> TouchMap:
    here = moment(ctx.studio.projects.get(project_id).project, frame)
    with ctx.lens.borrowed(wait=False) as tools:
        numbers = PickProbe(*tools).owners(here, MAP_WIDTH)
    height, width = numbers.shape
    told = base64.b64encode(numbers.astype("<u2").tobytes()).decode()
    return TouchMap(width=width, height=height, numbers=told, things=_things(here))


def _things(here: Moment) -> list[TouchedThing]:
    """The set's two parts, then those of the items, in the order in which the renderer counts them."""
    found = [
        TouchedThing(kind="set", name=name, of="Set", item=None, part=name.lower(), material=None)
        for name in ("Sweep", "Disc")
    ]
    names = {m.id: m.name for m in here.materials}
    for item in here.items:
        for part, worn in zip(item.parts, item.variant.parts, strict=True):
            made_of = names.get(worn.material, "")
            found.append(
                TouchedThing(
                    kind="part",
                    name=part.name,
                    of=" · ".join(filter(None, (item.name, made_of))),
                    item=item.id,
                    part=part.id,
                    material=worn.material,
                )
            )
    return found


class ColourAsked(BaseModel):
    """Colour to compare with the picture of a material."""

    material: str
    frame: int
    colour: Annotated[str, Field(max_length=60)]


class ColourSeen(BaseModel):
    """Colour of a material under this light and view."""

    lab: list[float]
    shown: str
    """as a display shows it, #rrggbb"""
    difference: float
    """ΔE00 from the colour that was told"""
    beyond: bool
    """the colour that was told is none that a display can show"""


@router.post("/colour")
def colour(ctx: Ctx, project_id: str, wanted: ColourAsked) -> ColourSeen:
    """Colour of a material in a frame, and its distance from a colour."""
    aim = parse_colour(wanted.colour)
    here = moment(ctx.studio.projects.get(project_id).project, wanted.frame)
    with ctx.lens.borrowed(wait=False) as tools:
        seen = PickProbe(*tools).shown(here, wanted.material)
    if seen is None:
        raise ChangeError("Nothing of that material is seen in this frame.")
    lab, rgb = lab_of(seen), rgb_of(aim)
    digits = "#" + to_srgb_bytes(seen.astype(np.float32)).tobytes().hex()
    beyond = bool(rgb.min() < -1e-3 or rgb.max() > 1.0 + 1e-3)
    return ColourSeen(
        lab=[round(x, 1) for x in lab.tolist()], shown=digits, difference=round(difference(lab, aim), 1), beyond=beyond
    )


@router.post("/placed")
def try_placement(ctx: Ctx, project_id: str, wanted: PlaceLight) -> Placed:
    """Where a light would stand, as changes that can be tried; nothing is saved."""
    project = ctx.studio.projects.get(project_id).project
    after, says = with_light_placed(project, wanted, Tools(ctx.studio.measures_if_whole, LensEye(ctx.lens)))
    paths = [full_path(project, f"look/lights/{wanted.light}/{name}") for name in ("azimuth_deg", "elevation_deg")]
    changes = [SetValue(path=path, value=value_in_frame(after, path, wanted.frame)) for path in paths]
    return Placed(changes=changes, says=says)
