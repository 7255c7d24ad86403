"""The tray of materials: the project's own and those to start from, each with a swatch that is developed in the
background. A swatch is kept under what it shows, and never stands in the way of the lens."""

import hashlib
from typing import Annotated, Any

from fastapi import APIRouter, Depends
from fastapi import Path as PathParameter
from fastapi.responses import FileResponse
from pydantic import BaseModel

from ...app.lens import LensEye
from ...app.swatches import SwatchRequest, swatch_is_there, swatch_path
from ...core.commands.stock import stock_from_project
from ...core.commands.tools import Tools
from ...core.errors import NotFoundError
from ...core.light.rigs import resize_rig
from ...core.material.presets import PRESETS, with_preset
from ...core.material.variations import Vary, vary_material
from ...core.render.film.swatch import BODY_M, swatch_key
from ...core.scene import Look, Material, Project
from ...core.scene.saved_material import SavedMaterial
from ...core.scene.stocked import StockedLook
from ...core.scene.writing import revise
from ..context import Context, context
from .answers import NEVER_CHANGES
from .jobs import JobAnswer

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
Key = Annotated[str, PathParameter(pattern=r"^[0-9a-f]{32}$")]
GONE = "That swatch is not developed yet."


class Swatch(BaseModel):
    """A material on the tray."""

    name: str
    material: str | None
    """its id, None for one to start from"""
    parts: int
    """number of parts that wear it"""
    key: str
    there: bool
    """true when its swatch is developed"""


class KeptSwatch(Swatch):
    """A material that is kept for all projects."""

    document: SavedMaterial


class Tray(BaseModel):
    """All that lies on the tray of a project."""

    own: list[Swatch]
    presets: list[Swatch]
    kept: list[KeptSwatch]


def _presets() -> list[Material]:
    return [with_preset(Material(id="preset", name=name), name) for name in PRESETS]


def _worn(project: Project) -> dict[str, int]:
    """Number of parts that wear each material, in any colourway."""
    found: dict[str, int] = {}
    for item in project.items:
        for number in range(len(item.parts)):
            for material in {variant.parts[number].material for variant in item.variants}:
                found[material] = found.get(material, 0) + 1
    return found


@router.get("/projects/{project_id}/tray")
def tray(ctx: Ctx, project_id: str, here: bool = False) -> Tray:
    """Swatches on the tray; `here`: the project's own in the light of the open shot."""
    project = ctx.studio.projects.get(project_id).project
    worn, look = _worn(project), _light_of(ctx, project) if here else None

    def told(material: Material, own: bool) -> Swatch:
        key = swatch_key(material, look if own else None)
        there = swatch_path(ctx.studio, key).exists()
        parts = worn.get(material.id, 0) if own else 0
        return Swatch(name=material.name, material=material.id if own else None, parts=parts, key=key, there=there)

    kept = [
        KeptSwatch(**told(k.material, False).model_dump() | {"name": k.name}, document=k)
        for k in ctx.studio.materials.all()
    ]
    presets = [told(m, False) for m in _presets()]
    return Tray(own=[told(m, True) for m in project.materials], presets=presets, kept=kept)


@router.post("/projects/{project_id}/tray", status_code=202)
def develop(ctx: Ctx, project_id: str, here: bool = False) -> JobAnswer | None:
    """Have the swatches developed that are not there, the project's own first; None when all are. `here`: only those
    of the project, in the light of the open shot."""
    project = ctx.studio.projects.get(project_id).project
    if here:
        look = _light_of(ctx, project)
        own = {swatch_key(m, look): m for m in project.materials}
        return _asked(ctx, project, {k: m for k, m in own.items() if not swatch_is_there(ctx.studio, k)}, look)
    kept = [k.material for k in ctx.studio.materials.all()]
    wanted = {swatch_key(m): m for m in (*project.materials, *kept, *_presets())}
    missing = {key: m for key, m in wanted.items() if not swatch_path(ctx.studio, key).exists()}
    return _asked(ctx, project, missing, None)


def _asked(ctx: Context, project: Project, missing: dict[str, Material], look: Look | None) -> JobAnswer | None:
    if not missing:
        return None
    about = hashlib.sha256("".join(missing).encode()).hexdigest()[:32]
    wanted = SwatchRequest(materials=missing, look=look)
    return JobAnswer.of(ctx.work.ask("swatches", about, f"Swatches of {project.name}", wanted))


def _light_of(ctx: Context, project: Project) -> Look:
    """The light of the open shot as it is for something as large as a swatch."""
    kept = stock_from_project(project, "look", "Light", Tools(ctx.studio.measures_if_whole, LensEye(ctx.lens)))
    assert isinstance(kept.content, StockedLook)
    look = kept.content.look
    return revise(look, lights=resize_rig(look.lights, BODY_M / kept.size_m))


@router.get("/swatches/{key}.jpg", response_class=FileResponse)
def swatch(ctx: Ctx, key: Key) -> FileResponse:
    """A developed swatch; it never changes."""
    path = swatch_path(ctx.studio, key)
    if not path.exists():
        raise NotFoundError(GONE)
    return FileResponse(path, headers=NEVER_CHANGES)


class Varied(BaseModel):
    """Variation of a material."""

    material: str
    across: Vary
    down: Vary | None = None


class Variation(BaseModel):
    """A material as it might be."""

    values: dict[str, Any]
    """other values, by field"""
    key: str
    there: bool


@router.post("/projects/{project_id}/tray/varied")
def vary(ctx: Ctx, project_id: str, wanted: Varied) -> list[list[Variation]]:
    """A material varied along one or two of its numbers; swatches that are missing are developed in the background."""
    project = ctx.studio.projects.get(project_id).project
    material = next((m for m in project.materials if m.id == wanted.material), None)
    if material is None:
        raise NotFoundError("That material is not in this project any more.")
    missing: dict[str, Material] = {}
    rows: list[list[Variation]] = []
    for row in vary_material(material, wanted.across, wanted.down):
        rows.append([])
        for values in row:
            changed = revise(material, **values)
            key = swatch_key(changed)
            there = swatch_is_there(ctx.studio, key)
            if not there:
                missing[key] = changed
            rows[-1].append(Variation(values=values, key=key, there=there))
    if missing:
        about = hashlib.sha256("".join(missing).encode()).hexdigest()[:32]
        ctx.work.ask("swatches", about, f"Variations of {material.name}", SwatchRequest(materials=missing))
    return rows
