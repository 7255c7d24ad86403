"""JSON: projects, their changes, intake of models and environments."""

from collections.abc import Callable
from pathlib import PurePosixPath
from typing import Annotated, Any

from fastapi import APIRouter, Depends, UploadFile
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import Response
from pydantic import BaseModel, Field

from ..core.errors import IntakeError
from ..core.geometry.kept import Intake, content_hash
from ..core.light.environment import broken_pixels
from ..core.picture.decode import decode_picture
from ..core.picture.files import read_linear
from ..core.scene import Change, Project, new_project
from ..core.sheet import perform_all
from ..core.sheet.arrive import put_on_set
from ..core.sheet.words import duration
from ..shoot import desk
from ..shoot.forecast import forecast
from ..store.assets import write_whole
from .context import Context, context
from .lens import LensEye
from .state import pose_state, project_state

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
MAX_UPLOAD_BYTES = 2 << 30


class NewProject(BaseModel):
    name: Annotated[str, Field(min_length=1, max_length=80)] = "Untitled"


class Edit(BaseModel):
    base_version: int
    changes: Annotated[list[Change], Field(min_length=1, max_length=64)]


class Step(BaseModel):
    base_version: int


class Preview(BaseModel):
    changes: Annotated[list[Change], Field(max_length=64)]
    frame: int


@router.get("/renderer")
def renderer(ctx: Ctx) -> dict[str, Any]:
    """Whether the kernels are compiled."""
    return {"ready": ctx.lens.ready.is_set()}


@router.post("/projects")
def create(ctx: Ctx, wanted: NewProject) -> dict[str, Any]:
    """An empty studio."""
    saved = ctx.studio.projects.create(new_project(wanted.name))
    return {"id": saved.project.id}


@router.get("/projects/{project_id}")
def state(ctx: Ctx, project_id: str) -> dict[str, Any]:
    """The project as it stands, with everything measured."""
    return project_state(ctx.studio, ctx.studio.projects.get(project_id))


@router.delete("/projects/{project_id}")
def remove(ctx: Ctx, project_id: str) -> dict[str, bool]:
    """Remove a project with its takes."""
    desk.remove_project(ctx.studio, project_id)
    return {"removed": True}


@router.post("/projects/{project_id}/changes")
def edit(ctx: Ctx, project_id: str, wanted: Edit) -> dict[str, Any]:
    """Perform changes as one step that can be undone."""

    def performed(project: Project) -> tuple[Project, list[str]]:
        return perform_all(project, wanted.changes, ctx.studio.measures, LensEye(ctx.lens))

    # The label is only known after the changes have been tried; a dry run also keeps the metering, which takes
    # a moment, outside the database's write lock.
    before = ctx.studio.projects.get(project_id)
    after, labels = performed(before.project) if before.version == wanted.base_version else (None, ["Edit"])
    saved = ctx.studio.projects.edit(project_id, wanted.base_version, labels[0], lambda p: after or performed(p)[0])
    return project_state(ctx.studio, saved)


@router.post("/projects/{project_id}/preview")
def preview(ctx: Ctx, project_id: str, wanted: Preview) -> dict[str, Any]:
    """One frame's pose as it would be after changes; nothing is saved."""
    project = ctx.studio.projects.get(project_id).project
    project, _ = perform_all(project, wanted.changes, lambda _: None, LensEye(ctx.lens))
    return pose_state(project, wanted.frame)


@router.post("/projects/{project_id}/undo")
def undo(ctx: Ctx, project_id: str, step: Step) -> dict[str, Any]:
    return project_state(ctx.studio, ctx.studio.projects.step(project_id, step.base_version, -1))


@router.post("/projects/{project_id}/redo")
def redo(ctx: Ctx, project_id: str, step: Step) -> dict[str, Any]:
    return project_state(ctx.studio, ctx.studio.projects.step(project_id, step.base_version, 1))


@router.get("/projects/{project_id}/forecast")
def shoot_forecast(ctx: Ctx, project_id: str) -> dict[str, Any]:
    """How long the shot will take, from a few probe frames."""
    project = ctx.studio.projects.get(project_id).project
    if not len(project.frame_numbers):
        return {"seconds": 0, "plus_minus": 0, "sentence": "nothing to shoot"}
    with ctx.lens.borrowed() as (compiler, tracer):
        seconds, spread = forecast(project, compiler, tracer)
    most = "at most " if project.shoot.noise_threshold is not None else ""
    sentence = f"{most}about {duration(seconds)} ± {duration(spread)}"
    return {"seconds": seconds, "plus_minus": spread, "sentence": sentence}


@router.get("/projects/{project_id}/poster")
def poster(ctx: Ctx, project_id: str) -> Response:
    """A picture of the project as it stands, developed once for each version."""
    saved = ctx.studio.projects.get(project_id)
    path = ctx.studio.folder / "posters" / f"{saved.project.id}.{saved.version}.jpg"
    if not path.exists():
        path.parent.mkdir(exist_ok=True)
        data = ctx.lens.poster(saved.project)
        for old in path.parent.glob(f"{saved.project.id}.*.jpg"):
            old.unlink(missing_ok=True)
        write_whole(path, data)
    return Response(path.read_bytes(), media_type="image/jpeg", headers={"cache-control": "no-cache"})


