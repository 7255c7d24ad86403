"""A project taken along: packed with all its files, to be opened on another machine."""

from typing import Annotated

from fastapi import APIRouter, Depends
from fastapi.responses import FileResponse
from starlette.background import BackgroundTask

from ...app.bundles import BundleTakes, BundleWishes, Packed, bundle_choices, bundle_path
from ...core.errors import NotFoundError
from ...core.sequence.names import slug
from ..context import Context, context
from .jobs import JobAnswer

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]


@router.get("/projects/{project_id}/bundle/takes")
def choices(ctx: Ctx, project_id: str) -> list[BundleTakes]:
    """Choices of takes for a bundle, with their sizes."""
    return bundle_choices(ctx.studio, project_id)


@router.post("/projects/{project_id}/bundle")
def pack(ctx: Ctx, project_id: str, call: BundleWishes | None = None) -> JobAnswer:
    """Pack a project with its cut and every file they need; without a body no takes go along."""
    name = ctx.studio.projects.get(project_id).project.name
    asked = Packed(project_id=project_id, **(call or BundleWishes()).model_dump())
    return JobAnswer.of(ctx.work.ask("bundle", project_id, name, asked))


@router.get("/projects/{project_id}/bundle")
def fetch(ctx: Ctx, project_id: str) -> FileResponse:
    """The latest bundle; it is removed once it has been sent."""
    path = bundle_path(ctx.studio, project_id)
    if not path.exists():
        raise NotFoundError("It is not packed, or was removed. Pack it again.")
    name = ctx.studio.projects.get(project_id).project.name
    return FileResponse(
        path,
        media_type="application/zip",
        filename=f"{slug(name)}.zip",
        background=BackgroundTask(path.unlink, missing_ok=True),
    )
