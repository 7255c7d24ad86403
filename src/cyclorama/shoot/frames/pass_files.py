"""Files of takes as they lie on disk, read as numbers: passes, masters, what was delivered."""

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ...core.arrays import Mask, RGBImage
from ...core.errors import IntakeError, ShootError
from ...core.motion import moment
from ...core.picture.cryptomatte import matte_of
from ...core.picture.exr import exact_channels, main_picture, read_layers
from ...core.picture_files import decode_picture
from ...core.render.passes.outputs import matte_names
from ...core.scene.shoot import PassName
from ...core.textures import srgb_to_linear_table
from ...store import TakeRecord
from .files import file_path, read_whole

F32 = NDArray[np.float32]
_DAMAGED = "‘{}’ is damaged. Let ‘Check and mend’ shoot it again."


def matte_names_of(take: TakeRecord, layer: PassName) -> list[str]:
    """Names of the mattes of a layer."""
    return list(dict.fromkeys(matte_names(moment(take.project, take.first), layer)))


def mask_of(take: TakeRecord, layer: PassName, name: str, number: int) -> Mask:
    """Coverage of each pixel (h, w) by a part or a material. Raises ShootError when the pass is not there."""
    try:
        return _mask(read_whole(take, number, layer), layer, name)
    except (IntakeError, KeyError) as error:
        raise ShootError(_DAMAGED.format(file_path(take, layer, number).name)) from error


@lru_cache(maxsize=4)  # a dragged grade of a part asks for the same mattes again and again
def _mask(data: bytes, layer: PassName, name: str) -> Mask:
    mask = matte_of(read_layers(data, layer), layer, name)
    mask.setflags(write=False)
    return mask


def rgb_of(channels: dict[str, F32], name: str) -> RGBImage:
    """The main picture (h, w, 3) of an EXR. Raises ShootError when it has none."""
    try:
        return np.dstack([channels[c] for c in "RGB"])
    except KeyError as error:
        raise ShootError(_DAMAGED.format(name)) from error


def linear_of(take: TakeRecord, name: str, number: int) -> RGBImage:
    """A pass that is a picture, as linear values."""
    if file_path(take, name, number).suffix == ".exr":
        return rgb_of(channels_of(take, name, number), file_path(take, name, number).name)
    return srgb_to_linear_table()[(pixels_of(take, name, number)[..., :3] * 255 + 0.5).astype(np.uint8)]


def pixels_of(take: TakeRecord, name: str, number: int) -> F32:
    """A file that is a PNG or JPEG, (h, w, 3) or with straight alpha (h, w, 4), 0…1. Raises ShootError."""
    path = file_path(take, name, number)
    try:
        pixels = decode_picture(read_whole(take, number, name), path.name).astype(np.float32) / 255.0
    except IntakeError as error:
        raise ShootError(_DAMAGED.format(path.name)) from error
    return pixels if pixels[..., 3].min() < 1.0 else pixels[..., :3]


def channels_of(take: TakeRecord, name: str, number: int) -> dict[str, F32]:
    """All channels (h, w) of a file that is an EXR. Raises ShootError."""
    path = file_path(take, name, number)
    try:
        return read_layers(read_whole(take, number, name), path.name)
    except IntakeError as error:
        raise ShootError(_DAMAGED.format(path.name)) from error


def exact_channels_of(take: TakeRecord, name: str, number: int) -> tuple[dict[str, NDArray[Any]], dict[str, Any]]:
    """The same with the bits that they are kept with, and the attributes of the file."""
    path = file_path(take, name, number)
    try:
        return exact_channels(read_whole(take, number, name), path.name)
    except IntakeError as error:
        raise ShootError(_DAMAGED.format(path.name)) from error


def picture_of(take: TakeRecord, name: str, number: int) -> NDArray[np.float16]:
    """The main picture of a file that is an EXR, (h, w, 3) or with alpha (h, w, 4). Raises ShootError."""
    picture = exact_picture_of(take, name, number)
    return picture if picture.dtype == np.float16 else np.clip(picture, -65504.0, 65504.0).astype(np.float16)


def exact_picture_of(take: TakeRecord, name: str, number: int) -> NDArray[np.floating]:
    """The same with the bits that it is kept with."""
    path = file_path(take, name, number)
    try:
        picture = main_picture(read_whole(take, number, name), path.name)
    except IntakeError as error:
        raise ShootError(_DAMAGED.format(path.name)) from error
    if picture.shape[2] < 3:
        raise ShootError(_DAMAGED.format(path.name))
    return picture


def depth_of(take: TakeRecord, number: int, width: int | None = None) -> Mask:
    """Depth along the camera's axis, m (h, w), 0 where nothing is. Of a smaller picture it is that of single pixels, as
    a mean would lie where nothing is. Raises ShootError when the pass is not there."""
    try:
        depth = channels_of(take, "depth", number)["depth.Z"]
    except KeyError as error:
        raise ShootError(_DAMAGED.format(file_path(take, "depth", number).name)) from error
    depth = np.where(np.isfinite(depth), depth, 0).astype(np.float32)
    h, w = depth.shape
    if width is None or width >= w:
        return depth
    image = Image.fromarray(depth).resize((width, max(1, round(h * width / w))), Image.Resampling.NEAREST)
    return np.asarray(image)


def vector_of(channels: dict[str, F32], name: str) -> RGBImage:
    """Its X, Y and Z (h, w, 3)."""
    return np.dstack([channels[f"{name}.{c}"] for c in "XYZ"])


def guide_of(take: TakeRecord, name: PassName, number: int) -> RGBImage | None:
    """Albedo 0…1 or normals −1…1 (h, w, 3) of a frame, None where the take does not have them. Raises ShootError."""
    if name not in take.project.shot.shoot.passes.wanted:
        return None
    if name == "albedo":
        return linear_of(take, name, number)
    if file_path(take, name, number).suffix == ".exr":
        return vector_of(channels_of(take, name, number), name)
    return pixels_of(take, name, number)[..., :3] * 2.0 - 1.0
