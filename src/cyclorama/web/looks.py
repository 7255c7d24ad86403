"""Pictures of looks: what the open shot would show in each of them."""

from typing import Annotated

from fastapi import APIRouter, Depends, Query
from fastapi.responses import Response

from ..core.errors import NotFoundError
from ..core.motion import moment
from ..core.render.film.developing import Developer
from ..core.scene import put
from .context import Context, context

router = APIRouter(prefix="/api/projects/{project_id}/looks")
Ctx = Annotated[Context, Depends(context)]
SAMPLES = {"tile": 16, "picture": 32}
WIDTHS = {"tile": 160, "picture": 480}


@router.get("/{look_id}/{size}.jpg", response_class=Response)
def picture(
    ctx: Ctx, project_id: str, look_id: str, size: str, frame: int,
    v: Annotated[str, Query(description="what it shows, so that it may be kept")] = "",
) -> Response:  # fmt: skip
    """A frame of the open shot in a look, as a `tile` or as a `picture` to be compared."""
    project = ctx.studio.projects.get(project_id).project
    if size not in WIDTHS or all(look.id != look_id for look in project.looks):
        raise NotFoundError("That look is not there any more.")
    here = moment(put(project, "shot/look_id", look_id), frame)
    width = WIDTHS[size]
    height = max(1, round(width * here.shoot.height / here.shoot.width))
    with ctx.lens.borrowed(wait=False) as (compiler, tracer):
        shown = Developer(compiler, tracer).still(here, width, height, SAMPLES[size])
    kept = {"Cache-Control": "private, max-age=3600"} if v else {"Cache-Control": "no-store"}
    return Response(shown.jpeg, media_type="image/jpeg", headers=kept)
