"""Sources of files: frames that can be made in any order, and sound."""

import math
import os
from collections.abc import Callable, Generator, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
Made = TypeVar("Made")
AT_ONCE = os.cpu_count() or 2
"""So many frames are made at a time."""
AHEAD = AT_ONCE + 4
"""So many frames are made before they are wanted: all that is held at a time."""


@dataclass(frozen=True)
class ProgramSource:
    """Source of a file: frames that can be made in any order, sound in blocks, and its metadata."""

    frame: Callable[[int], F32]
    """Gives frame i, 0 the first: (h, w, 3) or with straight alpha (h, w, 4), display values"""
    count: int
    rate: Fraction
    sound: Callable[[], Iterator[F32]] | None = None
    """Gives stereo blocks (n, 2) at 48 kHz, as long as the frames"""
    name: str = ""
    chapters: Sequence[tuple[str, int]] = ()
    """name and frame of each"""

    def at_rate(self, rate: Fraction) -> "ProgramSource":
        """The same programme at another frame rate. Frames show the picture of their first moment; sound is kept."""
        ratio = self.rate / rate
        return replace(
            self,
            frame=lambda i: self.frame(min(math.floor(i * ratio), self.count - 1)),
            count=max(1, round(self.count / ratio)),
            rate=rate,
            chapters=[(name, round(frame / ratio)) for name, frame in self.chapters],
        )


def in_order(frame: Callable[[int], Made], numbers: Iterable[int]) -> Generator[Made]:
    """Frames, or their files, in order, some of them made ahead of time by threads of their own."""
    with ThreadPoolExecutor(AT_ONCE) as pool:
        waiting: list[Future[Made]] = []
        try:
            for number in numbers:
                waiting.append(pool.submit(frame, number))
                if len(waiting) > AHEAD:
                    yield waiting.pop(0).result()
            while waiting:
                yield waiting.pop(0).result()
        finally:
            for future in waiting:
                future.cancel()
