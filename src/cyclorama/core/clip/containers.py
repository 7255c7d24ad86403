"""Writing moving pictures: frames and sound into one file of any of the presets' kinds.

Files are written aside, counted and renamed, so a file of that name is always whole. Where several tries are needed (a
size it must fit in, a palette for all frames), frames are made once and kept losslessly beside it meanwhile.
"""

import errno
import os
import secrets
import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.video.reformatter import Colorspace, Interpolation, VideoReformatter
from numpy.typing import NDArray
from PIL import Image

from ..errors import ShootError, SpaceError
from ..picture.view import over, to_bytes
from .delivery import Coding, Delivery
from .tones import RATE, sample_of

F32 = NDArray[np.float32]
Tell = Callable[[str, float], None]
"""Told what is done and how much of all; may raise to stop."""
EXACT = Interpolation.BICUBIC | Interpolation.ACCURATE_RND | Interpolation.FULL_CHR_H_INT | Interpolation.FULL_CHR_H_INP
"""How pixels change their format: without these, all are darker by one or two of 255."""
AT_ONCE = 2
"""So many frames are made at a time."""
AHEAD = 6
"""So many frames are made before they are wanted: all that is held at a time."""
WHITE = 1.0
"""what lies behind alpha in files that hold none, as most players would show it"""
os.environ.setdefault("SVT_LOG", "1")  # the AV1 encoder tells of faults only


@dataclass(frozen=True)
class Programme:
    """What is to be written: frames that can be made in any order, sound in blocks, and what is said about it."""

    frame: Callable[[int], F32]
    """Gives frame i, 0 the first: (h, w, 3) or with straight alpha (h, w, 4), display values"""
    count: int
    rate: Fraction
    sound: Callable[[], Iterator[F32]] | None = None
    """Gives stereo blocks (n, 2) at 48 kHz, as long as the frames"""
    name: str = ""
    chapters: Sequence[tuple[str, int]] = ()
    """name and frame of each"""


def in_order(frame: Callable[[int], F32], numbers: Iterable[int]) -> Iterator[F32]:
    """Frames in order, some of them made ahead of time by threads of their own."""
    with ThreadPoolExecutor(AT_ONCE) as pool:
        waiting: list[Future[F32]] = []
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


def encode(programme: Programme, delivery: Delivery, target: Path, tell: Tell) -> dict[str, str]:
    """Write a moving picture; what the encoder was told in the end.

    Raises ShootError when it cannot be written or does not fit, SpaceError on a full disk; `target` is then as it was.
    """
    coding = delivery.coding
    part = target.with_name(f".{secrets.token_hex(6)}.part")
    spool = target.with_name(f".{secrets.token_hex(6)}.spool")
    count = programme.count * delivery.rounds
    try:
        with _told_of_faults(coding):
            if delivery.fits_mb is None and coding.codec != "gif":
                options = delivery.options()
                numbers = (i % programme.count for i in range(count))
                frames = in_order(programme.frame, numbers)
                _write(part, frames, count, programme, delivery, options, lambda share: tell("Encoding", share))
            else:
                _spool(spool, programme, lambda share: tell("Making frames", 0.6 * share))
                options = _fitted(part, spool, programme, delivery, lambda what, s: tell(what, 0.6 + 0.4 * s))
        part.replace(target)
        return options
    finally:
        part.unlink(missing_ok=True)
        spool.unlink(missing_ok=True)


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


def _fitted(part: Path, spool: Path, programme: Programme, delivery: Delivery, tell: Tell) -> dict[str, str]:
    """Write from kept frames, as fine as was asked for or, where it must fit, as fine as fits."""
    count = programme.count * delivery.rounds

    def written(quality: int, done: float, part_of: float) -> int:
        part.unlink(missing_ok=True)
        frames = (f for _ in range(delivery.rounds) for f in _unspooled(spool))
        options = delivery.options(quality)
        _write(part, frames, count, programme, delivery, options,
               lambda share: tell(f"Encoding at {quality} %", done + part_of * share))  # fmt: skip
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


