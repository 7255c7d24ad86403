"""The light bench: what every light gives by itself, and how the lights stand to each other."""

import base64
from typing import Annotated

from fastapi import APIRouter, Depends
from pydantic import BaseModel

from ...core.motion import moment
from ...core.render.film.light_bench import ENVIRONMENT, Contribution, contributions, ratio
from ...core.scene import Look
from ..context import Context, context

router = APIRouter(prefix="/api/projects/{project_id}")
Ctx = Annotated[Context, Depends(context)]


class Tile(BaseModel):
    """Contribution of one light."""

    id: str
    picture: str
    """JPEG in base64"""
    gives: str
    """‘+0.3’, its stops on the subject above middle grey, or ‘nothing’"""


class Bench(BaseModel):
    """Everything that shines."""

    tiles: list[Tile]
    totals: list[str]
    """how the lights stand to each other, a sentence each"""


@router.get("/bench")
def bench(ctx: Ctx, project_id: str, frame: int) -> Bench:
    """Contributions of the lights of the open shot's look in a frame."""
    here = moment(ctx.studio.projects.get(project_id).project, frame)
    with ctx.lens.borrowed(wait=False) as tools:
        found = contributions(here, *tools)
    tiles = [Tile(id=c.id, picture=base64.b64encode(c.jpeg).decode(), gives=_gives(c)) for c in found]
    return Bench(tiles=tiles, totals=_totals(here.look, found))


def _gives(c: Contribution) -> str:
    return "nothing" if c.stops is None else f"{c.stops:+.1f}".replace("-", "\u2212")


def _totals(look: Look, found: list[Contribution]) -> list[str]:
    """‘Key : fill 4 : 1, 2.0 stops.’ of those that are on."""
    lit = {light.id for light in look.lit_lights} | ({ENVIRONMENT} if look.environment_lit else set())
    nit = {c.id: c.nit for c in found if c.id in lit}

    def of(role: str) -> list[float]:
        return [nit[light.id] for light in look.lights if light.role == role and light.id in nit]

    fill = [*of("fill"), nit[ENVIRONMENT]] if ENVIRONMENT in nit else of("fill")
    key, rim = of("key"), of("rim")
    said = []
    for name, above, below in (("Key : fill", key, fill), ("Rim : key", rim, key)):
        times = ratio(above, below)
        if times is not None:
            said.append(f"{name} {_to_one(times)}")
    return said


def _to_one(times: float) -> str:
    """‘4 : 1’, ‘1 : 3’."""
    return f"{times:.2g} : 1" if times >= 1.0 else f"1 : {1.0 / times:.2g}"
