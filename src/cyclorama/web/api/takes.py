"""JSON and files: calling takes, following them, checking and delivering them."""

import shutil
from datetime import UTC
from functools import partial
from pathlib import Path as FilePath
from typing import Annotated, Literal, Self, get_args
from urllib.parse import quote

from fastapi import APIRouter, Depends, Path, Query, Request, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import FileResponse, StreamingResponse
from pydantic import AwareDatetime, BaseModel, ConfigDict, Field, model_validator

from ...app import takes as take_service
from ...app.clips import MOST_LOOPS, ClipState, ask_for_clip, made_clip
from ...app.region_takes import call_part
from ...app.take_answers import TakeAnswer, TakeLine, shoot_log, take_answer
from ...app.uses import take_uses
from ...core.commands.shoot_plan import MOST_TAKES, Cell, Plan, as_planned, plan_takes
from ...core.errors import NotFoundError, ShootError, StaleError
from ...core.geometry.cache_keys import content_hash
from ...core.picture.light_mix import LightChange
from ...core.review import readiness, review
from ...core.review.readiness import Readiness
from ...core.scene.shoot import PassName, Region
from ...core.sequence.seam import check_seam, display_picture
from ...shoot.finish.layered import layered_frame
from ...shoot.finish.masters import Masters, as_shot, finish_frame, finished_file, state_of, why_not_gradable
from ...shoot.frames.executors import THUMB_WIDTH, small_picture
from ...shoot.frames.files import frame_path, pass_path, read_whole, thumb_path
from ...store import Saved, TakeRecord
from ..context import Context, context
from .answers import ForecastAnswer, Removed, Uses
from .jobs import JobAnswer
from .packing import Packing
from .projects import forecast_answer

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]


Seconds = Annotated[float, Field(ge=0, le=1e9, allow_inf_nan=False)]
Number = Annotated[int, Path(ge=0, le=2_000_000)]
"""Of a frame."""
Action = Literal["pause", "stop", "resume"]
Loops = Annotated[int, Query(ge=1, le=MOST_LOOPS)]


Version = Annotated[int, Field(ge=0, le=2_000_000_000)]
"""Of the project, as the page showed it: what is shot is what was seen."""


class Call(BaseModel):
    model_config = ConfigDict(json_schema_extra={"examples": [{"version": 9}, {"version": 9, "only": 12}]})

    version: Version
    forecast_s: Seconds | None = None
    only: Annotated[int, Field(ge=0, le=10_000_000)] | None = None
    """the one frame to shoot"""
    region: Region | None = None
    """the part of that frame to shoot, into the newest picture of it"""

    @model_validator(mode="after")
    def _is_of_a_frame(self) -> Self:
        if self.region is not None and self.only is None:
            raise ValueError("A part can be shot of one frame only: say which.")
        return self


class Cells(BaseModel):
    cells: Annotated[tuple[Cell, ...], Field(min_length=1, max_length=MOST_TAKES)]
    forecasts_s: Annotated[tuple[Seconds | None, ...], Field(max_length=MOST_TAKES)] = ()
    """of its takes, as far as they are known"""


class PlanCall(Cells):
    version: Version
    not_before: AwareDatetime | None = None
    """none of its takes is begun sooner"""


class PassesCall(BaseModel):
    names: Annotated[tuple[PassName, ...], Field(min_length=1, max_length=len(get_args(PassName)))]


class Turns(BaseModel):
    ids: Annotated[tuple[str, ...], Field(max_length=10_000)]
    """takes that wait, in the order in which they are to be shot"""


class SeamAnswer(BaseModel):
    """The seam of a loop, measured on its pictures."""

    sentence: str
    seam: float
    """difference over the seam, display values 0…1"""
    steps: tuple[float, ...]
    """differences from frame to frame"""
    median: float
    """of the steps"""


@router.get("/projects/{project_id}/readiness")
def shoot_readiness(ctx: Ctx, project_id: str, seconds: Seconds | None = None, spread: Seconds = 0.0) -> Readiness:
    """Readiness of the open shot: a sentence, and what is odd."""
    project = ctx.studio.projects.get(project_id).project
    forecast = None if seconds is None else (seconds, spread)
    free = shutil.disk_usage(ctx.studio.folder).free
    return readiness(review(project, ctx.studio.measures(project.subject)), forecast, free)


@router.post("/projects/{project_id}/takes")
def call_take(ctx: Ctx, project_id: str, call: Call) -> TakeAnswer:
    """Queue a take of the project as it stands."""
    saved = _as_shown(ctx, project_id, call.version)
    if call.only is not None and call.region is not None:
        return take_answer(call_part(ctx.studio, saved, call.only, call.region))
    return take_answer(take_service.call_take(ctx.studio, saved, call.forecast_s, only=call.only))


def _as_shown(ctx: Context, project_id: str, version: int) -> Saved:
    """The project, if it is still as its page showed it. Raises StaleError."""
    saved = ctx.studio.projects.get(project_id)
    if saved.version != version:
        raise StaleError(
            "This project was changed in another window meanwhile, so nothing was shot. Look at it, then shoot.",
            saved.version,
        )
    return saved


