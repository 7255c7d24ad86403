"""The stockroom: what is kept for all projects, how it is labelled, where it is used; taken along and brought in."""

from collections import Counter
from pathlib import Path
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Depends, Query, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import FileResponse, Response
from pydantic import BaseModel, Field

from ...app.confined import look_at
from ...app.lens import LensEye
from ...app.swatches import swatch_is_there
from ...core.commands.stock import stock_from_project
from ...core.commands.tools import Tools
from ...core.errors import CycloramaError, NotFoundError
from ...core.motion import moment
from ...core.render.film.progressive import ProgressiveRenderer
from ...core.render.film.swatch import swatch_key
from ...core.scene import Project
from ...core.scene.base import Id, new_id
from ...core.scene.saved_material import SavedMaterial
from ...core.scene.stocked import Stocked, StockedEnvironment, StockedGobo, StockedKind, StockedModel
from ...store.archive import ExaminedBox, ShelfName, examine_box, keep_box, pack_archive, shelves_of
from ...store.assets import write_whole
from ...store.library import Label, Shelf
from ..context import Context, context
from ..uploads import BODY, receive
from .ready_stock import ready_things

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
TILE_WIDTH, TILE_SAMPLES = 256, 24


class MaterialKept(BaseModel):
    """Which of a project's materials is to be kept, and as what."""

    material: str
    name: Annotated[str, Field(min_length=1, max_length=80)]


class StockRequest(BaseModel):
    """Request to save a thing of a project to the stockroom."""

    kind: StockedKind
    name: Annotated[str, Field(min_length=1, max_length=80)]
    which: Id | None = None
    """an item, or a light"""
    frame: Annotated[int, Field(ge=0, le=2_000_000)] = 0
    """address of its tile"""


class Relabelled(BaseModel):
    """Changes of a label; None stays."""

    name: Annotated[str, Field(min_length=1, max_length=80)] | None = None
    tags: Annotated[list[Annotated[str, Field(min_length=1, max_length=40)]], Field(max_length=20)] | None = None
    favourite: bool | None = None


class InStock(BaseModel):
    """One thing in the stockroom."""

    shelf: ShelfName | Literal["ready"]
    kind: str
    id: str
    name: str
    says: str
    """‘in 2 projects’, ‘3 lights’, ‘48 frames’"""
    tile: str | None
    """address of its picture"""
    chips: list[list[float]]
    """colours of a palette or a backdrop, linear"""
    tags: list[str]
    favourite: bool
    versions: int
    """earlier ones, to which one can go back"""
    change: dict[str, Any]
    """what brings it into a project; a material is dressed onto parts"""


@router.get("/stock")
def stock(ctx: Ctx) -> list[InStock]:
    """Everything that is kept, favourites first, and what comes with the program."""
    used = _used(ctx)
    found = []
    for name, shelf in shelves_of(ctx.studio).items():
        if name == "destinations":  # of deliveries, not of projects
            continue
        labels = shelf.labels()
        found += [_in_stock(ctx, name, shelf, one, labels.get(one.id, Label()), used) for one in shelf.all()]
    kept = sorted(found, key=lambda one: (not one.favourite, one.name.lower()))
    return kept + [
        InStock(
            shelf="ready", id=f"{one['kind']}-{number}", chips=[], tags=["ready"], favourite=False, versions=0, **one
        )
        for number, one in enumerate(ready_things(ctx))
    ]


def _in_stock(ctx: Context, name: str, shelf: Shelf[Any], one: Any, label: Label, used: Counter[str]) -> InStock:
    versions = shelf.versions(one.id)
    kind, says, change, chips = _told(one, used)
    tile = f"/api/stock/{name}/{one.id}.jpg?v={versions}" if shelf.tile_path(one.id).exists() else None
    if isinstance(one, SavedMaterial) and swatch_is_there(ctx.studio, swatch_key(one.material)):
        tile = f"/api/swatches/{swatch_key(one.material)}.jpg"
    if isinstance(one, Stocked) and isinstance(one.content, StockedEnvironment) and one.content.environment.asset:
        tile = f"/api/environments/{one.content.environment.asset}.jpg"
    return InStock(
        shelf=name,  # type: ignore[arg-type]
        kind=kind,
        id=one.id,
        name=one.name,
        says=says,
        tile=tile,
        chips=chips,
        tags=list(label.tags),
        favourite=label.favourite,
        versions=versions,
        change=change,
    )


def _told(one: Any, used: Counter[str]) -> tuple[str, str, dict[str, Any], list[list[float]]]:
    """Kind, words, change and colours of a thing."""
    told = one.model_dump(mode="json")
    if isinstance(one, SavedMaterial):
        return "material", _in(used[swatch_key(one.material)]), {"kind": "dress", "kept": told}, []
    if not isinstance(one, Stocked):
        if hasattr(one, "lights"):
            count = len(one.lights)
            return "rig", "one light" if count == 1 else f"{count} lights", {"kind": "use_rig", "rig": told}, []
        return "move", f"{one.frames} frames", {"kind": "use_move", "move": told}, []
    content, chips = one.content, list[list[float]]()
    says = {"set": "set, look and camera", "look": "lights, environment and tone", "gobo": "mask"}.get(content.kind, "")
    if isinstance(content, StockedModel):
        parts = len(content.item.parts)
        says = f"{'one part' if parts == 1 else f'{parts} parts'}, {_in(used[content.item.asset])}"
    elif isinstance(content, StockedEnvironment):
        says = _in(used[content.environment.asset or ""]) if content.environment.asset else "sun and sky"
    elif isinstance(content, StockedGobo):
        says = content.gobo.source_name or content.gobo.pattern or "mask"
    elif content.kind == "palette":
        chips, says = [list(colour) for _, colour in content.colours], f"{len(content.colours)} colours"
    elif content.kind == "backdrop":
        chips, says = [list(content.background.colour), list(content.background.second)], content.background.kind
    return content.kind, says, {"kind": "use_stocked", "stocked": told}, chips


