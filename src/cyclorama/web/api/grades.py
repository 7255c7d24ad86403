"""JSON of grades: of takes, and what any grade is made of (curves, tables of colours)."""

from datetime import datetime
from pathlib import Path
from typing import Annotated, Literal
from urllib.parse import quote

import numpy as np
from fastapi import APIRouter, Depends, Query, Request, Response
from pydantic import BaseModel, ConfigDict, Field

from ...app.confined import look_at
from ...app.take_answers import kept_lights
from ...core.errors import ShootError
from ...core.geometry.cache_keys import content_hash
from ...core.picture.finishing import Finishing
from ...core.picture.grade.decisions import with_cdl, write_cdl
from ...core.picture.grade.operators import CURVE_STEPS, curve_table
from ...core.picture.inspect_upload import examine_table
from ...core.scene import Grade, put_all
from ...core.scene.grade import BRIGHTEST, DARKEST, ToneCurve
from ...core.scene.shoot import PassName
from ...core.scene.writing import revise
from ...core.sequence.names import sequence_stem
from ...shoot.finish.masters import as_shot, state_of, why_not_gradable
from ...shoot.frames.pass_files import matte_names_of
from ...store import TakeRecord
from ...store.screening import Finished
from ..context import Context, context
from ..uploads import made_of_file, received_file

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
Revision = Annotated[int, Query(ge=0, le=2_000_000_000)]
"""of the grade that a change was made on"""
MATTES: tuple[PassName, ...] = ("objects", "materials")
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


LARGEST_LIST = 1 << 20
"""Bytes of a colour decision list."""


class FinishAnswer(BaseModel):
    """Finishing of a take."""

    finishing: Finishing
    as_shot: Finishing
    neutral: Grade
    """one that does nothing"""
    version: str
    """names the state of the picture in addresses: another finish has another"""
    revision: int
    """counts changes; a change names the revision it was made on"""
    label: str
    undo: bool
    redo: bool
    why_not: str | None
    """why it cannot be graded"""
    lights: list[str]
    """those that can be re-balanced"""
    mattes: dict[str, list[str]]
    """parts and materials that can be graded alone, by the pass that has them apart"""
    transparent: bool
    deep: bool
    """its depth was shot, so that it can be defocused"""


class StateLine(BaseModel):
    """Earlier finishing of a take."""

    number: int
    label: str
    at: datetime


class FinishCall(BaseModel):
    model_config = ConfigDict(
        json_schema_extra={
            "examples": [
                {"finishing": {"grade": {"exposure_stops": 0.5}}, "revision": 0, "label": "Half a stop brighter"}
            ]
        }
    )

    finishing: Finishing
    revision: int
    label: Annotated[str, Field(max_length=80)] = "Grade"


def finish_answer(ctx: Context, take: TakeRecord, found: Finished | None = None) -> FinishAnswer:
    found = found or ctx.studio.screening.finish(take)
    s = take.project.shot.shoot
    return FinishAnswer(
        finishing=found.finishing,
        as_shot=Finishing.as_shot(take.project),
        neutral=Grade(),
        version=content_hash(state_of(found.finishing, ctx.studio).encode())[:12],
        revision=found.revision,
        label=found.label,
        undo=found.undo,
        redo=found.redo,
        why_not=why_not_gradable(take),
        lights=kept_lights(take),
        transparent=s.transparent,
        deep="depth" in s.passes.wanted,
        mattes={n: matte_names_of(take, n) for n in MATTES if n in s.passes.wanted},
    )


@router.get("/takes/{take_id}/finish")
def finish(ctx: Ctx, take_id: str) -> FinishAnswer:
    """Finishing of a take."""
    return finish_answer(ctx, ctx.studio.takes.get(take_id))


@router.get("/takes/{take_id}/finishes")
def earlier(ctx: Ctx, take_id: str) -> list[StateLine]:
    """Earlier states of a take's finishing, the last first; 0, which is as it was shot, is not among them."""
    found = ctx.studio.screening.earlier(ctx.studio.takes.get(take_id))
    return [StateLine(number=number, label=label, at=at) for number, label, at in found]


@router.post("/takes/{take_id}/finish")
def set_finish(ctx: Ctx, take_id: str, call: FinishCall) -> FinishAnswer:
    """Finish a take otherwise."""
    take = ctx.studio.takes.get(take_id)
    check_finishing(ctx, take, call.finishing)
    return finish_answer(ctx, take, ctx.studio.screening.set_finish(take, call.finishing, call.label, call.revision))


