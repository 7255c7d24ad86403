"""JSON and files: moves that are kept, and moves for other programs."""

from pathlib import Path
from typing import Annotated, get_args
from urllib.parse import quote

import numpy as np
from fastapi import APIRouter, Depends, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import Response, StreamingResponse
from pydantic import BaseModel, Field

from ...app.confined import run_limited
from ...app.confined_results import Tell
from ...app.uploads import Uploads
from ...core.commands.moves import with_ready_move
from ...core.commands.moves_in import with_camera_move
from ...core.commands.saved_moves import move_from_shot, with_move
from ...core.geometry.read.gltf_moves import FileMove, read_camera_move
from ...core.motion import poses_at
from ...core.scene import Project, new_project, put_all
from ...core.scene.saved_move import SavedMove
from ...core.scene.shot import ReadyMove
from ...core.sequence.names import sequence_stem
from ..context import Context, context
from ..uploads import BODY, receive
from .answers import ProjectState, Removed
from .floor_state import project_state
from .poses_file import camera_glb, poses_csv, poses_json

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]


class MoveName(BaseModel):
    name: Annotated[str, Field(min_length=1, max_length=80)]


class MovePreview(BaseModel):
    """Preview of a move: a camera at even times about a thing half a metre high."""

    name: str
    cameras: list[list[float]]
    """three rows of each matrix"""
    focal_mm: list[float]


PREVIEWED = 40
MOVE_BYTES, MOVE_S = 6 << 30, 60.0
"""What reading a camera move may need."""


@router.get("/moves/previews")
def previews(ctx: Ctx) -> list[MovePreview]:
    """Ready moves and those that are kept, in their order, as they look on a thing of middle size."""
    found = [_preview(with_ready_move(_bare(), name), name) for name in get_args(ReadyMove)]
    return found + [_preview(with_move(_bare(), move), move.name) for move in ctx.studio.moves.all()]


def _bare() -> Project:
    stand = {"camera/distance_m": 2.3, "camera/aim/y_m": 0.25, "camera/elevation_deg": 14.0}
    return put_all(new_project("Preview"), stand)


def _preview(project: Project, name: str) -> MovePreview:
    poses = poses_at(project, project.shot, np.linspace(0, project.shot.frames, PREVIEWED, endpoint=False))
    rows = np.round(poses.cameras[:, :3].reshape(-1, 12), 4).tolist()
    return MovePreview(name=name, cameras=rows, focal_mm=np.round(poses.focal_mm, 2).tolist())


@router.get("/moves")
def all_moves(ctx: Ctx) -> list[SavedMove]:
    """Moves that are kept for all projects."""
    return ctx.studio.moves.all()


@router.post("/projects/{project_id}/moves")
def keep(ctx: Ctx, project_id: str, wanted: MoveName) -> SavedMove:
    """Keep what camera and disc of the open shot do."""
    move = move_from_shot(ctx.studio.projects.get(project_id).project, wanted.name)
    ctx.studio.moves.keep(move)
    return move


@router.delete("/moves/{move_id}")
def remove(ctx: Ctx, move_id: str) -> Removed:
    """Forget a move that is kept."""
    ctx.studio.moves.remove(move_id)
    return Removed()


@router.post("/projects/{project_id}/camera-move", openapi_extra=BODY)
async def bring_move(ctx: Ctx, project_id: str, base_version: int, request: Request) -> ProjectState:
    """Let the open shot's camera go as one of a GLB or glTF file does."""
    ctx.studio.projects.get(project_id)
    async with receive(request, ctx.studio.folder) as uploads:
        return await run_in_threadpool(_take_move, ctx, project_id, base_version, uploads)


def _take_move(ctx: Context, project_id: str, base_version: int, uploads: Uploads) -> ProjectState:
    project = ctx.studio.projects.get(project_id).project
    move = run_limited(
        _read_move,
        dict(uploads.paths),
        project.rate_num / project.rate_den,
        folder=uploads.folder,
        memory_bytes=MOVE_BYTES,
        longest_s=MOVE_S,
        too_long="That file takes too long to read. Export only its camera.",
        gave_up="That file is damaged: its reader broke down over it. Export it again.",
    )
    saved = ctx.studio.projects.edit(
        project_id, base_version, f"Camera move of {move.name}", lambda now: with_camera_move(now, move)
    )
    return project_state(ctx.studio, saved)


def _read_move(tell: Tell, files: dict[str, Path], fps: float) -> FileMove:
    return read_camera_move(files, fps)


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
