"""The shelf of environments: those made by the program, and those that this project has already."""

import io
from typing import Annotated

from fastapi import APIRouter, Depends
from fastapi import Path as PathParameter
from fastapi.responses import Response
from PIL import Image
from pydantic import BaseModel

from ..core.picture.linear import read_linear
from ..core.picture.view import to_bytes, to_display
from ..core.scene import Project
from .context import Context, context

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
Key = Annotated[str, PathParameter(pattern=r"^[0-9a-f]{32}$")]
THUMB_WIDTH, DIM = 192, 0.55


class Surroundings(BaseModel):
    """An environment on the shelf."""

    name: str
    asset: str
    made: bool
    """by the program"""


def _own(project: Project) -> dict[str, str]:
    """What the looks of a project have, by asset."""
    return {
        look.environment.asset: look.environment.source_name for look in project.looks if look.environment.asset
    }  # fmt: skip


@router.get("/projects/{project_id}/environments")
def shelf(ctx: Ctx, project_id: str) -> list[Surroundings]:
    """The project's own, then those made by the program."""
    project = ctx.studio.projects.get(project_id).project
    made = ctx.environments.assets()
    own = {asset: name for asset, name in _own(project).items() if asset not in made.values()}
    return [Surroundings(name=name or "Picture", asset=asset, made=False) for asset, name in own.items()] + [
        Surroundings(name=kind.capitalize(), asset=asset, made=True) for kind, asset in made.items()
    ]


@router.get("/environments/{asset}.jpg", response_class=Response)
def thumbnail(ctx: Ctx, asset: Key) -> Response:
    """An environment unrolled, small."""
    picture = read_linear(ctx.studio.assets.get(asset), "environment")
    step = max(1, picture.shape[1] // THUMB_WIDTH)
    small = picture[: picture.shape[0] // step * step, : picture.shape[1] // step * step]
    small = small.reshape(small.shape[0] // step, step, small.shape[1] // step, step, 3).mean(axis=(1, 3))
    buffer = io.BytesIO()
    Image.fromarray(to_bytes(to_display(DIM * small, "neutral"))).save(buffer, "JPEG", quality=85)
    return Response(buffer.getvalue(), media_type="image/jpeg",
                    headers={"Cache-Control": "private, max-age=31536000, immutable"})  # fmt: skip
