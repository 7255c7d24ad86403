"""Pictures of looks: what the open shot would show in each of them."""

from typing import Annotated

from fastapi import APIRouter, Depends, Query
from fastapi.responses import Response
from pydantic import BaseModel, Field

from ...app.lens import LensEye
from ...core.commands import Command, perform_all
from ...core.commands.shoot_plan import Cell, as_planned
from ...core.errors import NotFoundError
from ...core.motion import Moment, moment
from ...core.render.film.progressive import ProgressiveRenderer
from ...core.scene import put
from ..context import Context, context

router = APIRouter(prefix="/api/projects/{project_id}/looks")
Ctx = Annotated[Context, Depends(context)]
SAMPLES = {"tile": 16, "picture": 32}
WIDTHS = {"tile": 160, "picture": 480}


class TriedLook(BaseModel):
    """Changes to try in a look, and the frame."""

    changes: Annotated[list[Command], Field(min_length=1, max_length=64)]
    frame: Annotated[int, Field(ge=0, le=2_000_000)]


@router.post("/tried.jpg", response_class=Response)
def try_frame(ctx: Ctx, project_id: str, wanted: TriedLook) -> Response:
    """A frame of the open shot as it would be after changes that are not saved, to be compared."""
    project = ctx.studio.projects.get(project_id).project
    after, _ = perform_all(project, wanted.changes, ctx.studio.measures_if_whole, LensEye(ctx.lens))
    return _still(ctx, moment(after, wanted.frame), "picture", "no-store")


@router.get("/{look_id}/{size}.jpg", response_class=Response)
def picture(
    ctx: Ctx,
    project_id: str,
    look_id: str,
    size: str,
    frame: int | None = None,
    shot: str | None = None,
    v: Annotated[str, Query(description="what it shows, so that it may be kept")] = "",
) -> Response:
    """A frame (none told: in the middle) of a shot (none told: the open one) in a look, as a `tile` or as a `picture`
    to be compared."""
    project = ctx.studio.projects.get(project_id).project
    if size not in WIDTHS or all(look.id != look_id for look in project.looks):
        raise NotFoundError("That look is not there any more.")
    if shot is not None:
        project = as_planned(project, Cell(shot=shot))
    numbers = project.shot.frame_numbers
    number = frame if frame is not None else numbers[len(numbers) // 2] if len(numbers) else project.shot.first_frame
    here = moment(put(project, "shot/look_id", look_id), number)
    return _still(ctx, here, size, "private, max-age=3600" if v else "no-store")


def _still(ctx: Context, here: Moment, size: str, kept: str) -> Response:
    width = WIDTHS[size]
    height = max(1, round(width * here.shoot.height / here.shoot.width))
    with ctx.lens.borrowed(wait=False) as (compiler, tracer):
        shown = ProgressiveRenderer(compiler, tracer).still(here, width, height, SAMPLES[size])
    return Response(shown.jpeg, media_type="image/jpeg", headers={"Cache-Control": kept})
