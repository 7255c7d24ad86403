"""JSON and files: calling takes, following them, checking and delivering them."""

import io
import shutil
from pathlib import Path as FilePath
from typing import Annotated, Literal
from urllib.parse import quote

from fastapi import APIRouter, Depends, Path, Query, Request
from fastapi.responses import FileResponse, Response, StreamingResponse
from PIL import Image
from pydantic import BaseModel, Field

from ..core.errors import NotFoundError, ShootError
from ..core.picture.mix import LightChange, mixed
from ..core.picture.view import to_bytes, to_display
from ..core.sequence.seam import check_seam, display_picture
from ..core.sheet import readiness, review
from ..core.sheet.readiness import Readiness
from ..shoot import desk
from ..shoot.frames import frame_path, pass_path, read_whole, thumb_path
from ..shoot.mixing import read_lights
from .answers import Removed
from .clips import MOST_LOOPS, Clip, ask_for_clip, made_clip
from .context import Context, context
from .jobs import JobAnswer
from .packing import Packing
from .take_answers import TakeAnswer, TakeLine, shoot_log, take_answer

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]


Seconds = Annotated[float, Field(ge=0, le=1e9, allow_inf_nan=False)]
Number = Annotated[int, Path(ge=0, le=2_000_000)]
"""Of a frame."""
Action = Literal["pause", "stop", "resume"]
Loops = Annotated[int, Query(ge=1, le=MOST_LOOPS)]


class Call(BaseModel):
    forecast_s: Seconds | None = None


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
    """What will be shot and what is odd about it."""
    project = ctx.studio.projects.get(project_id).project
    forecast = None if seconds is None else (seconds, spread)
    free = shutil.disk_usage(ctx.studio.folder).free
    return readiness(review(project, ctx.studio.measures(project.subject)), forecast, free)


@router.post("/projects/{project_id}/takes")
def call_take(ctx: Ctx, project_id: str, call: Call) -> TakeAnswer:
    """Queue a take of the project as it stands."""
    return take_answer(desk.call_take(ctx.studio, ctx.studio.projects.get(project_id), call.forecast_s))


@router.get("/takes")
def all_takes(ctx: Ctx, project: str | None = None) -> list[TakeLine]:
    return shoot_log(ctx.studio, project)


@router.get("/takes/{take_id}")
def one_take(ctx: Ctx, take_id: str) -> TakeAnswer:
    return take_answer(ctx.studio.takes.get(take_id))


@router.delete("/takes/{take_id}")
def remove(ctx: Ctx, take_id: str) -> Removed:
    desk.remove(ctx.studio, take_id)
    return Removed()


def _file(path: FilePath, what: str) -> FileResponse:
    if not path.exists():
        raise NotFoundError(f"{what} is not there.")
    return FileResponse(path, headers={"cache-control": "no-cache"})


@router.get("/takes/{take_id}/frames/{number}")
def frame(ctx: Ctx, take_id: str, number: Number) -> FileResponse:
    return _file(frame_path(ctx.studio.takes.get(take_id), number), f"Frame {number}")


@router.get("/takes/{take_id}/thumbs/{number}")
def thumb(ctx: Ctx, take_id: str, number: Number) -> FileResponse:
    return _file(thumb_path(ctx.studio.takes.folder(take_id), number), f"Frame {number}")


@router.get("/takes/{take_id}/seam")
def seam(ctx: Ctx, take_id: str) -> SeamAnswer:
    """The seam check on the pictures."""
    clip = Clip.of(ctx.studio.takes.get(take_id), 1)
    check = check_seam(display_picture(read_whole(clip.take, n), f"Frame {n}") for n in clip.numbers)
    complete = len(clip.numbers) == clip.take.project.shot.frames
    sentence = check.sentence if complete else "Not all frames of the loop are there yet."
    return SeamAnswer(sentence=sentence, seam=check.seam, steps=check.steps, median=check.median)


