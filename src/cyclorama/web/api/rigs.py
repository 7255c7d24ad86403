"""Sets of lights that are kept for other projects."""

from typing import Annotated

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field

from ...app.lens import LensEye
from ...core.commands.looks import rig_from_look
from ...core.commands.tools import Tools
from ...core.scene.saved_rig import SavedRig
from ..context import Context, context

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]


class RigName(BaseModel):
    name: Annotated[str, Field(min_length=1, max_length=80)]


@router.get("/rigs")
def rigs(ctx: Ctx) -> list[SavedRig]:
    """Those that are kept."""
    return ctx.studio.rigs.all()


@router.post("/projects/{project_id}/rigs", status_code=201)
def keep(ctx: Ctx, project_id: str, wanted: RigName) -> SavedRig:
    """Keep the lights of the open shot's look."""
    project = ctx.studio.projects.get(project_id).project
    rig = rig_from_look(project, wanted.name, Tools(ctx.studio.measures_if_whole, LensEye(ctx.lens)))
    ctx.studio.rigs.keep(rig)
    return rig


@router.delete("/rigs/{rig_id}", status_code=204)
def remove(ctx: Ctx, rig_id: str) -> None:
    """Forget one."""
    ctx.studio.rigs.remove(rig_id)
