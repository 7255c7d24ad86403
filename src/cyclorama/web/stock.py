"""The stockroom: what is kept for all projects, and where it is used."""

from collections import Counter
from typing import Annotated

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field

from ..core.errors import CycloramaError, NotFoundError
from ..core.render.film.swatch import swatch_key
from ..core.scene.base import new_id
from ..core.scene.saved_material import SavedMaterial
from .context import Context, context
from .tray import swatch_is_there

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]


class MaterialKept(BaseModel):
    """Which of a project's materials is to be kept, and as what."""

    material: str
    name: Annotated[str, Field(min_length=1, max_length=80)]


class Stocked(BaseModel):
    """One thing in the stockroom."""

    kind: str
    """`material`, `rig` or `move`"""
    id: str
    name: str
    says: str
    """‘in 2 projects’, ‘3 lights’, ‘48 frames’"""
    swatch: str
    """key of its swatch, empty where there is none"""


@router.get("/stock")
def stock(ctx: Ctx) -> list[Stocked]:
    """Everything that is kept: materials, rigs, moves."""
    used = _projects_with(ctx)
    found = []
    for kept in ctx.studio.materials.all():
        key = swatch_key(kept.material)
        swatch = key if swatch_is_there(ctx.studio, key) else ""
        found.append(Stocked(kind="material", id=kept.id, name=kept.name, says=_in(used[key]), swatch=swatch))
    for rig in ctx.studio.rigs.all():
        lights = "one light" if len(rig.lights) == 1 else f"{len(rig.lights)} lights"
        found.append(Stocked(kind="rig", id=rig.id, name=rig.name, says=lights, swatch=""))
    for move in ctx.studio.moves.all():
        found.append(Stocked(kind="move", id=move.id, name=move.name, says=f"{move.frames} frames", swatch=""))
    return found


def _in(projects: int) -> str:
    return "in no project" if not projects else "in one project" if projects == 1 else f"in {projects} projects"


def _projects_with(ctx: Context) -> Counter[str]:
    """In how many projects something looks like this, by keys of swatches; projects that cannot be read count as
    without."""
    found: Counter[str] = Counter()
    for listed in ctx.studio.projects.listed():
        try:
            project = ctx.studio.projects.get(listed.id).project
        except CycloramaError:  # the wall tells of it
            continue
        found.update({swatch_key(material) for material in project.materials})
    return found


@router.post("/projects/{project_id}/stock/materials", status_code=201)
def keep(ctx: Ctx, project_id: str, wanted: MaterialKept) -> SavedMaterial:
    """Keep a material of a project for all others."""
    project = ctx.studio.projects.get(project_id).project
    material = next((m for m in project.materials if m.id == wanted.material), None)
    if material is None:
        raise NotFoundError("That material is not in this project any more.")
    kept = SavedMaterial(id=new_id("material"), name=wanted.name, material=material)
    ctx.studio.materials.keep(kept)
    return kept


@router.delete("/stock/materials/{material_id}", status_code=204)
def remove(ctx: Ctx, material_id: str) -> None:
    """Forget one; what wears it keeps its own."""
    ctx.studio.materials.remove(material_id)