@router.post("/projects/{project_id}/plan")
def plan(ctx: Ctx, project_id: str, wanted: Cells) -> Plan:
    """Takes of a plan."""
    project = ctx.studio.projects.get(project_id).project
    return plan_takes(project, wanted.cells, ctx.studio.measures(project.subject), wanted.forecasts_s)


@router.post("/projects/{project_id}/plan/takes")
def shoot_plan(ctx: Ctx, project_id: str, wanted: PlanCall) -> list[str]:
    """Queue the takes of a plan; their names."""
    when = None if wanted.not_before is None else wanted.not_before.astimezone(UTC).replace(tzinfo=None)
    saved = _as_shown(ctx, project_id, wanted.version)
    return [take.name for take in take_service.call_plan(ctx.studio, saved, wanted.cells, when, wanted.forecasts_s)]


@router.post("/projects/{project_id}/plan/forecast")
async def forecast_of_cell(ctx: Ctx, request: Request, project_id: str, cell: Cell) -> ForecastAnswer:
    """Forecast of one take of a plan, from a few probe frames."""
    saved = await run_in_threadpool(ctx.studio.projects.get, project_id)
    key = ("cell", project_id, saved.version, cell.model_dump_json())
    planned_cell = as_planned(saved.project, cell)
    return await ctx.forecasts.answer(request, key, partial(forecast_answer, ctx, planned_cell, saved.version))


class Star(BaseModel):
    on: bool


@router.put("/takes/{take_id}/star", status_code=204)
def star(ctx: Ctx, take_id: str, call: Star) -> None:
    """Give a take a star, or take it away."""
    ctx.studio.takes.state(take_id)
    ctx.studio.takes.update(take_id, starred=call.on)


@router.post("/takes/turns", status_code=204)
def take_turns(ctx: Ctx, wanted: Turns) -> None:
    """Put takes that wait into an order; others follow as they are."""
    ctx.studio.takes.take_turns(list(wanted.ids))


@router.get("/takes")
def all_takes(ctx: Ctx, project: str | None = None) -> list[TakeLine]:
    """The shoot log: all takes, and the machines that shoot."""
    return shoot_log(ctx.studio, project).takes


@router.get("/takes/{take_id}")
def one_take(ctx: Ctx, take_id: str) -> TakeAnswer:
    """A take, and the numbers of its finished frames."""
    return take_answer(ctx.studio.takes.get(take_id))


@router.get("/takes/{take_id}/uses")
def uses(ctx: Ctx, take_id: str) -> Uses:
    """Uses of a take."""
    return Uses(sentences=take_uses(ctx.studio, take_id))


@router.delete("/takes/{take_id}")
def remove(ctx: Ctx, take_id: str) -> Removed:
    """Put a take into the bin."""
    take_service.remove(ctx.studio, take_id)
    return Removed()


def _file(path: FilePath, what: str) -> FileResponse:
    if not path.exists():
        raise NotFoundError(f"{what} is not there.")
    return FileResponse(path, headers={"cache-control": "no-cache"})


@router.get("/takes/{take_id}/frames/{number}")
def frame(ctx: Ctx, take_id: str, number: Number) -> FileResponse:
    """A frame as its file lies on disk."""
    return _file(frame_path(ctx.studio.takes.get(take_id), number), f"Frame {number}")


@router.get("/takes/{take_id}/thumbs/{number}")
def thumb(ctx: Ctx, take_id: str, number: Number, request: Request) -> Response:
    """A small picture of a frame, as the take is finished."""
    path = thumb_path(ctx.studio.takes.folder(take_id), number)
    if ctx.studio.screening.untouched(take_id):
        return _file(path, f"Frame {number}")
    take = ctx.studio.takes.get(take_id)
    finishing = ctx.studio.screening.finish(take).finishing
    if as_shot(take, finishing) or number not in take.frames or why_not_gradable(take) is not None:
        return _file(path, f"Frame {number}")
    sums = [s.sha256 if s else "" for s in take.frames[number].files.values()]
    tag = f'"{content_hash(repr((state_of(finishing, ctx.studio), sums)).encode())}"'
    headers = {"cache-control": "no-cache", "etag": tag}
    if tag in request.headers.get("if-none-match", ""):
        return Response(status_code=304, headers=headers)
    display = finish_frame(take, number, finishing, ctx.masters, ctx.studio.assets.get, THUMB_WIDTH)
    return Response(small_picture(display), media_type="image/jpeg", headers=headers)


