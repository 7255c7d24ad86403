"""Forecast of file sizes, from pieces of each file that are written for real."""

import math
import tempfile
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from ..scene.writing import derive
from . import segments
from .containers import encode
from .presets import Delivery
from .program_source import ProgramSource
from .stills import file_of

PIECES, PIECE = 4, 10
"""So many pieces, evenly spread, of so many frames each."""
KEY_EVERY = 250
"""Frames from one that stands for itself to the next, as encoders have it that write all in one go; of clips that are
shorter only the first is one."""
SOUND_BYTES_S = {"aac": 24_000, "libmp3lame": 24_000, "libopus": 16_000, "pcm_s16le": 192_000}
PICTURES = 3


@dataclass(frozen=True, slots=True)
class Forecast:
    """Expected size and time of a file."""

    bytes: int
    seconds: float

    @property
    def bits_s(self) -> float:
        """Bits a second."""
        return 8 * self.bytes / self.seconds


def forecast(programme: ProgramSource, delivery: Delivery) -> Forecast | None:
    """About how large a delivery will be; None of kinds whose size does not come of their frames one by one.

    Frames that stand for themselves and those that tell what changed are weighed apart. Raises as `encode` does.
    """
    count = programme.count * delivery.rounds
    seconds = float(count / programme.rate)
    if delivery.coding.kind == "frames":
        spread = [k * programme.count // PICTURES for k in range(PICTURES)]
        mean = sum(len(file_of(programme.frame(i), delivery.coding)) for i in spread) / PICTURES
        return Forecast(round(mean * programme.count), programme.count / float(programme.rate))
    if delivery.coding.kind != "moving":
        return None
    whole, changes = _weighed(programme, derive(delivery, fits_mb=None, rounds=1))
    keys = math.ceil(count / (segments.PIECE if segments.can_be_joined(delivery.coding) else KEY_EVERY))
    sound = SOUND_BYTES_S.get(delivery.coding.sound, 0) if delivery.sound and programme.sound else 0
    size = keys * whole + (count - keys) * changes + sound * seconds
    if delivery.fits_mb is not None:
        size = min(size, delivery.fits_mb * 1e6)
    return Forecast(round(size), seconds)


def _weighed(programme: ProgramSource, delivery: Delivery) -> tuple[float, float]:
    """Mean bytes of a frame that stands for itself, and of one that does not."""
    length = min(PIECE, programme.count)
    starts = sorted({k * (programme.count - length) // max(1, PIECES - 1) for k in range(PIECES)})
    whole, changes = list[float](), list[float]()
    with tempfile.TemporaryDirectory() as folder:
        for start in starts:
            path = Path(folder) / f"{start}.{delivery.coding.ending}"

            def write(count: int, path: Path = path, start: int = start) -> None:
                frame = partial(_later, programme, start)
                piece = replace(programme, frame=frame, count=count, sound=None, chapters=())
                encode(piece, delivery, path, lambda what, share: None)

            if delivery.coding.ending in ("gif", "webp"):  # whose pictures cannot be taken apart
                write(1)
                alone = path.stat().st_size
                write(length)
                sizes = [alone, *[(path.stat().st_size - alone) / max(1, length - 1)] * (length - 1)]
            else:
                write(length)
                sizes = _packets(path)
            whole.append(sizes[0])
            changes += sizes[1:]
    return sum(whole) / len(whole), sum(changes) / len(changes) if changes else 0.0


def _later(programme: ProgramSource, start: int, number: int) -> NDArray[np.float32]:
    return programme.frame(start + number)


def _packets(path: Path) -> list[float]:
    """Bytes of each picture of a file."""
    with av.open(str(path), "r") as container:
        return [packet.size for packet in container.demux(video=0) if packet.size]
