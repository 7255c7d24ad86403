"""JSON and pictures of the screening room: frames as they are finished, scopes, comparing, notes."""

import base64
import io
import re
from dataclasses import asdict
from functools import partial
from typing import Annotated, Literal

import numpy as np
from fastapi import APIRouter, Depends, Path, Query, Request, Response
from numpy.typing import NDArray
from PIL import Image
from pydantic import BaseModel, Field

from ...app.shared_work import IsUnwanted
from ...core.errors import ShootError
from ...core.picture.compare import MOST_PX, Difference, difference, signed_difference
from ...core.picture.finishing import Finishing
from ...core.picture.scopes import false_colours, histogram, parade, peaking, vectorscope, waveform
from ...core.picture.view_transform import over, to_bytes
from ...shoot.finish.masters import average_areas, finish_frame, light_of, why_not_gradable
from ...shoot.frames.pass_files import depth_of
from ...store import TakeRecord
from ..context import Context, context
from .grades import check_finishing

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
Number = Annotated[int, Path(ge=0, le=2_000_000)]
Width = Annotated[int | None, Query(ge=16, le=8192)]
State = Annotated[int | None, Query(ge=0, le=2_000_000)]
"""of a take's finish; none: as it stands"""
ShareOf = Annotated[float, Query(ge=0, le=1)]
MAT = 0.46
"""the grey over which what is transparent is looked at, as shown"""
SCOPES_PX = 640
"""Scopes are measured on pictures of this width: averages keep what they show, and take no time."""
Overlay = Literal["picture", "false colour", "peaking", "clipping"]
BURNT_MARK, CRUSHED_MARK, SHARP_MARK = (255, 60, 40), (60, 110, 255), (255, 215, 60)


class TriedFinish(BaseModel):
    """A grade that is being tried."""

    finishing: Finishing
    width: Annotated[int, Field(ge=16, le=8192)] = 960
    overlay: Overlay = "picture"


class ScopesAnswer(BaseModel):
    """Scopes of a frame; pictures as PNG in base64."""

    waveform: str
    parade: str
    vectorscope: str
    histogram: list[list[int]]
    """red, green, blue, luma"""
    burnt: tuple[float, float, float]
    crushed: tuple[float, float, float]
    middle: float


class LoupeAnswer(BaseModel):
    """One place of a frame."""

    linear: tuple[float, float, float]
    """before the grade"""
    stops: float | None
    """of its luminance about middle grey; None of black"""
    shown: tuple[int, int, int]
    """as it is shown, 0…255"""
    alpha: float


class DepthAnswer(BaseModel):
    depth_m: float | None
    """along the camera's axis; None where nothing is"""


class DifferenceAnswer(BaseModel):
    sentence: str
    mean: float
    p99: float
    ssim: float
    flip: float


@router.get("/takes/{take_id}/shown/{number}")
def shown_frame(
    ctx: Ctx, take_id: str, number: Number, width: Width = None, overlay: Overlay = "picture", state: State = None
) -> Response:
    """A frame as the take is finished, or was in an earlier state, no wider than `width`."""
    take = ctx.studio.takes.get(take_id)
    return _picture(ctx, take, number, _finishing(ctx, take, state), width, overlay)


def _finishing(ctx: Context, take: TakeRecord, state: int | None) -> Finishing:
    screening = ctx.studio.screening
    return screening.finish(take).finishing if state is None else screening.stood(take, state)


@router.post("/takes/{take_id}/shown/{number}")
def tried_frame(ctx: Ctx, take_id: str, number: Number, tried: TriedFinish) -> Response:
    """A frame in a grade that is being tried."""
    take = ctx.studio.takes.get(take_id)
    check_finishing(ctx, take, tried.finishing)
    return _picture(ctx, take, number, tried.finishing, tried.width, tried.overlay)


def _picture(
    ctx: Context, take: TakeRecord, number: int, finishing: Finishing, width: int | None, overlay: Overlay
) -> Response:
    display = finish_frame(take, number, finishing, ctx.masters, ctx.studio.assets.get, width)
    pixels = to_bytes(display)
    if overlay == "false colour" and why_not_gradable(take) is None:
        pixels = false_colours(light_of(take, number, finishing, ctx.masters, width)[0])
    elif overlay == "peaking":
        pixels = _marked(pixels, {SHARP_MARK: peaking(over(display, MAT))})
    elif overlay == "clipping":
        rgb = pixels[..., :3]
        pixels = _marked(pixels, {BURNT_MARK: (rgb == 255).any(axis=2), CRUSHED_MARK: (rgb == 0).all(axis=2)})
    return picture_response(pixels, width is None)


def _marked(pixels: NDArray[np.uint8], marks: dict[tuple[int, int, int], NDArray[np.bool_]]) -> NDArray[np.uint8]:
    """Places of a darker, greyer picture in colours."""
    out = (pixels[..., :3].mean(axis=2, keepdims=True) * 0.6).astype(np.uint8).repeat(3, axis=2)
    for colour, where in marks.items():
        out[where] = colour
    return out


def picture_response(pixels: NDArray[np.uint8], exact: bool) -> Response:
    """A picture (h, w, 3 or 4): as PNG where every value counts or something is transparent, otherwise as JPEG."""
    buffer = io.BytesIO()
    if exact or pixels.shape[2] == 4:
        Image.fromarray(pixels).save(buffer, "PNG", compress_level=1)
        return Response(buffer.getvalue(), media_type="image/png", headers=_KEPT)
    Image.fromarray(pixels).save(buffer, "JPEG", quality=92, subsampling=0)
    return Response(buffer.getvalue(), media_type="image/jpeg", headers=_KEPT)


