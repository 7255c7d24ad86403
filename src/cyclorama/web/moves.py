"""JSON and files: moves that are kept, and moves for other programs."""

from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Depends
from fastapi.responses import Response, StreamingResponse
from pydantic import BaseModel, Field

from ..core.scene import Project
from ..core.scene.saved_move import SavedMove
from ..core.sequence.names import sequence_stem
from ..core.sheet.saved_moves import kept_move
from .answers import Removed
from .context import Context, context
from .poses_file import camera_glb, poses_csv, poses_json

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]


class MoveName(BaseModel):
    name: Annotated[str, Field(min_length=1, max_length=80)]


@router.get("/moves")
def all_moves(ctx: Ctx) -> list[SavedMove]:
    """Moves that are kept for all projects."""
    return ctx.studio.moves.all()


@router.post("/projects/{project_id}/moves")
def keep(ctx: Ctx, project_id: str, wanted: MoveName) -> SavedMove:
    """Keep what camera and disc of the open shot do."""
    move = kept_move(ctx.studio.projects.get(project_id).project, wanted.name)
    ctx.studio.moves.keep(move)
    return move


@router.delete("/moves/{move_id}")
def remove(ctx: Ctx, move_id: str) -> Removed:
    ctx.studio.moves.remove(move_id)
    return Removed()


@router.get("/projects/{project_id}/poses.csv")
def poses(ctx: Ctx, project_id: str) -> StreamingResponse:
    """Where camera and disc stand in every frame of the open shot."""
    project = ctx.studio.projects.get(project_id).project
    return StreamingResponse(poses_csv(project), media_type="text/csv", headers=_named(project, "csv"))


@router.get("/projects/{project_id}/poses.json")
def poses_as_json(ctx: Ctx, project_id: str) -> StreamingResponse:
    """The same as JSON."""
    project = ctx.studio.projects.get(project_id).project
    return StreamingResponse(poses_json(project), media_type="application/json", headers=_named(project, "json"))


@router.get("/projects/{project_id}/camera.glb")
def camera(ctx: Ctx, project_id: str) -> Response:
    """Camera and disc of the open shot as animated glTF nodes."""
    project = ctx.studio.projects.get(project_id).project
    return Response(camera_glb(project), media_type="model/gltf-binary", headers=_named(project, "glb"))


def _named(project: Project, ending: str) -> dict[str, str]:
    return {"content-disposition": f"attachment; filename*=UTF-8''{quote(sequence_stem(project))}.{ending}"}