@router.post("/takes/{take_id}/clip")
def make_clip(ctx: Ctx, take_id: str, loops: Loops = 1) -> JobAnswer:
    """Begin to encode the take; follow it at /api/jobs, then fetch clip.mp4."""
    return JobAnswer.of(ask_for_clip(ctx.work, Clip.of(ctx.studio.takes.get(take_id), loops)))


@router.get("/takes/{take_id}/clip.mp4")
def clip(ctx: Ctx, take_id: str, loops: Loops = 1) -> FileResponse:
    """The take as an H.264 clip; made once for the frames as they are, however many ask for it."""
    target = made_clip(ctx.work, Clip.of(ctx.studio.takes.get(take_id), loops))
    return FileResponse(target, media_type="video/mp4", filename=target.name)


@router.get("/takes/{take_id}/passes/{name}/{number}")
def pass_frame(ctx: Ctx, take_id: str, name: str, number: Number) -> FileResponse:
    take = ctx.studio.takes.get(take_id)
    if name not in take.project.shot.shoot.passes.wanted:
        raise NotFoundError(f"This take has no pass called ‘{name[:40]}’.")
    return _file(pass_path(take, name, number), f"Frame {number} of ‘{name}’")


@router.get("/takes/{take_id}/mix/{number}")
def mix(ctx: Ctx, take_id: str, number: Number, request: Request) -> Response:
    """A frame with its lights re-balanced: `?light Key=1.5` in stops, `?light Key=0,1,0.8,0.6` with a linear colour."""
    take = ctx.studio.takes.get(take_id)
    if "lights" not in take.project.shot.shoot.passes.wanted:
        raise ShootError("The lights of this take were not kept apart; shoot it with the pass ‘Every light apart’.")
    changes = {name: _light_change(value) for name, value in request.query_params.items()}
    layers, _ = read_lights(take, number)
    buffer = io.BytesIO()
    # the layers are exposed already
    shown = to_bytes(to_display(mixed(layers, changes), take.project.look.tone.view))
    Image.fromarray(shown).save(buffer, "JPEG", quality=93)
    return Response(buffer.getvalue(), media_type="image/jpeg", headers={"cache-control": "no-cache"})


def _light_change(text: str) -> LightChange:
    try:
        stops, *colour = (float(x) for x in text.split(","))
        return LightChange(stops=stops, colour=tuple(colour) or (1.0, 1.0, 1.0))  # type: ignore[arg-type]
    except ValueError as error:
        raise ShootError("A light is changed by −20 to 20 stops, and red, green and blue from 0 to 1.") from error


@router.post("/takes/{take_id}/rebalance")
def rebalance(ctx: Ctx, take_id: str, balance: dict[str, LightChange]) -> TakeAnswer:
    """A new take with the lights of this one mixed anew; nothing is rendered."""
    return take_answer(desk.call_mix(ctx.studio, take_id, balance))


@router.get("/takes/{take_id}/frames.zip")
def frames_zip(ctx: Ctx, take_id: str) -> StreamingResponse:
    """All finished frames in a zip, made while it is sent; its length is known before, so that a browser tells
    when it was cut off."""
    take = ctx.studio.takes.get(take_id)
    if not take.frames:
        raise ShootError("No frame of this take is finished yet.")
    packing = Packing(take)
    headers = {"content-disposition": f"attachment; filename*=UTF-8''{quote(packing.stem)}.zip"}
    if packing.size is not None:
        headers["content-length"] = str(packing.size)
    return StreamingResponse(packing.chunks(), media_type="application/zip", headers=headers)


@router.post("/takes/{take_id}/{action}")
def act(ctx: Ctx, take_id: str, action: Action) -> TakeAnswer:
    """Ask for a take to be paused, stopped, or gone on with."""
    actions = {"pause": desk.pause, "stop": desk.stop, "resume": desk.resume}
    actions[action](ctx.studio, take_id)
    return take_answer(ctx.studio.takes.get(take_id))
