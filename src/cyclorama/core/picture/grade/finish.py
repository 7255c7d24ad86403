"""From the scene-linear master to display values, through a grade: the one way that the lens, the shoot, screening and
delivery take."""

import os
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ...arrays import Mask, RGBImage
from ...scene import Grade
from ...scene.base import ReadAsset
from ...scene.grade import Curves, Hues, LensEffects
from ...scene.tone import ViewName
from ..view_transform import display_planes
from . import operators as op
from .lens_effects import on_film, through_lens
from .table import Applied, apply_table, mix_pictures

Step = Callable[[RGBImage], RGBImage]
BAND = 1 << 15
"""So many pixels at a time: what an operator leaves is still in the core's cache for the next."""
_pool = ThreadPoolExecutor(os.cpu_count(), thread_name_prefix="grade")
_alone = threading.Lock()


@dataclass(frozen=True, slots=True)
class Finish:
    """Finish of a frame."""

    grade: Grade
    view: ViewName
    frame: int = 0
    blades: int = 0
    """of the aperture, where it has any"""
    full_width: int = 0
    """of the picture as it is delivered, px; 0: this one's"""


def display_frame(linear: RGBImage, alpha: Mask | None, finish: Finish, read_asset: ReadAsset) -> NDArray[np.float32]:
    """Display values 0…1, (h, w, 3) or with straight alpha (h, w, 4).

    linear (h, w, 3): the master, premultiplied where there is alpha (h, w).
    """
    grade = finish.grade if finish.grade.on else Grade()
    lens, lensed = grade.lens, grade.lens != LensEffects()
    if lensed:
        linear, alpha = through_lens(linear, alpha, lens, finish.blades)
    if alpha is not None:
        linear = _straight(linear, alpha)
    to_light, to_screen = light_steps(grade, read_asset), screen_steps(grade, finish.view, read_asset)
    if lens.sharpen or lens.grain:
        scale = linear.shape[1] / (finish.full_width or linear.shape[1])
        linear = on_film(_in_bands(linear, to_light), lens, finish.frame, scale)
        to_light = []
    display = _in_bands(linear, [*to_light, *to_screen])
    return display if alpha is None else np.dstack([display, alpha])


def _straight(linear: RGBImage, alpha: Mask) -> RGBImage:
    """A premultiplied picture as the colour of what is there; black where there is nothing."""
    return np.divide(linear, alpha[..., None], out=np.zeros_like(linear), where=alpha[..., None] > 1e-4)


def part_graded(linear: RGBImage, alpha: Mask | None, mask: Mask, grade: Grade, read_asset: ReadAsset) -> RGBImage:
    """Light (h, w, 3), premultiplied where there is alpha, with a grade where a mask (h, w) lies; lens effects and
    the view are those of the whole picture."""
    if not mask.any():
        return linear
    straight = linear if alpha is None else _straight(linear, alpha)
    graded = light_graded(straight, grade, read_asset)
    if graded is straight:
        return linear
    return linear + mask[..., None] * (graded - straight)  # a matte covers no more than alpha does


def light_graded(linear: RGBImage, grade: Grade, read_asset: ReadAsset) -> RGBImage:
    """Light (h, w, 3) with a grade, without its lens effects and the view."""
    steps = light_steps(grade, read_asset) if grade.on else []
    return _in_bands(linear, steps) if steps else linear


def light_steps(grade: Grade, read_asset: ReadAsset) -> list[Step]:
    """Steps on linear light, in their order; none for settings at their default."""
    g, steps = grade, list[Step]()
    if g.exposure_stops or g.white_k != 5600.0 or g.white_tint:
        steps.append(partial(op.apply_exposure, stops=g.exposure_stops, white_k=g.white_k, white_tint=g.white_tint))
    if g.contrast != 1.0:
        steps.append(partial(op.apply_contrast, contrast=g.contrast))
    if (g.slope, g.offset, g.power, g.saturation) != ((1.0,) * 3, (0.0,) * 3, (1.0,) * 3, 1.0):
        steps.append(partial(op.cdl, slope=g.slope, offset=g.offset, power=g.power, saturation=g.saturation))
    if g.hues != Hues():
        steps.append(partial(op.by_hue, hues=g.hues))
    if g.curves != Curves():
        steps.append(partial(_by_curves, tables=_tables(g.curves)))
    if g.black or g.white != 1.0:
        steps.append(partial(op.apply_levels, black=g.black, white=g.white))
    if (table := _table(g, "log", read_asset)) is not None:
        steps.append(lambda x: mix_pictures(x, table.of_light(x), g.table.amount))
    return steps


def screen_steps(grade: Grade, view: ViewName, read_asset: ReadAsset) -> list[Step]:
    """The view, and a table that was made for what is shown."""
    steps: list[Step] = [partial(display_planes, view=view)]
    if (table := _table(grade, "shown", read_asset)) is not None:
        steps.append(lambda x: np.clip(mix_pictures(x, table.of(x), grade.table.amount), 0, 1))
    return steps


def _table(grade: Grade, made_for: str, read_asset: ReadAsset) -> Applied | None:
    t = grade.table
    return apply_table(read_asset(t.asset)) if t.asset and t.amount and t.on == made_for else None


def _tables(curves: Curves) -> dict[str, op.F32]:
    """Of the curves that have points."""
    each = {name: getattr(curves, name).points for name in Curves.model_fields}
    return {name: op.curve_factors(points) for name, points in each.items() if points}


def _by_curves(picture: RGBImage, tables: dict[str, op.F32]) -> RGBImage:
    if "luma" in tables:
        picture = op.curved_by_luma(picture, tables["luma"])
    for c, name in enumerate(("red", "green", "blue")):
        if name in tables:
            picture[..., c] = op.apply_curves(picture[..., c], tables[name])
    return picture


def _in_bands(picture: RGBImage, steps: list[Step]) -> RGBImage:
    """All steps, band after band; side by side, as they let go of the interpreter while they calculate, unless other
    cores work at another picture."""
    flat = np.ascontiguousarray(picture, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)

    def work(begin: int) -> None:
        band = flat[begin : begin + BAND].copy()
        for step in steps:
            band = np.ascontiguousarray(step(band), np.float32)
        out[begin : begin + BAND] = band

    begins = range(0, len(flat), BAND)
    if _alone.acquire(blocking=False):
        try:
            list(_pool.map(work, begins))
        finally:
            _alone.release()
    else:
        for begin in begins:
            work(begin)
    return out.reshape(picture.shape)