@router.get("/takes/{take_id}/seam")
def seam(ctx: Ctx, take_id: str) -> SeamAnswer:
    """The seam check on the pictures."""
    take = ctx.studio.takes.get(take_id)
    if take.project.shot.shoot.file_format not in ("png", "jpeg"):
        raise ShootError("The seam is looked at in PNG or JPEG frames; the checks look at all others.")
    numbers = [n for n in take.numbers if n in take.frames]
    check = check_seam(display_picture(read_whole(take, n), f"Frame {n}") for n in numbers)
    complete = len(numbers) * take.every == take.project.shot.frames
    sentence = check.sentence if complete else "Not all frames of the loop are there yet."
    return SeamAnswer(sentence=sentence, seam=check.seam, steps=check.steps, median=check.median)


@router.post("/takes/{take_id}/clip")
def make_clip(ctx: Ctx, take_id: str, loops: Loops = 1) -> JobAnswer:
    """Begin to encode the take; follow it at /api/jobs, then fetch clip.mp4."""
    return JobAnswer.of(ask_for_clip(ctx.work, ClipState.of(ctx.studio, ctx.studio.takes.get(take_id), loops)))


@router.get("/takes/{take_id}/clip.mp4")
def clip(ctx: Ctx, take_id: str, loops: Loops = 1) -> FileResponse:
    """The take as an H.264 clip; made once for the frames as they are, however many ask for it."""
    target = made_clip(ctx.work, ClipState.of(ctx.studio, ctx.studio.takes.get(take_id), loops))
    return FileResponse(target, media_type="video/mp4", filename=target.name)


@router.get("/takes/{take_id}/passes/{name}/{number}")
def pass_frame(ctx: Ctx, take_id: str, name: str, number: Number) -> FileResponse:
    """A frame of a pass as its file lies on disk."""
    take = ctx.studio.takes.get(take_id)
    if name not in take.project.shot.shoot.passes.wanted:
        raise NotFoundError(f"This take has no pass called ‘{name[:40]}’.")
    return _file(pass_path(take, name, number), f"Frame {number} of ‘{name}’")


@router.post("/takes/{take_id}/still/{number}")
def call_still(ctx: Ctx, take_id: str, number: Number, times: Annotated[int, Query(ge=1, le=4)] = 4) -> TakeAnswer:
    """Queue a frame of a take once more, so many times as wide and high: a still."""
    return take_answer(take_service.call_still(ctx.studio, take_id, number, times))


@router.post("/takes/{take_id}/rebalance")
def rebalance(ctx: Ctx, take_id: str, balance: dict[str, LightChange]) -> TakeAnswer:
    """A new take with the lights of this one mixed anew; nothing is rendered."""
    return take_answer(take_service.call_mix(ctx.studio, take_id, balance))


@router.post("/takes/{take_id}/denoise")
def denoise(ctx: Ctx, take_id: str) -> TakeAnswer:
    """A new take of this one's masters without noise; nothing is rendered."""
    return take_answer(take_service.call_clean(ctx.studio, take_id))


@router.get("/takes/{take_id}/frames.zip")
def frames_zip(ctx: Ctx, take_id: str) -> StreamingResponse:
    """All finished frames in a zip, made while it is sent; its length is known before, so that a browser tells
    when it was cut off."""
    take = _with_frames(ctx, take_id)
    finishing = ctx.studio.screening.finish(take).finishing
    graded = None
    if not as_shot(take, finishing):

        def graded(number: int) -> bytes:
            return finished_file(take, number, finishing, Masters(ctx.studio, 0), ctx.studio.assets.get)

    return _zip(Packing(take, graded))


@router.get("/takes/{take_id}/layers.zip")
def layers_zip(ctx: Ctx, take_id: str) -> StreamingResponse:
    """All finished frames as layered EXR: scene-linear light and every pass in one file, ungraded."""
    take = _with_frames(ctx, take_id)
    if why := why_not_gradable(take):
        raise ShootError(why)
    return _zip(Packing(take, partial(layered_frame, take), "exr"))


def _with_frames(ctx: Context, take_id: str) -> TakeRecord:
    """A take with finished frames. Raises NotFoundError and ShootError."""
    take = ctx.studio.takes.get(take_id)
    if not take.frames:
        raise ShootError("No frame of this take is finished yet.")
    return take


def _zip(packing: Packing) -> StreamingResponse:
    headers = {"content-disposition": f"attachment; filename*=UTF-8''{quote(packing.stem)}.zip"}
    if packing.size is not None:
        headers["content-length"] = str(packing.size)
    return StreamingResponse(packing.chunks(), media_type="application/zip", headers=headers)


@router.post("/takes/{take_id}/passes")
def add_passes(ctx: Ctx, take_id: str, call: PassesCall) -> TakeAnswer:
    """Shoot passes into a take that it does not have, or anew; its pictures stay."""
    return take_answer(take_service.add_passes(ctx.studio, take_id, call.names))


@router.post("/takes/{take_id}/{action}")
def act(ctx: Ctx, take_id: str, action: Action) -> TakeAnswer:
    """Ask for a take to be paused, stopped, or gone on with."""
    actions = {"pause": take_service.pause, "stop": take_service.stop, "resume": take_service.resume}
    actions[action](ctx.studio, take_id)
    return take_answer(ctx.studio.takes.get(take_id))