def _in(projects: int) -> str:
    return "in no project" if not projects else "in one project" if projects == 1 else f"in {projects} projects"


def _used(ctx: Context) -> Counter[str]:
    """In how many projects something is used: materials by keys of swatches, models and pictures by theirs. Projects
    that cannot be read count as without."""
    found: Counter[str] = Counter()
    for listed in ctx.studio.projects.listed():
        try:
            project = ctx.studio.projects.get(listed.id).project
        except CycloramaError:  # the wall tells of it
            continue
        found.update(_things_of(project))
    return found


def _things_of(project: Project) -> set[str]:
    there = {swatch_key(material) for material in project.materials} | {item.asset for item in project.items}
    return (there | {look.environment.asset or "" for look in project.looks}) - {""}


@router.post("/projects/{project_id}/stock/materials", status_code=201)
def keep_material(ctx: Ctx, project_id: str, wanted: MaterialKept) -> SavedMaterial:
    """Keep a material of a project for all others."""
    project = ctx.studio.projects.get(project_id).project
    material = next((m for m in project.materials if m.id == wanted.material), None)
    if material is None:
        raise NotFoundError("That material is not in this project any more.")
    return ctx.studio.materials.keep(SavedMaterial(id=new_id("material"), name=wanted.name, material=material))


@router.post("/projects/{project_id}/stock", status_code=201)
def keep(ctx: Ctx, project_id: str, wanted: StockRequest) -> Stocked:
    """Keep something of a project for all others, with a picture of what it shows here."""
    project = ctx.studio.projects.get(project_id).project
    tools = Tools(ctx.studio.measures_if_whole, LensEye(ctx.lens))
    kept = ctx.studio.stock.keep(stock_from_project(project, wanted.kind, wanted.name, tools, wanted.which))
    if wanted.kind in ("model", "set", "look", "gobo") and ctx.lens.ready.is_set():
        here = moment(project, wanted.frame or project.shot.first_frame)
        height = max(1, round(TILE_WIDTH * here.shoot.height / here.shoot.width))
        with ctx.lens.borrowed() as (compiler, tracer):
            shown = ProgressiveRenderer(compiler, tracer).still(here, TILE_WIDTH, height, TILE_SAMPLES)
        write_whole(ctx.studio.stock.tile_path(kept.id), shown.jpeg)
    return kept


@router.patch("/stock/{shelf}/{identity}", status_code=204)
def relabel(ctx: Ctx, shelf: ShelfName, identity: Id, wanted: Relabelled) -> None:
    """Change what a thing is called, its tags, and whether it is a favourite."""
    there = shelves_of(ctx.studio)[shelf]
    there.one(identity)
    if wanted.name is not None:
        there.rename(identity, wanted.name)
    label = there.labels().get(identity, Label())
    tags = label.tags if wanted.tags is None else tuple(dict.fromkeys(wanted.tags))
    favourite = label.favourite if wanted.favourite is None else wanted.favourite
    there.label(identity, Label(tags=tags, favourite=favourite))


@router.post("/stock/{shelf}/{identity}/back", status_code=204)
def go_back(ctx: Ctx, shelf: ShelfName, identity: Id) -> None:
    """Go back to the version before."""
    shelves_of(ctx.studio)[shelf].go_back(identity)


@router.delete("/stock/{shelf}/{identity}", status_code=204)
def remove(ctx: Ctx, shelf: ShelfName, identity: Id) -> None:
    """Forget one with its earlier versions; projects keep what they have of it."""
    shelves_of(ctx.studio)[shelf].remove(identity)


@router.get("/stock/{shelf}/{identity}.jpg", response_class=FileResponse)
def tile(ctx: Ctx, shelf: ShelfName, identity: Id) -> FileResponse:
    """The picture that was taken when it was kept."""
    path = shelves_of(ctx.studio)[shelf].tile_path(identity)
    if not path.exists():
        raise NotFoundError("There is no picture of that.")
    return FileResponse(path, headers={"Cache-Control": "no-cache"})


@router.get("/stock.zip", response_class=Response)
def take_along(ctx: Ctx, only: Annotated[list[str] | None, Query(max_length=500)] = None) -> Response:
    """Stock (all of it, or `only` some, as `shelf/id`) as a zip of plain files."""
    everything = [(name, one.id) for name, shelf in shelves_of(ctx.studio).items() for one in shelf.all()]
    wanted = [pair for pair in everything if only is None or "/".join(pair) in only]
    if not wanted:
        raise NotFoundError("There is nothing to take along.")
    headers = {"content-disposition": 'attachment; filename="Stockroom.zip"'}
    return Response(pack_archive(ctx.studio, wanted), media_type="application/zip", headers=headers)


def _unpack(ctx: Context, path: Path) -> list[str]:
    return keep_box(ctx.studio, look_at(_examine, path, "The zip"), path.parent)


def _examine(path: Path, name: str) -> ExaminedBox:
    return examine_box(path, path.parent)


@router.post("/stock/unpack", openapi_extra=BODY)
async def bring_in(ctx: Ctx, request: Request) -> list[str]:
    """Put what a zip from a stockroom holds into this one; the names of what came in."""
    async with receive(request, ctx.studio.folder) as uploads:
        path = next(iter(uploads.paths.values()))
        names = await run_in_threadpool(_unpack, ctx, path)
        uploads.clear()
        return names
