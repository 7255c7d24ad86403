"""JSON: what checks of a take find, and shooting frames again."""

from typing import Annotated

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field, ValidationError

from ...app import takes as take_service
from ...app.checks import CheckOf
from ...app.take_answers import TakeAnswer, take_answer
from ...core.scene.shoot import Again
from ...core.sequence.checks import Checked
from ...shoot.finish.checking import source_of
from ...shoot.run.reshoot import in_words
from ..context import Context, context
from .answers import LaneState
from .floor_state import lanes_of
from .jobs import JobAnswer

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
Frame = Annotated[int, Field(ge=0, le=2_000_000)]


class ChecksAnswer(BaseModel):
    """Findings of the latest checks of a take."""

    checked: Checked | None
    """None before the first"""
    current: bool
    """true when they were made of the frames and the grade as they are"""
    otherwise: str | None
    """frames that were shot otherwise than the take"""
    pending: list[int]
    """frames that wait to be shot again"""


class TakeLanes(BaseModel):
    """Measurements of a take's move."""

    first: int
    frames: int
    lanes: list[LaneState]


class AgainCall(BaseModel):
    frames: Annotated[tuple[Frame, ...], Field(min_length=1, max_length=100_000)]
    how: Again = Again()


@router.get("/takes/{take_id}/checks")
def checks(ctx: Ctx, take_id: str) -> ChecksAnswer:
    """Findings of a take, and whether they still hold."""
    take = ctx.studio.takes.get(take_id)
    kept = ctx.studio.screening.checked(take_id)
    checked = None
    if kept is not None:
        try:
            checked = Checked.model_validate_json(kept[1])
        except ValidationError:  # written by another version: they are made anew
            kept = None
    current = kept is not None and kept[0] == source_of(take, ctx.studio.screening.finish(take).finishing, ctx.studio)
    return ChecksAnswer(checked=checked, current=current, otherwise=in_words(take), pending=sorted(take.pending))


@router.get("/takes/{take_id}/lanes")
def lanes(ctx: Ctx, take_id: str) -> TakeLanes:
    """Measurements of the move in every frame, of the shot as it was when the take was called."""
    take = ctx.studio.takes.get(take_id)
    shot = take.project.shot
    return TakeLanes(first=shot.first_frame, frames=shot.frames, lanes=lanes_of(ctx.studio, take.project))


@router.post("/takes/{take_id}/checks")
def check(ctx: Ctx, take_id: str) -> JobAnswer:
    """Look at all frames in the background."""
    take = ctx.studio.takes.get(take_id)
    return JobAnswer.of(ctx.work.ask("check", take.id, f"Checks of {take.name}", CheckOf(take_id=take.id)))


@router.post("/takes/{take_id}/again")
def again(ctx: Ctx, take_id: str, call: AgainCall) -> TakeAnswer:
    """Shoot frames again into the take; what is there of them stays until the new ones are."""
    return take_answer(take_service.shoot_again(ctx.studio, take_id, list(call.frames), call.how))
