"""Proofs of shots, made in the background: frames coarse in time first, then between; a contact sheet and a clip."""

from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Depends
from fastapi.responses import FileResponse

from ...app.proofs import ask_for_proof
from ...core.errors import NotFoundError
from ...core.scene import Project, put
from ...store.proofs import Proof, proofs_of
from ..context import Context, context
from .answers import ProofState
from .jobs import JobAnswer

router = APIRouter(prefix="/api/projects/{project_id}/proof")
Ctx = Annotated[Context, Depends(context)]


def _now(ctx: Context, project_id: str) -> tuple[Project, Proof]:
    project = ctx.studio.projects.get(project_id).project
    return project, proofs_of(ctx.studio.folder, project)[project.shot_id]


@router.post("", status_code=202)
def begin(ctx: Ctx, project_id: str) -> JobAnswer:
    """Proof the open shot; a proof that is there takes no time."""
    return JobAnswer.of(ask_for_proof(ctx.work, *_now(ctx, project_id)))


@router.post("/all", status_code=202)
def begin_all(ctx: Ctx, project_id: str) -> list[JobAnswer]:
    """Proof every shot of the project, the open one first, one after the other; answers with those that are made."""
    project = ctx.studio.projects.get(project_id).project
    found = proofs_of(ctx.studio.folder, project)
    order = sorted(project.shots, key=lambda shot: shot.id != project.shot_id)
    missing = [shot for shot in order if not found[shot.id].whole]
    return [JobAnswer.of(ask_for_proof(ctx.work, put(project, "shot_id", x.id), found[x.id])) for x in missing]


@router.get("")
def one(ctx: Ctx, project_id: str) -> ProofState:
    """The proof of the open shot as it stands."""
    _, proof = _now(ctx, project_id)
    return ProofState(key=proof.key, whole=proof.whole, numbers=proof.numbers)


@router.get("/{key}/frames/{number}", response_class=FileResponse)
def frame(ctx: Ctx, project_id: str, key: str, number: int) -> FileResponse:
    """A frame of a proof as JPEG; it never changes."""
    return _file(_known(ctx, project_id, key).frame(number), {"Cache-Control": "private, max-age=86400, immutable"})


@router.get("/{key}/sheet.png", response_class=FileResponse)
def sheet(ctx: Ctx, project_id: str, key: str) -> FileResponse:
    """The contact sheet."""
    return _file(_known(ctx, project_id, key).sheet)


@router.get("/{key}/clip.mp4", response_class=FileResponse)
def clip(ctx: Ctx, project_id: str, key: str) -> FileResponse:
    """The quick clip."""
    return _file(_known(ctx, project_id, key).clip)


def _known(ctx: Context, project_id: str, key: str) -> Proof:
    """The proof of one of the shots as it stands. Raises NotFoundError."""
    project = ctx.studio.projects.get(project_id).project
    found = next((proof for proof in proofs_of(ctx.studio.folder, project).values() if proof.key == key), None)
    if found is None:
        raise NotFoundError("That proof shows the shot as it was before.")
    return found


def _file(path: Path, headers: dict[str, str] | None = None) -> FileResponse:
    if not path.exists():
        raise NotFoundError("That is not there yet. Ask for the proof first.")
    return FileResponse(path, headers=headers)
