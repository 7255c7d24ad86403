"""Writing moving pictures: frames and sound into one file of any of the presets' kinds.

Files are written aside, counted and renamed, so a file of that name is always whole.
"""

import errno
import secrets
import shutil
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

from ..cut.sound_synthesis import RATE, sample_of
from ..errors import ShootError, SpaceError
from .presets import Coding, Delivery
from .program_source import F32, ProgramSource
from .segments import LOSSLESS, Joined, can_be_joined, frames_of, pictures_in, write_pieces
from .video_frames import Pictures

Tell = Callable[[str, float], None]
"""Told what is done and how much of all; may raise to stop."""


def encode(
    programme: ProgramSource, delivery: Delivery, target: Path, tell: Tell, pieces: Path | None = None
) -> dict[str, str]:
    """Write a moving picture; what the encoder was told in the end.

    Pieces of it lie in the folder `pieces` meanwhile, and stay there when it does not come to its end; what lies there
    already is of the same programme and delivery, and is used.
    Raises ShootError when it cannot be written or does not fit, SpaceError on a full disk; `target` is then as it was.
    """
    coding = delivery.coding
    part = target.with_name(f".{secrets.token_hex(6)}.part")
    folder = pieces or target.with_name(f".{secrets.token_hex(6)}.pieces")
    try:
        with _told_of_faults(coding):
            if delivery.fits_mb is None and can_be_joined(coding):
                options = delivery.options()
                count = programme.count * delivery.rounds
                made = write_pieces(
                    folder, programme, count, coding, options, lambda share: tell("Encoding", 0.98 * share)
                )
                _join(part, made, count, programme, delivery)
            else:
                kept = write_pieces(
                    folder, programme, programme.count, LOSSLESS, {}, lambda share: tell("Making frames", 0.6 * share)
                )
                options = _fitted(part, kept, programme, delivery, lambda what, s: tell(what, 0.6 + 0.4 * s))
        part.replace(target)
        if pieces is not None:
            shutil.rmtree(pieces)
        return options
    finally:
        part.unlink(missing_ok=True)
        if pieces is None:
            shutil.rmtree(folder, ignore_errors=True)


@contextmanager
def _told_of_faults(coding: Coding) -> Iterator[None]:
    """Failures of the libraries in the artist's words. Raises ShootError, SpaceError."""
    try:
        yield
    except av.codec.codec.UnknownCodecError as error:
        raise ShootError(
            f"{coding.title}: what writes it is not part of this machine's libraries. Choose another."
        ) from error
    except av.FFmpegError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise SpaceError from error
        raise ShootError(f"{coding.title} could not be written: {error.strerror or error}.") from error


def _fitted(
    part: Path, kept: Sequence[Path], programme: ProgramSource, delivery: Delivery, tell: Tell
) -> dict[str, str]:
    """Write from kept frames, as fine as was asked for or, where it must fit, as fine as fits."""
    count = programme.count * delivery.rounds

    def written(quality: int, done: float, part_of: float) -> int:
        part.unlink(missing_ok=True)
        frames = (f for _ in range(delivery.rounds) for f in frames_of(kept))
        options = delivery.options(quality)
        _write(
            part,
            frames,
            count,
            programme,
            delivery,
            options,
            lambda share: tell(f"Encoding at {quality} %", done + part_of * share),
        )
        return part.stat().st_size

    if delivery.fits_mb is None:
        written(delivery.quality, 0, 1)
        return delivery.options()
    most = delivery.fits_mb * 1e6
    count_of = len(delivery.coding.ladder)
    steps = [round(100 * k / max(1, count_of - 1)) for k in range(count_of)]
    low, high, tries, last = 0, count_of - 1, 0, 0
    if (size := written(steps[0], 0, 0.2)) > most:
        raise ShootError(
            f"Even at its coarsest it takes {size / 1e6:.1f} MB; {delivery.fits_mb:g} MB were asked for. "
            "Make the picture smaller, the cut shorter, or leave the sound out."
        )
    while low < high:
        middle = (low + high + 1) // 2
        tries += 1
        last = middle
        if written(steps[middle], min(0.9, 0.15 * tries), 0.15) <= most:
            low = middle
        else:
            high = middle - 1
    if last != low:
        written(steps[low], 0.9, 0.1)
    return delivery.options(steps[low])


