"""Pictures written in pieces: each is kept once it is whole, so that what died goes on where it was.

A file is joined of pieces by copying what is encoded. Where several tries are needed (a size it must fit in, a palette
for all frames), frames are made once and kept losslessly in pieces meanwhile.
"""

import shutil
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing
from fractions import Fraction
from itertools import islice
from pathlib import Path
from typing import Any

import av
import numpy as np
from PIL import Image

from .presets import Coding
from .program_source import F32, ProgramSource, in_order
from .video_frames import Pictures

PIECE = 120
"""Frames; each begins with a picture that stands for itself."""
LOSSLESS = Coding("Kept frames", "", "mkv", "ffv1", "bgra", clear=True)


def pieces_folder(folder: Path, stamp: str) -> Path:
    """Where pieces of something lie until all of it is written; `stamp` tells what it is made of. What was made of
    something else is removed."""
    now = folder / stamp
    for older in folder.glob("*"):
        if older != now:
            shutil.rmtree(older)
    return now


def can_be_joined(coding: Coding) -> bool:
    """True when pieces can be put together as they are; animated pictures cannot."""
    return coding.ending not in ("gif", "webp")


def write_pieces(
    folder: Path,
    programme: ProgramSource,
    count: int,
    coding: Coding,
    options: dict[str, str],
    tell: Callable[[float], None],
) -> list[Path]:
    """Write `count` pictures, going round in those of a programme; pieces that are there already stay as they are.

    Raises av.FFmpegError and what a frame raises; whole pieces stay in the folder then.
    """
    folder.mkdir(parents=True, exist_ok=True)
    spans = [range(begin, min(begin + PIECE, count)) for begin in range(0, count, PIECE)]
    paths = [folder / f"{span.start:07}.{coding.ending}" for span in spans]
    lacking = [(span, path) for span, path in zip(spans, paths, strict=True) if not _is_whole(path, len(span))]
    done = count - sum(len(span) for span, _ in lacking)
    numbers = (i % programme.count for span, _ in lacking for i in span)
    with closing(in_order(programme.frame, numbers)) as frames:
        for span, path in lacking:
            part = path.with_suffix(".part")
            with av.open(str(part), "w", format="matroska" if coding.ending == "mkv" else coding.ending) as container:
                made = Pictures(container, coding, programme.rate, options)
                for picture in islice(frames, len(span)):
                    made.add(picture)
                    done += 1
                    tell(done / count)
                made.end()
            part.replace(path)
    return paths


def _is_whole(path: Path, count: int) -> bool:
    try:
        return path.exists() and pictures_in(path) == count
    except av.FFmpegError:
        return False


class Joined:
    """Pieces that are put together in one file. The file's other streams are added before it is gone through."""

    def __init__(self, container: Any, pieces: Sequence[Path], coding: Coding, rate: Fraction):
        self._container, self._pieces, self._rate = container, pieces, rate
        self._ahead = max(self._ahead_in(path) for path in pieces)
        with av.open(str(pieces[0]), "r") as first:
            self._stream = container.add_stream_from_template(first.streams.video[0], opaque=True)
        if coding.tag:
            self._stream.codec_context.codec_tag = coding.tag  # a template's is dropped
        self._stream.time_base = 1 / rate
        if coding.clear and coding.ending == "webm":
            self._stream.metadata["alpha_mode"] = "1"

    def __iter__(self) -> Iterator[int]:
        """Copies picture after picture; how many there are then."""
        begin = count = 0
        for path in self._pieces:
            with av.open(str(path), "r") as piece:
                for packet in piece.demux(video=0):
                    if not packet.size:
                        continue
                    # in frames of the whole: times of a piece may be rounded to what its file can hold
                    packet.pts, packet.dts = begin + self._shown(packet), count - self._ahead
                    packet.time_base, packet.duration = 1 / self._rate, 1
                    packet.stream = self._stream
                    self._container.mux(packet)
                    count += 1
                    yield count
            begin = count

    def _shown(self, packet: Any) -> int:
        """The frame of its piece that a packet holds."""
        return round((packet.dts if packet.pts is None else packet.pts) * packet.time_base * self._rate)

    def _ahead_in(self, path: Path) -> int:
        """By how many frames a piece is decoded ahead of what is shown, which short ones need less."""
        with av.open(str(path), "r") as piece:
            first = next(piece.demux(video=0))
            return 0 if first.dts is None else max(0, -round(first.dts * first.time_base * self._rate))


def frames_of(pieces: Sequence[Path]) -> Iterator[F32]:
    """Frames that were kept losslessly, (h, w, 3) or with straight alpha (h, w, 4), display values 0…1."""
    for path in pieces:
        with av.open(str(path), "r") as container:
            for frame in container.decode(video=0):
                pixels = frame.to_ndarray(format="rgba")
                opaque = bool((pixels[..., 3] == 255).all())
                yield ((pixels[..., :3] if opaque else pixels) / 255).astype(np.float32)


def pictures_in(path: Path) -> int:
    """Number of pictures in a file."""
    if is_webp(path):
        with Image.open(path, formats=("WEBP",)) as image:  # animated ones are not read by the other library
            return int(getattr(image, "n_frames", 1))
    with av.open(str(path), "r") as container:
        return sum(packet.size > 0 for packet in container.demux(video=0))


def is_webp(path: Path) -> bool:
    """True when a file is WebP."""
    with path.open("rb") as file:
        return file.read(12)[8:] == b"WEBP"
