"""Pictures of passes and mixes of a take, and matching it to a reference."""

from pathlib import Path as FilePath
from typing import Annotated

import numpy as np
from fastapi import APIRouter, Depends, Query, Request, Response
from numpy.typing import NDArray
from pydantic import BaseModel

from ...app.confined import look_at
from ...core.errors import ShootError
from ...core.picture.matching import match_reference
from ...core.picture.view_transform import to_bytes
from ...core.picture_files import decode_picture
from ...core.scene.writing import revise
from ...shoot.finish.masters import finish_frame, why_not_gradable
from ...shoot.finish.pass_pictures import pass_picture
from ..context import Context, context
from ..uploads import made_of_file
from .grades import FinishAnswer, Revision, finish_answer
from .screening import Number, Width, picture_response

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
MATCH_PX = 320


class MatchAnswer(BaseModel):
    """Result of matching a take to a reference."""

    sentence: str
    finish: FinishAnswer


@router.get("/takes/{take_id}/views/{name}/{number}")
def view(
    ctx: Ctx,
    take_id: str,
    name: str,
    number: Number,
    width: Width = None,
    amount: Annotated[float, Query(ge=0, le=1)] = 1.0,
) -> Response:
    """A pass, or a mix of the picture with one; `amount` of it."""
    take = ctx.studio.takes.get(take_id)
    finishing = ctx.studio.screening.finish(take).finishing
    picture = pass_picture(take, name, number, finishing, ctx.masters, ctx.studio.assets.get, width, amount)
    return picture_response(to_bytes(picture), width is None)


@router.post("/takes/{take_id}/match/{number}")
async def match(ctx: Ctx, take_id: str, number: Number, revision: Revision, request: Request) -> MatchAnswer:
    """Bring exposure and white of a take to those of a reference picture, and say what that was."""
    return await made_of_file(request, ctx.studio.folder, _match, ctx, take_id, number, revision)


def _match(ctx: Context, take_id: str, number: int, revision: int, name: str, path: FilePath) -> MatchAnswer:
    take = ctx.studio.takes.get(take_id)
    if (why := why_not_gradable(take)) is not None:
        raise ShootError(why)
    reference = look_at(examine_reference, path, name)
    here = ctx.studio.screening.finish(take).finishing
    shown = finish_frame(take, number, here, ctx.masters, ctx.studio.assets.get, MATCH_PX)[..., :3]
    grade, sentence = match_reference(here.grade, shown, reference)
    new = revise(here, grade=grade)
    found = ctx.studio.screening.set_finish(take, new, f"Match to {name[:60]}", revision)
    return MatchAnswer(sentence=sentence, finish=finish_answer(ctx, take, found))


def examine_reference(path: FilePath, name: str) -> NDArray[np.float32]:
    """A reference picture (h, w, 3), display values 0…1, no wider than what is matched. Raises IntakeError."""
    picture = decode_picture(path.read_bytes(), name)[..., :3]
    step = max(1, picture.shape[1] // MATCH_PX)
    return np.asarray(picture[::step, ::step], np.float32) / 255.0
