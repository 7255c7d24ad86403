"""JSON: projects, their changes, intake of models and environments."""

from functools import partial
from pathlib import Path as FilePath
from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Depends, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import FileResponse, JSONResponse, Response
from pydantic import BaseModel, ConfigDict, Field

from ...app import takes as take_service
from ...app.confined import look_at
from ...app.intakes import ask_for_detail, ask_for_intake
from ...app.jobs import Unwanted
from ...app.lens import LensEye
from ...app.shared_work import IsUnwanted
from ...app.shoot_reuse import ShootReuse, shoot_reuse
from ...app.uploads import Uploads
from ...app.uses import project_uses
from ...core.commands import Command, perform_all
from ...core.commands.surroundings import with_surroundings
from ...core.errors import ChangeError, NotFoundError, StaleError
from ...core.picture.inspect_upload import examine_environment, examine_picture
from ...core.review.phrases import duration
from ...core.scene import FOR_CLIPS, Detail, Project, new_project, put
from ...shoot.run.forecast import forecast
from ...store import Saved
from ..context import Context, context
from ..uploads import BODY, made_of_file, receive
from .answers import CreatedProject, ForecastAnswer, KeptPicture, ProjectState, Recovered, Removed, RendererAnswer, Uses
from .floor_state import project_state
from .jobs import JobAnswer

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]


class NewProject(BaseModel):
    model_config = ConfigDict(json_schema_extra={"examples": [{"name": "Storm Glass No. 4"}]})

    name: Annotated[str, Field(min_length=1, max_length=80)] = "Untitled"


class Edit(BaseModel):
    model_config = ConfigDict(
        json_schema_extra={
            "examples": [
                {"base_version": 7, "changes": [{"kind": "set", "path": "shot/frames", "value": 96}]},
                {"base_version": 8, "changes": [{"kind": "set_up", "ready": "bottle on dark gloss"}, {"kind": "fit"}]},
            ]
        }
    )

    base_version: int
    changes: Annotated[list[Command], Field(min_length=1, max_length=64)]


class MakeAgain(BaseModel):
    detail: Detail


class Step(BaseModel):
    model_config = ConfigDict(json_schema_extra={"examples": [{"base_version": 8}]})

    base_version: int


@router.get("/renderer")
def renderer(ctx: Ctx) -> RendererAnswer:
    """Readiness of the renderer, and a sentence until then."""
    ready = ctx.lens.ready.is_set()
    return RendererAnswer(ready=ready, sentence="" if ready else ctx.lens.preparing)


class Named(BaseModel):
    id: str
    name: str


@router.get("/projects")
def names(ctx: Ctx) -> list[Named]:
    """All projects, the one that was edited last first."""
    return [Named(id=listed.id, name=listed.name) for listed in ctx.studio.projects.listed()]


@router.get("/building")
def building(ctx: Ctx) -> list[str]:
    """Names of projects that are being built by now."""
    return list(ctx.building())


@router.get("/building/{name}.jpg", response_class=FileResponse)
def building_poster(ctx: Ctx, name: str) -> FileResponse:
    """Poster of a project that is being built."""
    path = ctx.building().get(name)
    if path is None or not path.exists():
        raise NotFoundError("No project of that name is being built.")
    return FileResponse(path)


@router.post("/projects")
def create(ctx: Ctx, wanted: NewProject) -> CreatedProject:
    """An empty studio."""
    return CreatedProject(id=ctx.studio.projects.create(new_project(wanted.name, FOR_CLIPS)).project.id)


@router.get("/projects/{project_id}", response_model=ProjectState)
def state(ctx: Ctx, request: Request, project_id: str) -> Response:
    """The project as it stands, with everything measured."""
    return _answer(ctx, request, ctx.studio.projects.get(project_id))


def _answer(ctx: Context, request: Request, saved: Saved) -> Response:
    return ctx.changed_answers.answer(request, f"/api/projects/{saved.project.id}", project_state(ctx.studio, saved))


@router.get("/projects/{project_id}/uses")
def uses(ctx: Ctx, project_id: str) -> Uses:
    """Things removed with a project, and uses of its takes."""
    return Uses(sentences=project_uses(ctx.studio, project_id))


@router.delete("/projects/{project_id}")
def remove(ctx: Ctx, project_id: str) -> Removed:
    """Put a project with its takes into the bin."""
    take_service.remove_project(ctx.studio, project_id)
    return Removed()


