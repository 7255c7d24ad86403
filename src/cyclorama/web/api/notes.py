"""JSON of notes that are pinned to frames."""

from typing import Annotated

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field

from ...store.screening import Mark, Note
from ..context import Context, context
from .answers import Removed

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]


class NoteCall(BaseModel):
    frame: Annotated[int, Field(ge=0, le=2_000_000)]
    text: Annotated[str, Field(min_length=1, max_length=2000)]
    mark: Mark = ()


class NoteChange(BaseModel):
    text: Annotated[str | None, Field(min_length=1, max_length=2000)] = None
    done: bool | None = None
    revision: Annotated[int, Field(ge=0, le=2_000_000_000)]
    """of the note that is changed"""


@router.get("/takes/{take_id}/notes")
def notes(ctx: Ctx, take_id: str) -> list[Note]:
    """Notes of a take."""
    ctx.studio.takes.state(take_id)
    return ctx.studio.screening.notes(take_id)


@router.post("/takes/{take_id}/notes")
def pin(ctx: Ctx, take_id: str, call: NoteCall) -> Note:
    """Pin a note to a frame."""
    return ctx.studio.screening.pin(take_id, call.frame, call.text.strip() or call.text, call.mark)


@router.patch("/takes/{take_id}/notes/{note_id}")
def change_note(ctx: Ctx, take_id: str, note_id: str, change: NoteChange) -> Note:
    """Change a note, or mark it as done."""
    return ctx.studio.screening.change_note(take_id, note_id, change.revision, change.text, change.done)


@router.delete("/takes/{take_id}/notes/{note_id}")
def remove_note(ctx: Ctx, take_id: str, note_id: str) -> Removed:
    """Remove a note."""
    ctx.studio.screening.remove_note(take_id, note_id)
    return Removed()
