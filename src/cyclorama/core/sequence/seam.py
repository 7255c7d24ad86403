"""Does the loop close? The step from the last picture to the first against the steps in between."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..errors import IntakeError, ShootError
from ..picture_files import open_picture

CHECK_WIDTH = 320


@dataclass(frozen=True, slots=True)
class SeamCheck:
    """Mean absolute differences of neighbouring pictures, display values 0…1."""

    steps: tuple[float, ...]
    """step i leads from picture i to picture i + 1"""
    seam: float
    """from the last picture to the first"""

    @property
    def median(self) -> float:
        return float(np.median(self.steps)) if self.steps else 0.0

    @property
    def ratio(self) -> float:
        """Seam over median step: about 1 closes, about 0 is a doubled frame, much more jumps."""
        return self.seam / self.median if self.median > 0 else float("inf") if self.seam > 0 else 1.0

    @property
    def sentence(self) -> str:
        if len(self.steps) < 2:
            return "Too few frames to check the seam."
        if self.median < 1e-5:
            return "Nothing moves in this take." if self.seam < 1e-4 else "Only the seam moves: the loop jumps."
        text = f"The seam step is {self.ratio:.2f} of the usual step"
        if self.ratio < 0.35:
            return f"{text}: last and first frame are nearly the same picture, the loop will hesitate."
        if self.ratio > 2.0:
            return f"{text}: the loop jumps."
        return f"{text}: the loop closes."


def display_picture(data: bytes, name: str, width: int = CHECK_WIDTH) -> NDArray[np.float32]:
    """A PNG or JPEG frame, made smaller, as display values (h, w, 3); raises ShootError when unreadable."""
    try:
        with open_picture(data, name) as image:
            height = max(1, round(image.height * width / image.width))
            small = image.convert("RGB").resize((width, height), Image.Resampling.BOX)
            return np.asarray(small, np.float32) / 255.0
    except IntakeError as error:
        raise ShootError(f"{name} cannot be read; shoot it again.") from error


def check_seam(pictures: Iterable[NDArray[np.float32]]) -> SeamCheck:
    """Compare neighbours of a sequence in order, each (h, w, 3); those of another shape differ by 1. No more than three
    pictures are held at a time."""

    def step(a: NDArray[np.float32], b: NDArray[np.float32]) -> float:
        return float(np.abs(a - b).mean()) if a.shape == b.shape else 1.0

    first, last, steps = None, None, []
    for picture in pictures:
        if last is None:
            first = picture
        else:
            steps.append(step(last, picture))
        last = picture
    if first is None or last is None or not steps:
        return SeamCheck((), 0.0)
    return SeamCheck(tuple(steps), step(last, first))