_KEPT = {"cache-control": "private, max-age=86400"}
"""Addresses of frames name the state of the grade and of the frame, so what they give stays the same."""


@router.post("/takes/{take_id}/scopes/{number}")
async def scopes(ctx: Ctx, request: Request, take_id: str, number: Number, tried: TriedFinish) -> ScopesAnswer:
    """Scopes of a frame in a grade."""
    key = ("scopes", take_id, number, tried.model_dump_json())
    return await ctx.eyes.answer(request, key, partial(_scopes, ctx, take_id, number, tried))


def _scopes(ctx: Context, take_id: str, number: int, tried: TriedFinish, _: IsUnwanted) -> ScopesAnswer:
    take = ctx.studio.takes.get(take_id)
    check_finishing(ctx, take, tried.finishing)
    width = min(tried.width, SCOPES_PX)
    shown = over(finish_frame(take, number, tried.finishing, ctx.masters, ctx.studio.assets.get, width), MAT)
    found = histogram(shown)
    return ScopesAnswer(
        waveform=_png(waveform(shown)),
        parade=_png(parade(shown)),
        vectorscope=_png(vectorscope(shown)),
        histogram=found.counts.tolist(),
        burnt=found.burnt,
        crushed=found.crushed,
        middle=found.middle,
    )


def _png(pixels: NDArray[np.uint8]) -> str:
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "PNG", compress_level=1)
    return base64.b64encode(buffer.getvalue()).decode()


@router.get("/takes/{take_id}/loupe/{number}")
def loupe(ctx: Ctx, take_id: str, number: Number, x: ShareOf, y: ShareOf) -> LoupeAnswer:
    """Values at a place of a frame, in shares of the picture from its top left."""
    take = ctx.studio.takes.get(take_id)
    if (why := why_not_gradable(take)) is not None:
        raise ShootError(why)
    finishing = ctx.studio.screening.finish(take).finishing
    display = finish_frame(take, number, finishing, ctx.masters, ctx.studio.assets.get)
    h, w = display.shape[:2]
    row, column = min(int(y * h), h - 1), min(int(x * w), w - 1)
    red, green, blue = (int(v) for v in to_bytes(display[row, column, :3]))
    alpha = float(display[row, column, 3]) if display.shape[2] == 4 else 1.0
    r, g, b = (float(v) for v in light_of(take, number, finishing, ctx.masters)[0][row, column])
    luminance = 0.2126 * r + 0.7152 * g + 0.0722 * b
    stops = float(np.log2(luminance / 0.18)) if luminance > 0 else None
    return LoupeAnswer(linear=(r, g, b), stops=stops, shown=(red, green, blue), alpha=alpha)


@router.get("/takes/{take_id}/depth/{number}")
def depth_at(ctx: Ctx, take_id: str, number: Number, x: ShareOf, y: ShareOf) -> DepthAnswer:
    """Depth at a place of a frame, in shares of the picture from its top left."""
    take = ctx.studio.takes.get(take_id)
    if "depth" not in take.project.shot.shoot.passes.wanted:
        raise ShootError("This take has no depth; shoot it with that pass.")
    depth = depth_of(take, number)
    h, w = depth.shape
    there = float(depth[min(int(y * h), h - 1), min(int(x * w), w - 1)])
    return DepthAnswer(depth_m=there or None)


@router.get("/takes/{take_id}/against/{other_id}/{number}")
def against(
    ctx: Ctx,
    take_id: str,
    other_id: str,
    number: Number,
    width: Width = None,
    gain: Annotated[float, Query(ge=0.1, le=100)] = 4.0,
) -> Response:
    """Difference of another take in a frame: grey where it is the same, brighter where it is brighter."""
    a, b = _two(ctx, take_id, other_id, number, width)
    return picture_response(to_bytes(signed_difference(a, b, gain)), False)


@router.get("/takes/{take_id}/against/{other_id}/{number}/figures")
def figures(ctx: Ctx, take_id: str, other_id: str, number: Number) -> DifferenceAnswer:
    """Figures of the difference to another take in a frame."""
    found: Difference = difference(*_two(ctx, take_id, other_id, number, MOST_PX))
    return DifferenceAnswer(sentence=found.sentence, **asdict(found))


def _two(
    ctx: Context, take_id: str, other_id: str, number: int, width: int | None
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """A frame of two takes, of equal size. `state-0` is the take itself as it was shot, `state-3` as it was later."""
    take, state = ctx.studio.takes.get(take_id), None
    if found := re.fullmatch(r"state-(\d{1,9})", other_id):
        other, state = take, int(found[1])
    else:
        other = ctx.studio.takes.get(other_id)
    graded = _finishing(ctx, take, None), _finishing(ctx, other, state)
    pictures = [
        over(finish_frame(x, number, f, ctx.masters, ctx.studio.assets.get, width), MAT)
        for x, f in zip((take, other), graded, strict=True)
    ]
    narrow = min(p.shape[1] for p in pictures)
    a, b = (average_areas(p, narrow) for p in pictures)
    if a.shape != b.shape:
        raise ShootError("The frames of these takes have another shape; they can be seen side by side, not subtracted.")
    return a, b