def _write(
    part: Path, frames: Iterable[F32], count: int, programme: Programme, delivery: Delivery, options: dict[str, str],
    tell: Callable[[float], None],
) -> None:  # fmt: skip
    """Write one file. Raises av.FFmpegError, ShootError."""
    coding = delivery.coding
    with av.open(str(part), "w", format=coding.ending, options=delivery.file_options()) as container:
        if programme.name:
            container.metadata["title"] = programme.name
        made = _Pictures(container, coding, programme.rate, options)
        tape = _tape(container, programme, delivery)
        for i, picture in enumerate(frames):
            made.add(picture)
            if tape is not None:
                tape.play_to(sample_of(i + 1, programme.rate))
            tell((i + 1) / count)
        made.end()
        if tape is not None:
            tape.end()
        if programme.chapters and coding.ending in ("mp4", "mov"):
            _mark_chapters(container, programme, count)
    found = pictures_in(part)
    if found != count:
        raise ShootError(f"The file came out with {found} pictures instead of {count}. Try again.")


def pictures_in(path: Path) -> int:
    """How many pictures a file holds."""
    if is_webp(path):
        with Image.open(path) as image:  # animated ones are not read by the other library
            return int(getattr(image, "n_frames", 1))
    with av.open(str(path), "r") as container:
        return sum(packet.size > 0 for packet in container.demux(video=0))


def is_webp(path: Path) -> bool:
    """Whether a file is WebP."""
    with path.open("rb") as file:
        return file.read(12)[8:] == b"WEBP"


def _hold_back() -> None:
    """Threads that took themselves for more urgent than all others stand back among them.

    Run by root, as in a container, the AV1 encoder makes its threads and the one that called it real-time ones
    (SCHED_FIFO): nothing else on the machine would move until it is done, and all that is started later would be so.
    """
    if sys.platform != "linux":
        return
    for thread in os.listdir("/proc/self/task"):
        with suppress(ProcessLookupError):  # it has ended meanwhile
            if os.sched_getscheduler(int(thread)) == os.SCHED_FIFO:
                os.sched_setscheduler(int(thread), os.SCHED_OTHER, os.sched_param(0))


class _Pictures:
    """The pictures of a file that is being written."""

    def __init__(self, container: Any, coding: Coding, rate: Fraction, options: dict[str, str]):
        self._container, self._coding, self._rate, self._options = container, coding, rate, options
        self._stream: Any = None
        self._graph: Any = None
        self._number = 0
        self._reformatter = VideoReformatter()  # a frame's own would be prepared anew for each

    def add(self, picture: F32) -> None:
        frame = _picture_frame(picture, self._coding.clear, self._coding.bits)
        if self._coding.codec == "gif":
            self._gather(frame)
            return
        if self._stream is None:
            self._begin(frame.width, frame.height)
        frame = self._reformatter.reformat(
            frame, format=self._coding.pixels, interpolation=EXACT, src_colorspace=Colorspace.ITU709,
            dst_colorspace=Colorspace.ITU709, dst_color_range="MPEG" if "yuv" in self._coding.pixels else "JPEG",
        )  # fmt: skip
        self._put(frame)

    def _put(self, frame: av.VideoFrame) -> None:
        frame.pts, frame.time_base = self._number, 1 / self._rate
        self._number += 1
        for packet in self._stream.encode(frame):
            self._container.mux(packet)

    def _begin(self, width: int, height: int) -> None:
        coding = self._coding
        stream = self._container.add_stream(coding.codec, rate=self._rate)
        stream.width, stream.height, stream.pix_fmt = width, height, coding.pixels
        context = stream.codec_context
        context.time_base = 1 / self._rate
        stream.options = {k: v for k, v in self._options.items() if k not in ("colours", "scale")}
        if "yuv" in coding.pixels:
            context.color_primaries = context.color_trc = context.colorspace = 1  # BT.709
            context.color_range = 1  # video range
        if "qmin" in self._options:
            context.qmin = context.qmax = int(self._options["qmin"])
        if coding.tag:
            context.codec_tag = coding.tag
        if coding.clear and coding.ending == "webm":
            stream.metadata["alpha_mode"] = "1"
        context.open()
        _hold_back()
        self._stream = stream

    def _gather(self, frame: av.VideoFrame) -> None:
        """A GIF has one palette for all frames, so that still parts do not crawl: it is known when all have come."""
        if self._graph is None:
            scale = float(self._options["scale"])
            width, height = max(2, round(frame.width * scale)), max(2, round(frame.height * scale))
            self._graph = _gif_graph(frame, self._rate, width, height, self._options["colours"])
        frame.pts, frame.time_base = self._number, 1 / self._rate
        self._number += 1
        self._graph.push(frame)

    def end(self) -> None:
        if self._graph is not None:
            self._graph.push(None)
            self._number = 0
            for frame in _pulled(self._graph):
                if self._stream is None:
                    self._begin(frame.width, frame.height)
                self._put(frame)
        if self._stream is not None:
            for packet in self._stream.encode():
                self._container.mux(packet)