@router.post("/takes/{take_id}/finish/{way}")
def step_finish(ctx: Ctx, take_id: str, way: Literal["undo", "redo"], revision: Revision) -> FinishAnswer:
    """Undo or redo a step of the finishing."""
    take = ctx.studio.takes.get(take_id)
    return finish_answer(ctx, take, ctx.studio.screening.step_finish(take, -1 if way == "undo" else 1, revision))


@router.post("/takes/{take_id}/finish-of/{source_id}")
def copy_finish(ctx: Ctx, take_id: str, source_id: str, revision: Revision) -> FinishAnswer:
    """Grade a take as another is, or as the look of its project is by now (`look`)."""
    take = ctx.studio.takes.get(take_id)
    here = ctx.studio.screening.finish(take).finishing
    if source_id == "look":
        project = ctx.studio.projects.get(take.project_id).project
        looks = [x for x in project.looks if x.id == take.project.shot.look_id] or [project.look]
        new, label = Finishing(grade=looks[0].grade, view=looks[0].tone.view), f"Grade of ‘{looks[0].name}’"
    else:
        source = ctx.studio.takes.get(source_id)
        new, label = ctx.studio.screening.finish(source).finishing, f"Grade of ‘{source.name}’"
    finishing = revise(here, grade=new.grade, view=new.view)
    return finish_answer(ctx, take, ctx.studio.screening.set_finish(take, finishing, label, revision))


@router.post("/takes/{take_id}/finish-to-look")
def keep_in_look(ctx: Ctx, take_id: str) -> FinishAnswer:
    """Give the take's grade to the look it was shot with, as a change of the project."""
    take = ctx.studio.takes.get(take_id)
    found = ctx.studio.screening.finish(take)
    saved = ctx.studio.projects.get(take.project_id)
    look = take.project.shot.look_id
    if not any(x.id == look for x in saved.project.looks):
        raise ShootError("The look this take was shot with has been removed from the project.")
    values = {f"looks/{look}/grade": found.finishing.grade, f"looks/{look}/tone/view": found.finishing.view}
    ctx.studio.projects.edit(
        take.project_id, saved.version, f"Grade of {take.name}", lambda project: put_all(project, values)
    )
    return finish_answer(ctx, take, found)


@router.post("/takes/{take_id}/decisions")
async def read_decisions(ctx: Ctx, take_id: str, revision: Revision, request: Request) -> FinishAnswer:
    """Take slope, offset, power and saturation from a .cdl, .cc or .ccc file."""
    take = ctx.studio.takes.get(take_id)
    name, data = await received_file(request, ctx.studio.folder, LARGEST_LIST)
    here = ctx.studio.screening.finish(take).finishing
    finishing = revise(here, grade=with_cdl(here.grade, data, name))
    label = f"Decisions of {name[:60]}"
    return finish_answer(ctx, take, ctx.studio.screening.set_finish(take, finishing, label, revision))


@router.get("/takes/{take_id}/grade.cdl")
def write_decisions(ctx: Ctx, take_id: str) -> Response:
    """Slope, offset, power and saturation of a take's grade as a colour decision list."""
    take = ctx.studio.takes.get(take_id)
    data = write_cdl(ctx.studio.screening.finish(take).finishing.grade, take.name)
    name = quote(f"{sequence_stem(take.project)}.cdl")
    return Response(
        data, media_type="application/xml", headers={"content-disposition": f"attachment; filename*=UTF-8''{name}"}
    )


def check_finishing(ctx: Context, take: TakeRecord, finishing: Finishing) -> None:
    """Raises ShootError where a take cannot be finished like this."""
    if (why := why_not_gradable(take)) is not None and not as_shot(take, finishing):
        raise ShootError(why)
    unknown = set(finishing.relit) - set(kept_lights(take))
    if unknown:
        raise ShootError(f"This take keeps no light called ‘{sorted(unknown)[0][:60]}’ apart.")
    for part in finishing.parts:
        if part.layer not in take.project.shot.shoot.passes.wanted:
            raise ShootError(f"This take has no mattes of {part.layer}; shoot it with that pass.")
    if finishing.defocus is not None and "depth" not in take.project.shot.shoot.passes.wanted:
        raise ShootError("This take has no depth; shoot it with that pass.")
    if finishing.behind is not None and finishing.behind.take:
        other = ctx.studio.takes.get(finishing.behind.take)
        if other.id == take.id:
            raise ShootError("A take cannot lie behind itself.")
        if (why := why_not_gradable(other)) is not None or len(other.frames) < len(other.numbers):
            raise ShootError(f"‘{other.name}’ cannot lie behind: {why or 'not all its frames are shot.'}")
    for asset in (finishing.grade.table.asset, finishing.behind.picture if finishing.behind else None):
        if asset is not None and not ctx.studio.assets.has(asset):
            raise ShootError("A file that the grade needs is not in the studio. Bring it in again.")
