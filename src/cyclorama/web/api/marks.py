"""Marks: drawings that become solid bodies."""

from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel

from ...app.confined import look_at
from ...core.commands.made_items import MarkPiece
from ...core.geometry.cache_keys import content_hash
from ...core.geometry.outlines import Outlines
from ...core.geometry.read.svg import read_svg
from ...core.scene.made import Mark
from ..context import Context, context
from ..uploads import BODY, made_of_file

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]


class KeptMark(BaseModel):
    """A drawing as `add_mark` takes it, with sentences about what was left out of it."""

    mark: Mark
    pieces: list[MarkPiece]
    notes: list[str]


@router.post("/projects/{project_id}/marks", openapi_extra=BODY)
async def bring_mark(ctx: Ctx, project_id: str, request: Request) -> KeptMark:
    """Keep the outlines of an SVG file; a change then puts them on the set."""
    ctx.studio.projects.get(project_id)
    return await made_of_file(request, ctx.studio.folder, _keep_mark, ctx)


def _keep_mark(ctx: Context, name: str, path: Path) -> KeptMark:
    data, notes = look_at(examine_drawing, path, name)
    outlines = Outlines.from_bytes(data)
    asset = content_hash(data)
    ctx.studio.assets.put(asset, data)
    return KeptMark(
        mark=Mark(outlines=asset, aspect=min(outlines.aspect, 1e4), source_name=name[-80:]),
        pieces=[MarkPiece(name=piece.name, colour=piece.colour) for piece in outlines.pieces],
        notes=notes,
    )


def examine_drawing(path: Path, name: str) -> tuple[bytes, list[str]]:
    """Outlines of a drawing as they are kept, and sentences about what was left out. Raises IntakeError."""
    outlines, notes = read_svg(name, path.read_bytes())
    return outlines.to_bytes(), notes
