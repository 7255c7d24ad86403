"""Makes a part of frames anew, or only passes of them, and puts that into the frames as they are."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ...core.render.film.region import share_of_new
from ...core.render.film.tracer import Cancel, Tell
from ...core.scene.shoot import Region
from ...store import TakeRecord
from .files import master_name
from .pass_files import exact_picture_of
from .pipeline import FrameMaker, FramePasses, FramePicture


class PatchMaker:
    """Puts a part that is made anew into masters; what passes there are stay."""

    def __init__(self, maker: FrameMaker, region: Region, take: TakeRecord):
        """maker: exposes that part."""
        self._maker, self._region, self._take = maker, region, take

    def make(self, number: int, cancelled: Cancel = lambda: False, progress: Tell = lambda x: None) -> FramePicture:
        """Raises Cancelled, and ShootError when the frame's master cannot be read."""
        there = exact_picture_of(self._take, master_name(self._take), number)
        made = self._maker.make(number, cancelled, progress)
        new = share_of_new(self._region, there.shape[1], there.shape[0])
        picture = _mixed(there[..., :3], made.picture, new[..., None])
        alpha = None if made.alpha is None else _mixed(there[..., 3], made.alpha, new)
        return replace(made, picture=picture, alpha=alpha, passes=iter(()))


class PassMaker:
    """Makes passes of frames whose pictures stay: the same, to the bit, as if they had been shot with them."""

    def __init__(self, maker: FrameMaker):
        """maker: of a project that wants no more than these passes."""
        self._maker = maker

    def make(self, number: int, cancelled: Cancel = lambda: False, progress: Tell = lambda x: None) -> FramePasses:
        """Raises Cancelled."""
        return FramePasses(self._maker.passes(number, cancelled, progress))


def _mixed(there: NDArray[np.floating], made: NDArray[np.float32], new: NDArray[np.float32]) -> NDArray[np.float32]:
    """The old picture, bit by bit, blended with a share of the new one."""
    before = there.astype(np.float32)
    return np.asarray(before + (made - before) * new, np.float32)
