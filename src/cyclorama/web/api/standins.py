"""Stand-ins of the browser: reduced meshes of models, as they bend, made shapes, and the set."""

import io
import json
import struct
from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Depends, Query
from fastapi.responses import Response
from PIL import Image
from pydantic import BaseModel, Json, ValidationError

from ...core.errors import ChangeError, NotFoundError
from ...core.geometry.build import build_disc, build_sweep
from ...core.geometry.cache_keys import copies_key, hollow_key, standin_key
from ...core.geometry.copies import prototype_values
from ...core.geometry.placement import placement_matrix
from ...core.geometry.primitives import build_standin
from ...core.geometry.standin_file import in_parts, pack_meshes
from ...core.light.masks import in_beam
from ...core.motion import Moment, moment_of_first
from ...core.render.compile.copies import tints
from ...core.render.compile.lights import gobo_picture
from ...core.scene import Gobo, Item, Made, Placement, put_all
from ...core.scene.copies import Copies
from ...core.scene.item import Filling
from ...core.scene.writing import derive, revise
from ..context import Context, context
from .floor_state import standin_url

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
_NUMBER = r"\d{1,6}(\.\d{1,12})?(e-\d\d)?"
_ACTING = rf"^\d{{1,4}}:{_NUMBER}:{_NUMBER}(,\d{{1,4}}:{_NUMBER}:{_NUMBER}){{0,3}}$"
MOST_SHOWN = 4000
"""Copies of an item that the stand-in draws at most."""
_FOR_EVER = {"cache-control": "public, max-age=31536000, immutable"}


class MadeShape(BaseModel):
    """Request for the mesh of a made shape."""

    made: Json[Made]


@router.get("/assets/{asset}/standin")
def standin(ctx: Ctx, asset: str) -> Response:
    """The reduced mesh of a model; never changes for an asset."""
    data = ctx.studio.assets.get(standin_key(asset))
    return Response(data, media_type="application/octet-stream", headers=_FOR_EVER)


@router.get("/made")
def made_mesh(ctx: Ctx, wanted: Annotated[MadeShape, Query()]) -> Response:
    """The mesh of a made shape; never changes for its measures."""
    data = pack_meshes(in_parts(build_standin(wanted.made, ctx.studio.assets.get)))
    return Response(data, media_type="application/octet-stream", headers=_FOR_EVER)


@router.get("/assets/{asset}/pose")
def pose(ctx: Ctx, asset: str, acting: Annotated[str, Query(pattern=_ACTING, max_length=200)]) -> Response:
    """Where the vertices of the stand-in are while it does something; never changes either.

    acting: number, seconds and share of each animation, as `0:1.25:0.5,1:0:0.5`.
    """
    parts = (part.split(":") for part in acting.split(","))
    data = ctx.puppets.pose(asset, tuple((int(number), float(s), float(share)) for number, s, share in parts))
    return Response(data, media_type="application/octet-stream", headers=_FOR_EVER)


@router.get("/gobo.png", response_class=Response)
def gobo(
    ctx: Ctx,
    gobo: Annotated[str, Query(max_length=30_000)],
    wide: Annotated[float, Query(gt=0, le=1e6)],
    roll_deg: Annotated[float, Query(ge=-3600, le=3600)],
) -> Response:
    """A gobo as it lies in a beam that opens by 45° to each side; `gobo` is it as documents hold it."""
    try:
        wanted = Gobo.model_validate_json(gobo)
    except ValidationError as error:
        raise ChangeError("That is no gobo.") from error
    _, get = gobo_picture(wanted, 0)
    buffer = io.BytesIO()
    Image.fromarray(in_beam(get(ctx.studio.assets.get), wanted, wide, roll_deg)).save(buffer, "PNG")
    return Response(buffer.getvalue(), media_type="image/png", headers=_FOR_EVER)


class Liquid(Filling):
    """Request for the mesh of a liquid."""

    stance: Json[Placement]
    """of the item, which may be dragged and not be saved yet"""


