"""Passes of takes as pictures to look at, alone and mixed with others."""

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NotFoundError
from ...core.picture.finishing import Finishing, finish_at
from ...core.picture.grade.finish import display_frame
from ...core.picture.pass_views import (
    depth_view,
    lighting_only,
    matte_view,
    motion_view,
    normal_view,
    occlusion_view,
    position_view,
    wireframe_view,
)
from ...core.scene.base import ReadAsset
from ...core.scene.shoot import PassName
from ...store import TakeRecord
from ..frames.files import file_path
from ..frames.pass_files import channels_of, linear_of, pixels_of, rgb_of, vector_of
from .masters import Masters, average_areas, finish_frame, light_of

F32 = NDArray[np.float32]
MIXES = {
    "beauty × occlusion": ("occlusion",),
    "wireframe over beauty": ("wireframe",),
    "wireframe over clay": ("wireframe", "clay"),
    "lighting alone": ("albedo",),
}
"""Mixes people make by hand, and the passes they need."""
LAYERED: tuple[PassName, ...] = ("lights", "components")


def views_of(take: TakeRecord) -> list[str]:
    """Views of a take besides its picture."""
    wanted = take.project.shot.shoot.passes.wanted
    return [n for n in wanted if n not in LAYERED] + [m for m, needs in MIXES.items() if set(needs) <= set(wanted)]


def pass_picture(
    take: TakeRecord,
    name: str,
    number: int,
    finishing: Finishing,
    masters: Masters,
    read_asset: ReadAsset,
    width: int | None = None,
    amount: float = 1.0,
) -> F32:
    """A view of a frame in display values (h, w, 3) or (h, w, 4), no wider than `width`.

    amount: of what is mixed over the picture. Raises NotFoundError for a view the take does not have, ShootError when
    a file is missing or damaged.
    """
    if name not in views_of(take):
        raise NotFoundError(f"This take has no pass called ‘{name[:40]}’.")
    if name in MIXES:
        return _mixed(take, name, number, finishing, masters, read_asset, width, amount)
    if file_path(take, name, number).suffix != ".exr":
        return average_areas(pixels_of(take, name, number), width)
    channels = channels_of(take, name, number)
    if name == "depth":
        view = depth_view(channels["depth.Z"])
    elif name == "position":
        view = position_view(vector_of(channels, name))
    elif name in ("objects", "materials"):
        view = matte_view(channels, name)
    elif name == "motion":
        under = finish_frame(take, number, finishing, masters, read_asset)[..., :3]
        view = motion_view(np.stack([channels["motion.X"], channels["motion.Y"]], -1), under)
    elif name == "normal":
        view = normal_view(vector_of(channels, name))
    else:
        view = display_frame(
            rgb_of(channels, name), None, finish_at(take.project, Finishing(view="srgb"), number), read_asset
        )
    return average_areas(view, width)


def _mixed(
    take: TakeRecord,
    name: str,
    number: int,
    finishing: Finishing,
    masters: Masters,
    read_asset: ReadAsset,
    width: int | None,
    amount: float,
) -> F32:
    finish = finish_at(take.project, finishing, number)
    if name == "wireframe over clay":
        linear = linear_of(take, "clay", number)
        return average_areas(
            display_frame(
                wireframe_view(linear, _grey(take, "wireframe", number), amount),
                None,
                finish_at(take.project, Finishing(view="srgb"), number),
                read_asset,
            ),
            width,
        )
    linear, _ = light_of(take, number, finishing, masters)
    if name == "lighting alone":
        linear = lighting_only(linear, linear_of(take, "albedo", number))
    elif name == "beauty × occlusion":
        linear = occlusion_view(linear, _grey(take, "occlusion", number), amount)
    else:
        linear = wireframe_view(linear, _grey(take, "wireframe", number), amount)
    return average_areas(display_frame(linear, None, finish, read_asset), width)


def _grey(take: TakeRecord, name: str, number: int) -> F32:
    return linear_of(take, name, number)[..., 0]
