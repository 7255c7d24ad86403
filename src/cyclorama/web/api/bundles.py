"""A project taken along: packed with all its files, to be opened on another machine."""

from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Depends
from fastapi.responses import FileResponse
from pydantic import BaseModel
from starlette.background import BackgroundTask

from ...app.jobs import JobContext, Kind
from ...core.errors import NotFoundError
from ...core.sequence.names import slug
from ...store import Studio
from ...store.bundle import pack_bundle
from ...store.jobs import Job, Result
from ..context import Context, context
from .jobs import JobAnswer

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
FOLDER = "bundles"
FAULT = "The project could not be packed; the terminal that runs Cyclorama tells more."


class Packed(BaseModel):
    """Request to pack a bundle."""

    project_id: str


def _path(studio: Studio, project_id: str) -> Path:
    return studio.folder / FOLDER / f"{project_id}.zip"


@router.post("/projects/{project_id}/bundle")
def pack(ctx: Ctx, project_id: str) -> JobAnswer:
    """Pack a project with its cut and every file they need, without its takes."""
    name = ctx.studio.projects.get(project_id).project.name
    return JobAnswer.of(ctx.work.ask("bundle", project_id, name, Packed(project_id=project_id)))


@router.get("/projects/{project_id}/bundle")
def fetch(ctx: Ctx, project_id: str) -> FileResponse:
    """The latest bundle; it is removed once it has been sent."""
    path = _path(ctx.studio, project_id)
    if not path.exists():
        raise NotFoundError("It is not packed, or was removed. Pack it again.")
    name = ctx.studio.projects.get(project_id).project.name
    return FileResponse(path, media_type="application/zip", filename=f"{slug(name)}.zip",
                        background=BackgroundTask(path.unlink, missing_ok=True))  # fmt: skip


def bundle_kind(studio: Studio) -> Kind:
    """Job kind that packs bundles."""

    def do(job: Job, hand: JobContext) -> Result:
        project_id = Packed.model_validate_json(job.spec).project_id
        path = _path(studio, project_id)
        path.parent.mkdir(exist_ok=True)
        manifest = pack_bundle(studio, project_id, path, lambda share: hand.tell("Packing", share))
        return {"files": len(manifest.files), "missing": len(manifest.missing)}

    return Kind(do, FAULT)