def _gif_graph(frame: av.VideoFrame, rate: Fraction, width: int, height: int, colours: str) -> Any:
    graph = av.filter.Graph()
    source = graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=1 / rate)
    size = graph.add("scale", f"{width}:{height}:flags=lanczos")
    split = graph.add("split")
    palette = graph.add("palettegen", f"max_colors={colours}:stats_mode=full:reserve_transparent=0")
    use = graph.add("paletteuse", "dither=sierra2_4a:diff_mode=rectangle")
    sink = graph.add("buffersink")
    source.link_to(size)
    size.link_to(split)
    split.link_to(use, 0, 0)
    split.link_to(palette, 1, 0)
    palette.link_to(use, 0, 1)
    use.link_to(sink)
    graph.configure()
    return graph


def _pulled(graph: Any) -> Iterator[av.VideoFrame]:
    while True:
        try:
            yield graph.pull()
        except (av.BlockingIOError, av.EOFError):
            return


def with_alpha(picture: F32) -> F32:
    """The picture (h, w, 4); one without alpha is opaque."""
    return picture if picture.shape[2] == 4 else np.dstack([picture, np.ones(picture.shape[:2], np.float32)])


def _picture_frame(picture: F32, clear: bool, bits: int) -> av.VideoFrame:
    """A picture with as many bits and channels as a kind of file can hold; alpha it cannot hold lies over white."""
    picture = with_alpha(picture) if clear else over(picture, WHITE)
    deep = bits > 8
    pixels: NDArray[Any] = (np.clip(picture, 0, 1) * 65535 + 0.5).astype(np.uint16) if deep else to_bytes(picture)
    layout = {(False, 3): "rgb24", (False, 4): "rgba", (True, 3): "rgb48le", (True, 4): "rgba64le"}
    return av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels), format=layout[deep, pixels.shape[2]])


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


def _tape(container: Any, programme: Programme, delivery: Delivery) -> _Tape | None:
    if programme.sound is None or not delivery.sound or not delivery.coding.sound:
        return None
    sound = programme.sound
    return _Tape(container, delivery.coding.sound, (b for _ in range(delivery.rounds) for b in sound()))


def _mark_chapters(container: Any, programme: Programme, count: int) -> None:
    marks = [(name, frame) for name, frame in programme.chapters if frame < count]
    ends = [frame for _, frame in marks[1:]] + [count]
    base = 1 / programme.rate
    container.set_chapters([
        {"id": i, "start": frame, "end": end, "time_base": base, "metadata": {"title": name}}
        for i, ((name, frame), end) in enumerate(zip(marks, ends, strict=True))
    ])  # fmt: skip


def _spool(path: Path, programme: Programme, tell: Callable[[float], None]) -> None:
    """Keep all frames losslessly, 8 bits with alpha."""
    with av.open(str(path), "w", format="matroska") as container:
        stream: Any = None
        for i, picture in enumerate(in_order(programme.frame, range(programme.count))):
            if stream is None:
                stream = container.add_stream("ffv1", rate=programme.rate)
                stream.width, stream.height, stream.pix_fmt = picture.shape[1], picture.shape[0], "bgra"
            frame = _picture_frame(picture, clear=True, bits=8).reformat(format="bgra")
            frame.pts, frame.time_base = i, 1 / programme.rate
            for packet in stream.encode(frame):
                container.mux(packet)
            tell((i + 1) / programme.count)
        for packet in stream.encode():
            container.mux(packet)


def _unspooled(path: Path) -> Iterator[F32]:
    with av.open(str(path), "r") as container:
        for frame in container.decode(video=0):
            pixels = frame.to_ndarray(format="rgba")
            opaque = bool((pixels[..., 3] == 255).all())
            yield ((pixels[..., :3] if opaque else pixels) / 255).astype(np.float32)
