"""Parts of models that are taken apart."""

from collections.abc import Callable
from typing import Annotated, TypeVar

from fastapi import APIRouter, Depends

from ...core.commands.filling import without_filling
from ...core.commands.growing import GrowPart, grown_mesh, with_grown
from ...core.commands.splitting import SplitPart, changed_key, part_of, split_mesh, with_parts
from ...core.geometry.cache_keys import measures_key, rig_key, standin_key, standin_source_key
from ...core.geometry.mesh import Mesh
from ...core.geometry.report import IntakeReport
from ...core.geometry.standin import build_standin
from ...core.scene import Item, Project
from ...store.studio import report_key
from ..context import Context, context
from .answers import ProjectState
from .floor_state import project_state

router = APIRouter(prefix="/api/projects/{project_id}")
Ctx = Annotated[Context, Depends(context)]


class Splitting(SplitPart):
    """Request to split a part."""

    base_version: int


class Growth(GrowPart):
    """Request to grow a part."""

    base_version: int


W = TypeVar("W", Splitting, Growth)


@router.post("/split")
def split(ctx: Ctx, project_id: str, wanted: Splitting) -> ProjectState:
    """Take a part apart, as one step that can be undone; what it wore, the new parts wear."""
    return _change_mesh(ctx, project_id, wanted, "Take {} apart", split_mesh, with_parts)


@router.post("/grow")
def grow(ctx: Ctx, project_id: str, wanted: Growth) -> ProjectState:
    """Grow a part so that it reaches into what lies around it, as one step that can be undone."""
    return _change_mesh(ctx, project_id, wanted, "Grow {}", grown_mesh, with_grown, wanted.part)


def _change_mesh(
    ctx: Context,
    project_id: str,
    wanted: W,
    label: str,
    changed: Callable[[Project, W, Mesh], Mesh],
    with_mesh: Callable[[Project, W, Mesh, str], Project],
    grown: str = "",
) -> ProjectState:
    """Change the mesh of an item and keep it, as one step that can be undone.

    label: of the step, {} the name of the part; changed: gives the mesh, with_mesh: the project with it under a key;
    grown: id of a part that was grown.
    """
    project = ctx.studio.projects.get(project_id).project
    item, number = part_of(project, wanted)
    mesh = changed(project, wanted, Mesh.from_bytes(ctx.studio.assets.get(item.asset)))
    data = mesh.to_bytes()
    asset = changed_key(data, item.asset)
    _keep(ctx, project, mesh, data, item.asset, part_of(with_mesh(project, wanted, mesh, asset), wanted)[0], grown)

    def change(now: Project) -> Project:
        return with_mesh(now, wanted, mesh, asset)

    label = label.format(item.parts[number].name)
    saved = ctx.studio.projects.edit(project_id, wanted.base_version, label, change)
    return project_state(ctx.studio, saved)


def _keep(ctx: Context, project: Project, mesh: Mesh, data: bytes, old: str, item: Item, grown: str) -> None:
    """Keep the changed mesh of an item, whose bytes are `data`, with all that belongs to the old one."""
    assets, asset = ctx.studio.assets, item.asset
    materials = {m.id: m for m in project.materials}
    worn = [materials[w.material] for w in without_filling(item).variant.parts]
    pictures = {asset for m in worn if m.maps.base_color is not None for asset in m.maps.base_color.assets}
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
