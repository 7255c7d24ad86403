"""Frames of takes as they are finished: from their masters through the take's grade, at any size."""

import threading
from collections import OrderedDict
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ...core.arrays import Mask, RGBImage
from ...core.errors import NotFoundError, ShootError
from ...core.picture.backdrop import covering
from ...core.picture.files import encode_display
from ...core.picture.finishing import Finishing, backdrop_of, discs_of, finish_at, lay_over
from ...core.picture.grade.defocus import apply_defocus
from ...core.picture.grade.finish import display_frame, light_graded, part_graded
from ...core.picture.half_float import repair_pixels, widen_halves
from ...core.picture.light_mix import mix_lights
from ...core.scene.base import ReadAsset
from ...core.scene.writing import derive
from ...store import Studio, TakeRecord
from ...store.takes import BEAUTY, MASTER
from ..frames.files import master_name, master_path, read_whole
from ..frames.mixing import read_lights
from ..frames.pass_files import depth_of, mask_of, picture_of, pixels_of

F16 = NDArray[np.float16]
F32 = NDArray[np.float32]
MOST_BYTES = 800_000_000
"""Of decoded masters that are kept: 240 frames of 16:9, 960 wide as in a window."""


@dataclass(frozen=True, slots=True)
class Linear:
    """A scene-linear picture."""

    rgb: F16
    """(h, w, 3), premultiplied where there is alpha"""
    alpha: F16 | None
    broken: int
    """pixels of the file that are no numbers; they are black, or as bright as a half float can be"""

    @property
    def floats(self) -> tuple[RGBImage, Mask | None]:
        """The same in the numbers that are worked with."""
        return widen_halves(self.rgb), None if self.alpha is None else widen_halves(self.alpha)

    @property
    def bytes(self) -> int:
        return self.rgb.nbytes + (0 if self.alpha is None else self.alpha.nbytes)


class Masters:
    """Masters of takes, decoded at the size at which they are looked at; those used last are kept."""

    def __init__(self, studio: Studio, most_bytes: int = MOST_BYTES):
        self.studio = studio
        self._most, self._held = most_bytes, 0
        self._kept: OrderedDict[tuple[Path, int, int], Linear] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, take: TakeRecord, number: int, width: int | None = None) -> Linear:
        """The master of a frame, no wider than `width`. Raises ShootError when it is not there or damaged."""
        path = master_path(take, number)
        try:
            changed = path.stat().st_mtime_ns
        except OSError:
            raise ShootError(_gone(take, number)) from None
        key = (path, changed, width or 0)
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        found = _decoded(take, number, width)
        with self._lock:
            if key not in self._kept:
                self._kept[key] = found
                self._held += found.bytes
            while self._held > self._most and len(self._kept) > 1:
                self._held -= self._kept.popitem(last=False)[1].bytes
        return found


def why_not_gradable(take: TakeRecord) -> str | None:
    """Why a take's picture stays as it was shot; None where it can be graded."""
    if take.project.shot.shoot.file_format == "exr":
        return None
    if any(MASTER in frame.files for frame in take.frames.values()):
        return None
    return "This take was shot without masters: its picture stays as it is."


def as_shot(take: TakeRecord, finishing: Finishing) -> bool:
    """True when nothing was changed since the frames were written."""
    return finishing == Finishing.as_shot(take.project)


def finish_frame(
    take: TakeRecord,
    number: int,
    finishing: Finishing,
    masters: Masters,
    read_asset: ReadAsset,
    width: int | None = None,
) -> F32:
    """A frame in display values 0…1, (h, w, 3) or with straight alpha (h, w, 4), no wider than `width`.

    Raises ShootError when what it is made from is missing or damaged, or the take has no masters and is changed.
    """
    if (why := why_not_gradable(take)) is not None:
        if not as_shot(take, finishing):
            raise ShootError(why)
        return average_areas(pixels_of(take, BEAUTY, number), width)
    linear, alpha = _worked(take, number, finishing, masters, read_asset, width)
    return display_frame(linear, alpha, finish_at(take.project, finishing, number), read_asset)


def _worked(
    take: TakeRecord, number: int, finishing: Finishing, masters: Masters, read_asset: ReadAsset, width: int | None
) -> tuple[RGBImage, Mask | None]:
    """Light of a frame with everything that is done to it before the grade of the whole."""
    linear, alpha = _laid(take, number, finishing, masters, read_asset, width)
    if finishing.defocus is None:
        return linear, alpha
    discs = discs_of(take.project, number, finishing.defocus, depth_of(take, number, linear.shape[1]))
    return apply_defocus(linear, alpha, discs, take.project.camera.blades)


