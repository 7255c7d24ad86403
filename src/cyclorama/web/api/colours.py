"""Colours: what they are in every space, the planes of the colour picker, and what is taken from a picture."""

import io
from functools import lru_cache
from typing import Annotated

import numpy as np
from fastapi import APIRouter, Depends, Query
from fastapi import Path as PathParameter
from fastapi.responses import Response
from PIL import Image
from pydantic import BaseModel

from ...core.colour_difference import lab_of, parse_colour, rgb_of
from ...core.colour_spaces import can_be_shown, main_colours, nearest_shown, oklch_of, plane
from ...core.commands.base import PicturePoint
from ...core.errors import ChangeError
from ...core.motion import moment
from ...core.picture.view_transform import srgb_encode, to_bytes
from ...core.picture_files import decode_picture
from ...core.render.film.picking import PickProbe
from ...core.textures import srgb_to_linear
from ..context import Context, context
from .answers import NEVER_CHANGES

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
Key = Annotated[str, PathParameter(pattern=r"^[0-9a-f]{32}$")]
PLANE = (132, 108)
LOOKED_AT, SAMPLED = 1024, 96
"""Longest side of a picture that is looked at, and of one whose main colours are found."""
MAIN_COLOURS = 6
AROUND = 2
"""A colour is the mean over so many pixels to each side."""


class ColourTold(BaseModel):
    """A colour in every space."""

    linear: tuple[float, float, float]
    """Rec.709, as documents hold it"""
    digits: str
    """as a display shows it, #rrggbb"""
    lab: tuple[float, float, float]
    oklch: tuple[float, float, float]
    beyond: bool
    """what was asked for is none that a display can show: this is the nearest of its hue and lightness"""


def _told(rgb: np.ndarray, beyond: bool = False) -> ColourTold:
    rgb = np.clip(np.asarray(rgb, np.float64), 0.0, 1.0)
    shown = to_bytes(srgb_encode(rgb.astype(np.float32).reshape(1, 1, 3)))[0, 0]
    rounded = [[round(float(x), 5) for x in values] for values in (rgb, lab_of(rgb), oklch_of(rgb))]
    return ColourTold.model_validate(
        {
            "linear": rounded[0],
            "lab": rounded[1],
            "oklch": rounded[2],
            "digits": "#" + shown.tobytes().hex(),
            "beyond": beyond,
        }
    )


@router.get("/colours/told")
def as_told(colour: Annotated[str, Query(max_length=60)]) -> ColourTold:
    """A colour as somebody tells it, as `#1f6f8b` or in CIELAB."""
    rgb = rgb_of(parse_colour(colour))
    beyond = not bool(can_be_shown(rgb))
    return _told(nearest_shown(oklch_of(rgb)) if beyond else rgb, beyond)


@router.get("/colours/seen")
def as_seen(
    lightness: Annotated[float, Query(ge=0, le=1)],
    chroma: Annotated[float, Query(ge=0, le=1)],
    hue: Annotated[float, Query(ge=-720, le=720)],
) -> ColourTold:
    """A colour by lightness, chroma and hue."""
    lch = np.array([lightness, chroma, hue])
    shown = nearest_shown(lch)
    return _told(shown, chroma - float(oklch_of(shown)[1]) > 2e-3)


@router.get("/colours/linear")
def as_held(
    r: Annotated[float, Query(ge=0, le=1)],
    g: Annotated[float, Query(ge=0, le=1)],
    b: Annotated[float, Query(ge=0, le=1)],
) -> ColourTold:
    """A colour as documents hold it."""
    return _told(np.array([r, g, b]))


@router.get("/colours/plane/{hue}.png", response_class=Response)
def colour_plane(hue: Annotated[int, PathParameter(ge=0, le=359)]) -> Response:
    """All colours of a hue: lightness grows upwards, chroma to the right; what no display can show is left empty."""
    return Response(_plane(hue), media_type="image/png", headers=NEVER_CHANGES)


@lru_cache(maxsize=360)
def _plane(hue: int) -> bytes:
    rgb, shown = plane(hue, *PLANE)
    alpha = np.where(shown, 255, 0).astype(np.uint8)
    pixels = np.dstack([to_bytes(srgb_encode(rgb.astype(np.float32))), alpha])
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "PNG")
    return buffer.getvalue()


@router.get("/pictures/{asset}.jpg", response_class=Response)
def picture(ctx: Ctx, asset: Key) -> Response:
    """A picture that is kept, at most 1024 pixels wide or high."""
    buffer = io.BytesIO()
    _small(ctx, asset, LOOKED_AT).save(buffer, "JPEG", quality=88)
    return Response(buffer.getvalue(), media_type="image/jpeg", headers=NEVER_CHANGES)


@router.get("/pictures/{asset}/colours")
def colours_of(ctx: Ctx, asset: Key) -> list[ColourTold]:
    """The colours that a picture is made of, the most frequent first."""
    return [_told(rgb) for rgb in main_colours(_linear(_small(ctx, asset, SAMPLED)).reshape(-1, 3), MAIN_COLOURS)]


@router.get("/pictures/{asset}/colour")
def colour_in(
    ctx: Ctx, asset: Key, x: Annotated[float, Query(ge=0, le=1)], y: Annotated[float, Query(ge=0, le=1)]
) -> ColourTold:
    """The colour of a picture around a place, shares from the top left."""
    pixels = _linear(_small(ctx, asset, LOOKED_AT))
    row, column = (min(int(share * size), size - 1) for share, size in ((y, pixels.shape[0]), (x, pixels.shape[1])))
    around = pixels[max(row - AROUND, 0) : row + AROUND + 1, max(column - AROUND, 0) : column + AROUND + 1]
    return _told(around.reshape(-1, 3).mean(axis=0))


def _small(ctx: Context, asset: str, most: int) -> Image.Image:
    pixels = decode_picture(ctx.studio.assets.get(asset), "The picture")
    image = Image.fromarray(np.ascontiguousarray(pixels[..., :3]))
    image.thumbnail((most, most))
    return image


def _linear(image: Image.Image) -> np.ndarray:
    return np.asarray(srgb_to_linear(np.asarray(image, np.float32) / 255.0), np.float64)


@router.post("/projects/{project_id}/colours/seen")
def seen_in_picture(ctx: Ctx, project_id: str, place: PicturePoint) -> ColourTold:
    """The colour that the lens shows at a place."""
    here = moment(ctx.studio.projects.get(project_id).project, place.frame)
    with ctx.lens.borrowed() as tools:
        seen = PickProbe(*tools).seen(here, place.x, place.y)
    if seen is None:
        raise ChangeError("There is nothing at that place. Click on the subject or the set.")
    return _told(seen)
