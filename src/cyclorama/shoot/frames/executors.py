"""Frames as files, and who makes them: one after another here, or many at once elsewhere (`farm`)."""

import io
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ...core.arrays import Mask, RGBImage
from ...core.errors import ShootError
from ...core.picture.exr import encode_exr
from ...core.picture.files import encode_display
from ...core.picture.grade.finish import Finish, display_frame
from ...core.picture.view_transform import to_bytes
from ...core.render.film.tracer import Cancel, Cancelled
from ...core.scene import Project, ShootSettings
from ...core.scene.base import ReadAsset
from ...store.takes import BEAUTY, MASTER, THUMB
from .pipeline import FramePasses, FramePicture, Maker

THUMB_WIDTH = 192


@dataclass(frozen=True, slots=True)
class RenderedFrame:
    """A frame that can be written."""

    files: Iterable[tuple[str, bytes]]
    """by the name under which they are recorded, the beauty picture after all passes: who has it has all"""
    clamped: float | None
    """share of the light that clamping took away, None where nothing is clamped"""
    seconds: float | None = None
    """that work on it took; None: as long as it took here"""
    machine: str | None = None
    """where it was made, if not here"""


class FrameExecutor(Protocol):
    """Makes frames, in an order of its own."""

    def next(self) -> tuple[int, RenderedFrame | Exception] | None:
        """A frame that is made, or why it is not; None when no more are to come. Raises Cancelled."""

    def again(self, number: int) -> None:
        """Try a frame once more that could not be made."""

    def close(self) -> None:
        """Whatever is under way is not wanted any more."""


class LocalExecutor:
    """One frame after another, in this process."""

    def __init__(
        self,
        numbers: Iterable[int],
        maker: Callable[[], Maker],
        project: Project,
        read_asset: ReadAsset,
        begins: Callable[[int], None],
        cancelled: Cancel,
        progress: Callable[[int, float], None],
    ):
        """begins: is told of every frame before it is made."""
        self._left = deque(numbers)
        self._new_maker, self._maker = maker, maker()
        self._project, self._read_asset = project, read_asset
        self._begins, self._cancelled, self._progress = begins, cancelled, progress

    def next(self) -> tuple[int, RenderedFrame | Exception] | None:
        if not self._left:
            return None
        self._begins(number := self._left.popleft())
        try:
            picture = self._maker.make(number, self._cancelled, lambda share: self._progress(number, share))
            return number, RenderedFrame(frame_files(number, picture, self._project, self._read_asset), picture.clamped)
        except Cancelled:
            raise
        except Exception as error:
            return number, error

    def again(self, number: int) -> None:
        self._maker = self._new_maker()  # the fault may lie in what the last one remembered
        self._left.appendleft(number)

    def close(self) -> None:
        self._left.clear()


def frame_files(
    number: int, made: FramePicture | FramePasses, project: Project, read_asset: ReadAsset
) -> Iterator[tuple[str, bytes]]:
    """Files of a rendered frame, encoded one by one as they are asked for. Raises ShootError when it is not a
    picture."""
    if isinstance(made, FramePicture) and not np.isfinite(made.picture).all():
        raise ShootError(f"Frame {number} has pixels that are not numbers; this is a fault of the renderer.")
    for file in made.passes:
        yield file.name, file.data
    if isinstance(made, FramePasses):
        return
    s = project.shot.shoot
    if s.masters and s.file_format != "exr":
        yield MASTER, encode_exr(made.picture, made.alpha)
    yield from shown_files(made.picture, made.alpha, made.finish, s, read_asset)


def shown_files(
    linear: RGBImage, alpha: Mask | None, finish: Finish, settings: ShootSettings, read_asset: ReadAsset
) -> Iterator[tuple[str, bytes]]:
    """The files of a frame that show it, from its light."""
    display = display_frame(linear, alpha, finish, read_asset)
    yield THUMB, small_picture(display)
    if settings.file_format == "exr":
        yield BEAUTY, encode_exr(linear, alpha, 32 if settings.bits == 32 else 16)
    else:
        yield BEAUTY, encode_display(display, settings.file_format, settings.bits)


def small_picture(display: NDArray[np.float32]) -> bytes:
    """A JPEG for lists, of display values (h, w, 3 or 4) 0…1; what is transparent is black."""
    rgb = display[..., :3] * display[..., 3:] if display.shape[2] == 4 else display
    image = Image.fromarray(to_bytes(rgb))
    image.thumbnail((THUMB_WIDTH, THUMB_WIDTH * 2), Image.Resampling.BOX)
    buffer = io.BytesIO()
    image.save(buffer, "JPEG", quality=85)
    return buffer.getvalue()
