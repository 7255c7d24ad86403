"""Parts of models that are taken apart."""

from typing import Annotated

from fastapi import APIRouter, Depends

from ...core.commands.splitting import SplitPart, part_of, split_key, split_mesh, with_parts
from ...core.geometry.cache_keys import measures_key, rig_key, standin_key, standin_source_key
from ...core.geometry.mesh import Mesh
from ...core.geometry.standin import build_standin
from ...core.scene import Project
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
    asset = _keep(ctx, project, item.asset, after, wanted)

    def change(now: Project) -> Project:
        return with_parts(now, wanted, after, asset)

    label = f"Take {item.parts[number].name} apart"
    saved = ctx.studio.projects.edit(project_id, wanted.base_version, label, change)
    return project_state(ctx.studio, saved)


def _keep(ctx: Context, project: Project, old: str, mesh: Mesh, wanted: SplitPart) -> str:
    """Keep a split mesh with all that belongs to the old one; its key."""
    assets, data = ctx.studio.assets, mesh.to_bytes()
    asset = split_key(data, old)
    item, _ = part_of(with_parts(project, wanted, mesh, asset), wanted)
    materials = {m.id: m for m in project.materials}
    worn = [materials[w.material] for w in item.variant.parts]
    pictures = {m.maps.base_color.asset for m in worn if m.maps.base_color is not None and m.maps.base_color.asset}
    standin, source = build_standin(mesh, worn, {key: assets.get(key) for key in pictures})
    kept = {asset: data, standin_key(asset): standin}
    for key in (measures_key, rig_key, report_key):
        if assets.has(key(old)):
            kept[key(asset)] = assets.get(key(old))
    if assets.has(rig_key(old)):
        kept[standin_source_key(asset)] = source.tobytes()
    assets.put_all(kept)
    return asset