@router.get("/projects/{project_id}/items/{item_id}/liquid/{shape}")
def liquid_mesh(ctx: Ctx, project_id: str, item_id: str, shape: str, wanted: Annotated[Liquid, Query()]) -> Response:
    """Mesh of the liquid in an item, in the space of its file.

    shape: the `hollow_key` of the item; the answer never changes as long as that is what it says.
    """
    item = ctx.studio.projects.get(project_id).project.item(item_id)
    if item is None or item.filling is None:
        raise NotFoundError("There is no liquid in that item.")
    filling = Filling(level=wanted.level, meniscus_m=wanted.meniscus_m)
    item = revise(item, filling=filling, placement=wanted.stance.stance)
    with ctx.lens.borrowed() as (compiler, _):
        mesh = compiler.filling_mesh(item)
    back = np.linalg.inv(placement_matrix(item.placement)).astype(np.float64)
    return Response(
        pack_meshes([(mesh.transformed(back), len(item.parts) - 1)]),
        media_type="application/octet-stream",
        headers=_FOR_EVER if hollow_key(item) == shape else {"cache-control": "no-store"},
    )


class Wanted(BaseModel):
    """Request for the poses of copies."""

    copies: Json[Copies]
    """of the item, which may be dragged and not be saved yet"""


@router.get("/projects/{project_id}/items/{item_id}/copies/{key}")
def poses_of_copies(ctx: Ctx, project_id: str, item_id: str, key: str, wanted: Annotated[Wanted, Query()]) -> Response:
    """Prototypes of a copied item and the poses of their copies, seen from the item's own place.

    Little endian: uint32 length of the header, JSON header {prototypes: [{made, variant, colours, count}, …], all},
    float32 poses (count, 12) of each. Of a great many, some are left out; `all` is how many there are.
    key: the `copies_key` of the item; the answer never changes as long as that is what it says.
    """
    project = ctx.studio.projects.get(project_id).project
    item = project.item(item_id)
    if item is None or item.copies is None:
        raise NotFoundError("That item has no copies.")
    known = copies_key(project, item) == key
    project = put_all(project, {f"items/{item_id}/copies": wanted.copies})
    here = moment_of_first(project)
    item = next((x for x in here.items if x.id == item_id), None)
    if item is None:
        raise NotFoundError("That item is not on the set.")
    with ctx.lens.borrowed() as (compiler, _):
        copied = compiler.copied(here, item)
    everything = sum(len(c.poses) for c in copied)
    step = max(1, -(-everything // MOST_SHOWN))
    poses = [np.ascontiguousarray(c.poses[::step], "<f4") for c in copied]
    prototypes = [_prototype(here, item, c.prototype) | {"count": len(p)} for c, p in zip(copied, poses, strict=True)]
    header = json.dumps({"prototypes": prototypes, "all": everything}).encode()
    header += b" " * (-len(header) % 4)
    data = b"".join([struct.pack("<I", len(header)), header, *(p.tobytes() for p in poses)])
    return Response(
        data, media_type="application/octet-stream", headers=_FOR_EVER if known else {"cache-control": "no-store"}
    )


def _prototype(here: Moment, item: Item, number: int) -> dict[str, Any]:
    """A prototype: address of its mesh, colourway, and colours of its parts where they are tinted."""
    worn = derive(item, **prototype_values(item, number))
    tinted = {m.id: m.base_color for of, k, m in tints(here) if (of, k) == (item.id, number)}
    return {
        "standin": standin_url(worn),
        "variant": worn.variant_id,
        "colours": [tinted.get(w.material) for w in worn.variant.parts],
    }


@router.get("/projects/{project_id}/set")
def set_mesh(ctx: Ctx, project_id: str) -> Response:
    """Sweep (part 0) and disc (part 1) for the stand-in."""
    stage = ctx.studio.projects.get(project_id).project.set
    pieces = [(build_sweep(stage.sweep, 64), 0)] if stage.sweep.on else []
    pieces += [(build_disc(stage.disc, 96), 1)] if stage.disc.on else []
    return Response(pack_meshes(pieces), media_type="application/octet-stream")
