"""The shelf of environments: those made by the program, and those that this project has already."""

import io
from functools import lru_cache
from typing import Annotated

import numpy as np
from fastapi import APIRouter, Depends, Query
from fastapi import Path as PathParameter
from fastapi.responses import Response
from PIL import Image
from pydantic import BaseModel, ValidationError

from ...core.arrays import RGBImage
from ...core.colour import LUMA
from ...core.commands.surroundings import (
    NO_REGION,
    MakeStudio,
    Pick,
    Resize,
    SurroundingsEdit,
    edit_environment,
    with_picked_light,
    with_surroundings,
)
from ...core.errors import ChangeError
from ...core.geometry.cache_keys import content_hash
from ...core.light.environment_edit import region_at, resize_environment, solid_angles, sun_of
from ...core.light.sky import sky_picture
from ...core.picture.exr import encode_exr
from ...core.picture.linear import read_linear
from ...core.picture.view_transform import to_bytes, to_display
from ...core.scene import Project, Sky
from ...store.assets import AssetStore
from ..context import Context, context
from .answers import NEVER_CHANGES, ProjectState
from .floor_state import project_state

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
Key = Annotated[str, PathParameter(pattern=r"^[0-9a-f]{32}$")]
MIRRORED_ROWS = 128
THUMB_WIDTH, MOST_WIDTH, DIM = 192, 1024, 0.55
MOST_EDITED = 4096 * 2048
"""Larger pictures are edited after they were made smaller."""


class Surroundings(BaseModel):
    """An environment on the shelf."""

    name: str
    asset: str
    made: bool
    """by the program"""


def _own(project: Project) -> dict[str, str]:
    """Environments of a project's looks, by asset."""
    return {look.environment.asset: look.environment.source_name for look in project.looks if look.environment.asset}


@router.get("/projects/{project_id}/environments")
def shelf(ctx: Ctx, project_id: str) -> list[Surroundings]:
    """The project's own, then those made by the program."""
    project = ctx.studio.projects.get(project_id).project
    made = ctx.environments.assets()
    own = {asset: name for asset, name in _own(project).items() if asset not in made.values()}
    return [Surroundings(name=name or "Picture", asset=asset, made=False) for asset, name in own.items()] + [
        Surroundings(name=kind.capitalize(), asset=asset, made=True) for kind, asset in made.items()
    ]


class SeenRegion(BaseModel):
    """A bright place of surroundings; shares of the picture from the top left."""

    x: float
    y: float
    across_deg: float
    down_deg: float
    whites: float
    """its brightness, 1 is 1000 nit"""
    share: float
    """of all the light of the picture"""


class SeenEnvironment(BaseModel):
    """Facts about an environment picture."""

    width: int
    height: int
    brightest: SeenRegion | None