def _laid(
    take: TakeRecord, number: int, finishing: Finishing, masters: Masters, read_asset: ReadAsset, width: int | None
) -> tuple[RGBImage, Mask | None]:
    """Light of a frame with its parts graded, over what lies behind it."""
    linear, alpha = light_of(take, number, finishing, masters, width)
    for part in finishing.parts:
        mask = average_areas(mask_of(take, part.layer, part.name, number), linear.shape[1])
        linear = part_graded(linear, alpha, mask, part.grade, read_asset)
    behind = finishing.behind
    if alpha is None or behind is None:
        return linear, alpha
    if behind.take:
        ground = _other(take, number, behind.take, masters, read_asset, alpha.shape)
    else:
        ground = backdrop_of(take.project, number, behind, read_asset, alpha.shape)
    return lay_over(linear, alpha, ground), None


def _other(
    take: TakeRecord, number: int, take_id: str, masters: Masters, read_asset: ReadAsset, shape: tuple[int, int]
) -> RGBImage:
    """Light of the frame of another take that lies behind one, as that take is graded; what lies behind it counts only
    where it is no take again."""
    try:
        other, finishing = _as_it_stands(masters.studio, take_id)
    except NotFoundError as error:
        raise ShootError("The take that lies behind this one was removed. Choose another backdrop.") from error
    at = other.at((number - take.first) % other.moments)
    if finishing.behind is not None and finishing.behind.take:
        finishing = derive(finishing, behind=None)
    light, _ = _worked(other, at, finishing, masters, read_asset, None)
    return covering(light_graded(light, finish_at(other.project, finishing, at).grade, read_asset), shape[1], shape[0])


def sums_of(take: TakeRecord) -> str:
    """Names all files of a take as they are."""
    return " ".join(
        f"{n}:{sorted((name, s and s.sha256) for name, s in f.files.items())}" for n, f in sorted(take.frames.items())
    )


def _as_it_stands(studio: Studio, take_id: str) -> tuple[TakeRecord, Finishing]:
    """A take and how it is finished. Raises NotFoundError."""
    take = studio.takes.get(take_id)
    return take, studio.screening.finish(take).finishing


def state_of(finishing: Finishing, studio: Studio) -> str:
    """Names what a finishing gives, with the state of a take that lies behind."""
    text = finishing.model_dump_json()
    if finishing.behind is None or not finishing.behind.take:
        return text
    try:
        other, its = _as_it_stands(studio, finishing.behind.take)
    except NotFoundError:
        return text
    return f"{text} {its.model_dump_json()} {sums_of(other)}"


def finished_file(
    take: TakeRecord, number: int, finishing: Finishing, masters: Masters, read_asset: ReadAsset
) -> bytes:
    """A frame as a file of the take's format and bits. EXR frames are masters: they have no grade."""
    s = take.project.shot.shoot
    if s.file_format == "exr":
        return read_whole(take, number)
    return encode_display(finish_frame(take, number, finishing, masters, read_asset), s.file_format, s.bits)


def light_of(
    take: TakeRecord, number: int, finishing: Finishing, masters: Masters, width: int | None = None
) -> tuple[RGBImage, Mask | None]:
    """Scene-linear light (h, w, 3) of a frame with its lights as they are re-balanced, and alpha (h, w).

    Raises ShootError when it is not there, or a light is not known.
    """
    if relit := finishing.relit:
        layers, alpha = read_lights(take, number)
        rgb = mix_lights(layers, relit)
        return average_areas(rgb, width), None if alpha is None else average_areas(alpha, width)
    return masters.get(take, number, width).floats


def _decoded(take: TakeRecord, number: int, width: int | None) -> Linear:
    picture, broken = repair_pixels(picture_of(take, master_name(take), number))
    if width is not None and width < picture.shape[1]:
        planes = (average_areas(widen_halves(picture[..., c]), width) for c in range(picture.shape[2]))
        picture = np.stack([plane.astype(np.float16) for plane in planes], -1)
    return Linear(
        np.ascontiguousarray(picture[..., :3]), picture[..., 3].copy() if picture.shape[2] == 4 else None, broken
    )


def average_areas(picture: F32, width: int | None) -> F32:
    """Averaged over areas, (h, w) or (h, w, c); as it is where it is not wider."""
    h, w = picture.shape[:2]
    if width is None or width >= w:
        return picture
    size = width, max(1, round(h * width / w))

    def plane(values: F32) -> F32:
        return np.asarray(Image.fromarray(np.ascontiguousarray(values)).resize(size, Image.Resampling.BOX))

    if picture.ndim == 2:
        return plane(picture)
    return np.stack([plane(picture[..., c]) for c in range(picture.shape[2])], -1)


def _gone(take: TakeRecord, number: int) -> str:
    if number not in take.numbers:
        return f"‘{take.name}’ has no frame {number}."
    if number not in take.frames:
        return f"Frame {number} is not finished."
    return f"The master of frame {number} is missing. Let ‘Check and mend’ shoot it again."