@router.post("/projects/{project_id}/name")
def rename(ctx: Ctx, project_id: str, wanted: NewProject) -> Named:
    """Name a project anew."""
    renamed = ctx.studio.projects.edit(project_id, None, "Set name", lambda p: put(p, "name", wanted.name))
    return Named(id=project_id, name=renamed.project.name)


@router.post("/projects/{project_id}/duplicate")
def duplicate(ctx: Ctx, project_id: str) -> CreatedProject:
    """A new project as this one stands, without its takes."""
    return CreatedProject(id=ctx.studio.projects.duplicate(project_id).project.id)


@router.get("/projects/{project_id}/document")
def document(ctx: Ctx, project_id: str) -> Response:
    """The document as it was saved, whether or not it can be read."""
    name = quote(f"{project_id}.json")
    return Response(
        ctx.studio.projects.document(project_id),
        media_type="application/json",
        headers={"content-disposition": f"attachment; filename*=UTF-8''{name}"},
    )


@router.post("/projects/{project_id}/recover")
def recover(ctx: Ctx, project_id: str) -> Recovered:
    """Go back to the last state of a damaged project that can be read."""
    return Recovered(version=ctx.studio.projects.recover(project_id).version)


@router.post("/projects/{project_id}/changes", response_model=ProjectState)
def edit(ctx: Ctx, request: Request, project_id: str, wanted: Edit) -> Response:
    """Perform changes as one step that can be undone."""

    labels: list[str] = []

    def performed(project: Project) -> Project:
        after, labels[:] = perform_all(project, wanted.changes, ctx.studio.measures_if_whole, LensEye(ctx.lens))
        return after

    return _answer(
        ctx, request, ctx.studio.projects.edit(project_id, wanted.base_version, lambda: labels[0], performed)
    )


@router.post("/projects/{project_id}/undo", response_model=ProjectState)
def undo(ctx: Ctx, request: Request, project_id: str, step: Step) -> Response:
    """Undo the last step."""
    return _answer(ctx, request, ctx.studio.projects.step(project_id, step.base_version, -1))


@router.post("/projects/{project_id}/redo", response_model=ProjectState)
def redo(ctx: Ctx, request: Request, project_id: str, step: Step) -> Response:
    """Repeat the step that was undone last."""
    return _answer(ctx, request, ctx.studio.projects.step(project_id, step.base_version, 1))


@router.get("/projects/{project_id}/forecast")
async def shoot_forecast(ctx: Ctx, request: Request, project_id: str) -> ForecastAnswer:
    """Forecast of the shot, from a few probe frames."""
    saved = await run_in_threadpool(ctx.studio.projects.get, project_id)
    key = ("shot", project_id, saved.version)
    return await ctx.forecasts.answer(request, key, partial(forecast_answer, ctx, saved.project, saved.version))


@router.get("/projects/{project_id}/reuse")
async def reuse(ctx: Ctx, request: Request, project_id: str) -> ShootReuse:
    """Frames of the open shot that earlier takes have already."""
    saved = await run_in_threadpool(ctx.studio.projects.get, project_id)
    return await ctx.eyes.answer(request, ("reuse", object()), lambda unwanted: shoot_reuse(ctx.studio, saved.project))


def forecast_answer(ctx: Context, project: Project, version: int, unwanted: IsUnwanted) -> ForecastAnswer:
    """Forecast of a project's open shot, probed while nobody waits for the lens. Raises StaleError once
    the project is of another version, and ChangeError when the renderer cannot be made ready."""
    if not len(project.shot.frame_numbers):
        return ForecastAnswer(seconds=0, plus_minus=0, sentence="nothing to shoot")

    def changed() -> bool:
        if ctx.lens.unprepared:
            raise ChangeError(ctx.lens.preparing)
        return unwanted() or ctx.studio.projects.version(project.id) != version

    reuse = shoot_reuse(ctx.studio, project)
    if reuse.taken == reuse.total:
        return ForecastAnswer(seconds=0, plus_minus=0, sentence="a few seconds")
    try:
        seconds, spread = forecast(project, lambda step: ctx.lens.at_leisure(step, changed))
    except Unwanted as error:
        raise StaleError("The project was changed meanwhile.", ctx.studio.projects.version(project.id)) from error
    seconds, spread = seconds * reuse.share_to_shoot, spread * reuse.share_to_shoot
    s = project.shot.shoot
    most = "at most " if s.noise_threshold is not None and s.wanted_quality is None else ""
    sentence = f"{most}about {duration(seconds)} ± {duration(spread)}"
    return ForecastAnswer(seconds=seconds, plus_minus=spread, sentence=sentence)