@contextmanager
def _file(part: Path, programme: ProgramSource, delivery: Delivery, count: int) -> Iterator[Any]:
    """A file that is being written, with what is told of it; its pictures are counted in the end."""
    coding = delivery.coding
    with av.open(str(part), "w", format=coding.ending, options=delivery.file_options()) as container:
        if programme.name:
            container.metadata["title"] = programme.name
        yield container
        if programme.chapters and coding.ending in ("mp4", "mov"):
            _mark_chapters(container, programme, count)
    found = pictures_in(part)
    if found != count:
        raise ShootError(f"The file came out with {found} pictures instead of {count}. Try again.")


def _join(part: Path, pieces: Sequence[Path], count: int, programme: ProgramSource, delivery: Delivery) -> None:
    """Write one file of pieces that are encoded, with its sound. Raises av.FFmpegError, ShootError."""
    with _file(part, programme, delivery, count) as container:
        pictures = Joined(container, pieces, delivery.coding, programme.rate)
        tape = _tape(container, programme, delivery)
        for there in pictures:
            if tape is not None:
                tape.play_to(sample_of(there, programme.rate))
        if tape is not None:
            tape.end()


def _write(
    part: Path,
    frames: Iterable[F32],
    count: int,
    programme: ProgramSource,
    delivery: Delivery,
    options: dict[str, str],
    tell: Callable[[float], None],
) -> None:
    """Write one file of frames. Raises av.FFmpegError, ShootError."""
    with _file(part, programme, delivery, count) as container:
        made = Pictures(container, delivery.coding, programme.rate, options)
        tape = _tape(container, programme, delivery)
        for i, picture in enumerate(frames):
            made.add(picture)
            if tape is not None:
                tape.play_to(sample_of(i + 1, programme.rate))
            tell((i + 1) / count)
        made.end()
        if tape is not None:
            tape.end()


class _Tape:
    """The sound of a file that is being written, muxed in step with its pictures."""

    def __init__(self, container: Any, codec: str, blocks: Iterator[F32]):
        self._container, self._blocks = container, blocks
        self._stream = container.add_stream(codec, rate=RATE, layout="stereo")
        if codec in ("aac", "libmp3lame"):
            self._stream.bit_rate = 192_000
        elif codec == "libopus":
            self._stream.bit_rate = 128_000
        self._left: F32 = np.zeros((0, 2), np.float32)
        self._at = 0

    def play_to(self, sample: int) -> None:
        while self._at + len(self._left) < sample:
            block = next(self._blocks, None)
            if block is None:
                break
            self._left = np.concatenate([self._left, block])
        count = min(sample - self._at, len(self._left))
        if count > 0:
            self._encode(self._left[:count])
            self._left = self._left[count:]

    def _encode(self, samples: F32) -> None:
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples).reshape(1, -1), format="flt", layout="stereo")
        frame.sample_rate, frame.pts, frame.time_base = RATE, self._at, Fraction(1, RATE)
        self._at += len(samples)
        for packet in self._stream.encode(frame):
            self._container.mux(packet)

    def end(self) -> None:
        for packet in self._stream.encode(None):
            self._container.mux(packet)


def _tape(container: Any, programme: ProgramSource, delivery: Delivery) -> _Tape | None:
    if programme.sound is None or not delivery.sound or not delivery.coding.sound:
        return None
    sound = programme.sound
    return _Tape(container, delivery.coding.sound, (b for _ in range(delivery.rounds) for b in sound()))


def _mark_chapters(container: Any, programme: ProgramSource, count: int) -> None:
    marks = [(name, frame) for name, frame in programme.chapters if frame < count]
    ends = [frame for _, frame in marks[1:]] + [count]
    base = 1 / programme.rate
    container.set_chapters(
        [
            {"id": i, "start": frame, "end": end, "time_base": base, "metadata": {"title": name}}
            for i, ((name, frame), end) in enumerate(zip(marks, ends, strict=True))
        ]
    )
