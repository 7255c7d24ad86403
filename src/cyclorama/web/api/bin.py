"""The bin: what lies in it, bringing back, deleting for good."""

from typing import Annotated

from fastapi import APIRouter, Depends
from pydantic import BaseModel

from ...app.bin import BinKind, BinLine, bin_lines, delete, delete_all, put_back
from ...core.scene.base import Id
from ..context import Context, context
from .answers import Removed

router = APIRouter(prefix="/api/bin")
Ctx = Annotated[Context, Depends(context)]


class Emptied(BaseModel):
    """Room that is free by emptying the bin."""

    bytes: int


@router.get("")
def lines(ctx: Ctx) -> list[BinLine]:
    """Everything in the bin, the last removed first."""
    return bin_lines(ctx.studio)


@router.post("/{kind}/{identity}/back", status_code=204)
def back(ctx: Ctx, kind: BinKind, identity: Id) -> None:
    """Bring a thing back whole."""
    put_back(ctx.studio, kind, identity)


@router.delete("/{kind}/{identity}")
def remove(ctx: Ctx, kind: BinKind, identity: Id) -> Removed:
    """Delete a thing in the bin for good."""
    delete(ctx.studio, kind, identity)
    return Removed()


@router.delete("")
def empty(ctx: Ctx) -> Emptied:
    """Delete everything in the bin for good."""
    return Emptied(bytes=delete_all(ctx.studio))
