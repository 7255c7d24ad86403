"""JSON of grades wherever they are edited: the line of a curve, tables of colours."""

from pathlib import Path
from typing import Annotated

import numpy as np
from fastapi import APIRouter, Depends, Query, Request
from pydantic import BaseModel

from ...app.confined import look_at
from ...core.errors import ShootError
from ...core.picture.grade.operators import CURVE_STEPS, curve_table
from ...core.picture.inspect_upload import examine_table
from ...core.scene.grade import BRIGHTEST, DARKEST, ToneCurve
from ..context import Context, context
from ..uploads import made_of_file

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
EVERY = CURVE_STEPS // 64


class CurveLine(BaseModel):
    """A curve to be drawn: stops that come in, stops that go out."""

    line: list[tuple[float, float]]


class KeptTable(BaseModel):
    """A table of colours that can be used."""

    asset: str
    name: str
    says: str


@router.get("/grade/curve")
def curve(points: Annotated[str, Query(max_length=2000)]) -> CurveLine:
    """The line through points `come,go come,go …`."""
    try:
        told = ToneCurve(points=tuple(tuple(float(x) for x in p.split(",")) for p in points.split()))  # type: ignore[misc]
    except ValueError as error:
        raise ShootError(
            "A curve is told as pairs of stops from −8 to 6, from left to right and never down."
        ) from error
    stops = np.linspace(DARKEST, BRIGHTEST, CURVE_STEPS + 1)
    lifted = stops + (curve_table(told.points) if told.points else 0.0)
    return CurveLine(
        line=[(round(float(x), 3), round(float(y), 4)) for x, y in zip(stops[::EVERY], lifted[::EVERY], strict=True)]
    )


@router.post("/tables")
async def bring_table(ctx: Ctx, request: Request) -> KeptTable:
    """Keep a .cube file; a grade then refers to it."""
    return await made_of_file(request, ctx.studio.folder, _keep_table, ctx)


def _keep_table(ctx: Context, name: str, path: Path) -> KeptTable:
    says = look_at(examine_table, path, name)
    return KeptTable(asset=ctx.studio.assets.take(path), name=name[:200], says=says)