@router.get("/projects/{project_id}/poster", responses={202: {"description": "There is none yet; why."}})
def poster(ctx: Ctx, project_id: str) -> Response:
    """A picture of the project as it stands, developed once for each version; ask again where there is none yet."""
    found = ctx.posters.get(project_id)
    if isinstance(found, str):
        return JSONResponse({"sentence": found}, 202)
    return Response(found, media_type="image/jpeg", headers={"cache-control": "no-cache"})


@router.get("/projects/{project_id}/sketch")
def sketch(ctx: Ctx, project_id: str) -> Response:
    """A drawing of the first frame, there at once."""
    return Response(ctx.posters.sketch(project_id), media_type="image/png", headers={"cache-control": "no-cache"})


@router.post("/projects/{project_id}/subject", openapi_extra=BODY)
async def bring_in(ctx: Ctx, project_id: str, request: Request) -> JobAnswer:
    """Begin the intake of a model into a project; follow it at /api/jobs."""
    ctx.studio.projects.get(project_id)
    return await _begin_intake(ctx, request, project_id)


@router.post("/projects/{project_id}/items", openapi_extra=BODY)
async def bring_beside(ctx: Ctx, project_id: str, request: Request) -> JobAnswer:
    """Begin the intake of one more model, which stands beside what is on the set; follow it at /api/jobs."""
    ctx.studio.projects.get(project_id)
    return await _begin_intake(ctx, request, project_id, beside=True)


@router.post("/intakes", openapi_extra=BODY)
async def new_from_model(ctx: Ctx, request: Request) -> JobAnswer:
    """Begin the intake of a model into a new project."""
    return await _begin_intake(ctx, request, None)


async def _begin_intake(ctx: Context, request: Request, project_id: str | None, beside: bool = False) -> JobAnswer:
    async with receive(request, ctx.studio.folder) as uploads:
        return JobAnswer.of(await run_in_threadpool(ask_for_intake, ctx.work, uploads, project_id, beside))


@router.post("/projects/{project_id}/subject/again")
def make_again(ctx: Ctx, project_id: str, wanted: MakeAgain) -> JobAnswer:
    """Begin to make the subject anew from its source, as finely as shows in this framing; follow it at /api/jobs."""
    return JobAnswer.of(ask_for_detail(ctx.work, ctx.studio, project_id, wanted.detail))


@router.post("/projects/{project_id}/environment", openapi_extra=BODY)
async def bring_environment(ctx: Ctx, project_id: str, base_version: int, request: Request) -> ProjectState:
    """Light the set with an HDR or EXR environment."""
    ctx.studio.projects.get(project_id)
    return await made_of_file(request, ctx.studio.folder, _take_environment, ctx, project_id, base_version)


def _take_environment(ctx: Context, project_id: str, base_version: int, name: str, path: FilePath) -> ProjectState:
    broken = look_at(examine_environment, path, name)
    key = ctx.studio.assets.take(path)

    saved = ctx.studio.projects.edit(
        project_id, base_version, f"Light with {name}", lambda project: with_surroundings(project, key, name, broken)
    )
    return project_state(ctx.studio, saved)


@router.post("/projects/{project_id}/pictures", openapi_extra=BODY)
async def bring_pictures(ctx: Ctx, project_id: str, request: Request) -> list[KeptPicture]:
    """Keep pictures for maps, gobos and backgrounds; a change then refers to them."""
    ctx.studio.projects.get(project_id)
    async with receive(request, ctx.studio.folder) as uploads:
        kept = await run_in_threadpool(_keep_pictures, ctx, uploads)
        uploads.clear()
        return kept


def _keep_pictures(ctx: Context, uploads: Uploads) -> list[KeptPicture]:
    for name, path in uploads.paths.items():
        look_at(examine_picture, path, name)
    return [KeptPicture(asset=ctx.studio.assets.take(p), name=n[:80]) for n, p in sorted(uploads.paths.items())]