@router.get("/environments/{asset}.jpg", response_class=Response)
def thumbnail(
    ctx: Ctx,
    asset: Key,
    width: Annotated[int, Query(ge=16, le=MOST_WIDTH)] = THUMB_WIDTH,
    stops: Annotated[float, Query(ge=-16, le=16)] = 0.0,
) -> Response:
    """An environment unrolled, at most so wide, by some stops brighter or darker."""
    _, picture = _looked_at(ctx.studio.assets, asset)
    small = _reduced(picture, max(1, picture.shape[1] // width))
    buffer = io.BytesIO()
    shown = to_display((DIM * 2.0**stops * small).astype(np.float32), "neutral")
    Image.fromarray(to_bytes(shown)).save(buffer, "JPEG", quality=85)
    return Response(buffer.getvalue(), media_type="image/jpeg", headers=NEVER_CHANGES)


@router.get("/environments/{asset}/seen")
def describe_picture(ctx: Ctx, asset: Key) -> SeenEnvironment:
    """Its size, and its brightest region: a sun, a window, a lamp."""
    (width, height), picture = _looked_at(ctx.studio.assets, asset)
    return SeenEnvironment(width=width, height=height, brightest=_region(picture, *sun_of(picture)))


@router.get("/environments/{asset}/region")
def region(
    ctx: Ctx, asset: Key, x: Annotated[float, Query(ge=0, le=1)], y: Annotated[float, Query(ge=0, le=1)]
) -> SeenRegion:
    """The bright region at a place of the unrolled picture."""
    found = _region(_looked_at(ctx.studio.assets, asset)[1], x, y)
    if found is None:
        raise ChangeError(NO_REGION)
    return found


@router.get("/environments/{asset}.half", response_class=Response)
def reflection(ctx: Ctx, asset: Key) -> Response:
    """It as the stand-in mirrors it: 256 by 128 pixels of four half floats, from the top left."""
    return _in_halves(_looked_at(ctx.studio.assets, asset)[1])


@router.get("/sky.half", response_class=Response)
def mirrored_sky(sky: Annotated[str, Query(max_length=2000)]) -> Response:
    """The same of a sky model."""
    try:
        return _in_halves(sky_picture(Sky.model_validate_json(sky)))
    except ValidationError as error:
        raise ChangeError("That is no sky.") from error


def _in_halves(picture: RGBImage) -> Response:
    pixels = np.ones((MIRRORED_ROWS, 2 * MIRRORED_ROWS, 4), np.float16)
    pixels[..., :3] = np.clip(
        resize_environment(np.nan_to_num(picture, posinf=65504.0, neginf=0.0), MIRRORED_ROWS), 0.0, 65504.0
    )
    return Response(pixels.tobytes(), media_type="application/octet-stream", headers=NEVER_CHANGES)


class Edited(BaseModel):
    """An edit of the surroundings of the open shot's look."""

    base_version: int
    edit: SurroundingsEdit


@router.post("/projects/{project_id}/environment/edited")
def edit(ctx: Ctx, project_id: str, wanted: Edited) -> ProjectState:
    """Edit the picture that the open shot's look is lit with; what comes of it is a picture of its own."""
    project = ctx.studio.projects.get(project_id).project
    environment = project.look.environment
    before = np.zeros((2, 4, 3), np.float32)
    if not isinstance(wanted.edit, MakeStudio):
        if environment.asset is None or environment.kind != "picture":
            raise ChangeError("There is no picture to edit: choose an environment first.")
        before = read_linear(ctx.studio.assets.get(environment.asset), "environment")
        if before.shape[0] * before.shape[1] > MOST_EDITED and not isinstance(wanted.edit, Resize):
            raise ChangeError("That picture is larger than 4096×2048. Give it a smaller size first, then edit it.")
    after, what, region = edit_environment(before, wanted.edit)
    data = encode_exr(after)
    key = content_hash(data)
    ctx.studio.assets.put(key, data)
    name = what.capitalize() if isinstance(wanted.edit, MakeStudio) else _named(environment.source_name, what)

    def change(project: Project) -> Project:
        changed = with_surroundings(project, key, name)
        picks = isinstance(wanted.edit, Pick) and region is not None
        return with_picked_light(changed, before, after, region) if picks and region else changed

    saved = ctx.studio.projects.edit(project_id, wanted.base_version, f"Environment: {what}", change)
    return project_state(ctx.studio, saved)


def _named(name: str, what: str) -> str:
    base = name.split(" · ")[0] or "Picture"
    return f"{base} · {what}"[:80]


@lru_cache(maxsize=8)
def _looked_at(assets: AssetStore, asset: str) -> tuple[tuple[int, int], RGBImage]:
    """Width and height of a picture, and the picture small enough to be looked at several times in a row."""
    picture = read_linear(assets.get(asset), "environment")
    step = max(1, -(-picture.shape[1] // MOST_WIDTH))
    return (picture.shape[1], picture.shape[0]), _reduced(picture, step)


def _reduced(picture: RGBImage, step: int) -> RGBImage:
    """Every pixel the mean of `step` by `step`."""
    rows, columns = picture.shape[0] // step, picture.shape[1] // step
    cut = picture[: rows * step, : columns * step].reshape(rows, step, columns, step, 3)
    return np.asarray(cut.mean(axis=(1, 3), dtype=np.float64), np.float32)


def _region(picture: RGBImage, x: float, y: float) -> SeenRegion | None:
    found = region_at(picture, x, y)
    if found is None:
        return None
    luminance = picture.astype(np.float64) @ LUMA
    light = luminance * solid_angles(*luminance.shape)
    return SeenRegion(
        x=found.x,
        y=found.y,
        across_deg=found.across_deg,
        down_deg=found.down_deg,
        whites=float(luminance[found.mask].mean()),
        share=float(light[found.mask].sum() / max(light.sum(), 1e-30)),
    )
