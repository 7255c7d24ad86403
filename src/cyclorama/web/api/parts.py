"""Parts of models that are taken apart."""

from typing import Annotated

from fastapi import APIRouter, Depends

from ...core.commands.filling import without_filling
from ...core.commands.growing import GrowPart, grown_mesh, with_grown
from ...core.commands.splitting import SplitPart, part_of, split_key, split_mesh, with_parts
from ...core.geometry.cache_keys import measures_key, rig_key, standin_key, standin_source_key
from ...core.geometry.mesh import Mesh
from ...core.geometry.report import IntakeReport
from ...core.geometry.standin import build_standin
from ...core.scene import Item, Project
from ...core.scene.writing import revise
from ...store.studio import report_key
from ..context import Context, context
from .answers import ProjectState
from .floor_state import project_state

router = APIRouter(prefix="/api/projects/{project_id}")
Ctx = Annotated[Context, Depends(context)]


class Splitting(SplitPart):
    """Request to split a part."""

    base_version: int


@router.post("/split")
def split(ctx: Ctx, project_id: str, wanted: Splitting) -> ProjectState:
    """Take a part apart, as one step that can be undone; what it wore, the new parts wear."""
    project = ctx.studio.projects.get(project_id).project
    item, number = part_of(project, wanted)
    after = split_mesh(project, wanted, Mesh.from_bytes(ctx.studio.assets.get(item.asset)))
    asset = split_key(after.to_bytes(), item.asset)
    _keep(ctx, project, after, item.asset, part_of(with_parts(project, wanted, after, asset), wanted)[0])

    def change(now: Project) -> Project:
        return with_parts(now, wanted, after, asset)

    label = f"Take {item.parts[number].name} apart"
    saved = ctx.studio.projects.edit(project_id, wanted.base_version, label, change)
    return project_state(ctx.studio, saved)


class Growth(GrowPart):
    """Request to grow a part."""

    base_version: int


@router.post("/grow")
def grow(ctx: Ctx, project_id: str, wanted: Growth) -> ProjectState:
    """Grow a part so that it reaches into what lies around it, as one step that can be undone."""
    project = ctx.studio.projects.get(project_id).project
    item, number = part_of(project, wanted)
    after = grown_mesh(project, wanted, Mesh.from_bytes(ctx.studio.assets.get(item.asset)))
    asset = split_key(after.to_bytes(), item.asset)
    _keep(ctx, project, after, item.asset, revise(item, asset=asset), wanted.part)

    def change(now: Project) -> Project:
        return with_grown(now, wanted, after, asset)

    saved = ctx.studio.projects.edit(project_id, wanted.base_version, f"Grow {item.parts[number].name}", change)
    return project_state(ctx.studio, saved)


def _keep(ctx: Context, project: Project, mesh: Mesh, old: str, item: Item, grown: str = "") -> None:
    """Keep the changed mesh of an item with all that belongs to the old one; grown: id of the part that was."""
    assets, asset, data = ctx.studio.assets, item.asset, mesh.to_bytes()
    materials = {m.id: m for m in project.materials}
    worn = [materials[w.material] for w in without_filling(item).variant.parts]
    pictures = {m.maps.base_color.asset for m in worn if m.maps.base_color is not None and m.maps.base_color.asset}
    standin, source = build_standin(mesh, worn, {key: assets.get(key) for key in pictures})
    kept = {asset: data, standin_key(asset): standin}
    for key in (measures_key, rig_key, report_key):
        if assets.has(key(old)):
            kept[key(asset)] = assets.get(key(old))
    if assets.has(rig_key(old)):
        kept[standin_source_key(asset)] = source.tobytes()
    if grown and report_key(asset) in kept:
        report = IntakeReport.model_validate_json(kept[report_key(asset)])
        kept[report_key(asset)] = report.grown(grown).model_dump_json().encode()
    assets.put_all(kept)