async def _uploaded(files: list[UploadFile]) -> dict[str, bytes]:
    total, result = 0, {}
    for file in files:
        data = await file.read(MAX_UPLOAD_BYTES - total + 1)
        total += len(data)
        if total > MAX_UPLOAD_BYTES:
            raise IntakeError("These files are larger than 2 GB together. Reduce the model first.")
        result[file.filename or "model"] = data
    return result


@router.post("/projects/{project_id}/subject")
async def bring_in(ctx: Ctx, project_id: str, files: list[UploadFile]) -> dict[str, Any]:
    """Begin the intake of a model into a project; follow it at /api/intakes."""
    ctx.studio.projects.get(project_id)
    return ctx.intakes.start(
        await _uploaded(files), lambda i, cancelled: _accept(ctx, i, project_id, cancelled)
    ).as_json()


@router.post("/intakes")
async def new_from_model(ctx: Ctx, files: list[UploadFile]) -> dict[str, Any]:
    """Begin the intake of a model into a new project."""
    return ctx.intakes.start(await _uploaded(files), lambda i, cancelled: _accept(ctx, i, None, cancelled)).as_json()


@router.get("/intakes/{job_id}")
def intake(ctx: Ctx, job_id: str) -> dict[str, Any]:
    return ctx.intakes.get(job_id).as_json()


@router.delete("/intakes/{job_id}")
def cancel_intake(ctx: Ctx, job_id: str) -> dict[str, bool]:
    ctx.intakes.cancel(job_id)
    return {"cancelled": True}


def _accept(ctx: Context, intake: Intake, project_id: str | None, cancelled: Callable[[], bool]) -> dict[str, Any]:
    """Keep what came in and put it on the set, fitted and grounded, as one step that can be undone."""
    ctx.studio.keep_intake(intake)
    saved = None if project_id is None else ctx.studio.projects.get(project_id)
    project = saved.project if saved else new_project(_title(intake.subject.source_name))
    placed = put_on_set(project, intake, LensEye(ctx.lens))  # metering takes a moment: before anything is changed
    if cancelled():
        raise IntakeError("Cancelled.")
    saved = saved or ctx.studio.projects.create(project)
    label = f"Bring in {intake.subject.source_name}"
    saved = ctx.studio.projects.edit(project.id, saved.version, label, lambda _: placed)
    return {"project": project.id, "version": saved.version}


def _title(source_name: str) -> str:
    stem = PurePosixPath(source_name).stem.replace("-", " ").replace("_", " ").strip()
    return stem[:80].capitalize() or "Untitled"


@router.post("/projects/{project_id}/environment")
async def bring_environment(ctx: Ctx, project_id: str, base_version: int, file: UploadFile) -> dict[str, Any]:
    """Light the set with an HDR or EXR environment."""
    data = (await _uploaded([file]))[file.filename or "model"]
    return await run_in_threadpool(
        _take_environment, ctx, project_id, base_version, data, file.filename or "environment"
    )


def _take_environment(ctx: Context, project_id: str, base_version: int, data: bytes, name: str) -> dict[str, Any]:
    if not data:
        raise IntakeError(f"‘{name}’ is empty.")
    picture = read_linear(data, name)
    if not 1.8 < picture.shape[1] / picture.shape[0] < 2.2:
        raise IntakeError(f"‘{name}’ is not twice as wide as high; an equirectangular environment is needed.")
    broken = broken_pixels(picture)
    if broken == picture.shape[0] * picture.shape[1]:
        raise IntakeError(f"‘{name}’ holds no light at all: every pixel is broken. Export it again.")
    key = content_hash(data)
    ctx.studio.assets.put(key, data)

    def change(project: Project) -> Project:
        values = {"asset": key, "source_name": name[:80], "on": True, "kind": "picture", "broken_pixels": broken}
        environment = project.environment.model_copy(update=values)
        return project.model_copy(update={"environment": environment})

    saved = ctx.studio.projects.edit(project_id, base_version, f"Light with {name}", change)
    return project_state(ctx.studio, saved)


@router.post("/projects/{project_id}/pictures")
async def bring_pictures(ctx: Ctx, project_id: str, files: list[UploadFile]) -> list[dict[str, str]]:
    """Keep pictures for maps, gobos and backgrounds; a change then refers to them."""
    ctx.studio.projects.get(project_id)
    kept = await _uploaded(files)
    return await run_in_threadpool(_keep_pictures, ctx, kept)


def _keep_pictures(ctx: Context, files: dict[str, bytes]) -> list[dict[str, str]]:
    for name, data in files.items():
        decode_picture(data, name)
    result = []
    for name, data in sorted(files.items()):
        key = content_hash(data)
        ctx.studio.assets.put(key, data)
        result.append({"asset": key, "name": name[:80]})
    return result
