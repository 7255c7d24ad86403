"""The pictures of a file that is being written: their pixels in its encoder's kind."""

import os
from collections.abc import Iterator
from fractions import Fraction
from typing import Any

import av
import numpy as np
from av.video.reformatter import Colorspace, Interpolation, VideoReformatter
from numpy.typing import NDArray

from ..host.processes import calm_threads
from ..picture.view_transform import over, to_bytes
from .presets import Coding

F32 = NDArray[np.float32]
EXACT = Interpolation.BICUBIC | Interpolation.ACCURATE_RND | Interpolation.FULL_CHR_H_INT | Interpolation.FULL_CHR_H_INP
"""How pixels change their format: without these, all are darker by one or two of 255."""
UNTIMED = 2
"""H.265 of so few frames comes with times of decoding that are whatever lay in memory: x265 learns how far it is behind
from the frame after these."""
WHITE = 1.0
"""what lies behind alpha in files that hold none, as most players would show it"""
os.environ.setdefault("SVT_LOG", "1")  # the AV1 encoder tells of faults only


class Pictures:
    """The pictures of a file that is being written."""

    def __init__(self, container: Any, coding: Coding, rate: Fraction, options: dict[str, str]):
        self._container, self._coding, self._rate, self._options = container, coding, rate, options
        self._stream: Any = None
        self._graph: Any = None
        self._number = 0
        self._reformatter = VideoReformatter()  # a frame's own would be prepared anew for each

    def add(self, picture: F32) -> None:
        frame = picture_frame(picture, self._coding.clear, self._coding.bits)
        if self._coding.codec == "gif":
            self._gather(frame)
            return
        if self._stream is None:
            self._begin(frame.width, frame.height)
        frame = self._reformatter.reformat(
            frame,
            format=self._coding.pixels,
            interpolation=EXACT,
            src_colorspace=Colorspace.ITU709,
            dst_colorspace=Colorspace.ITU709,
            dst_color_range="MPEG" if "yuv" in self._coding.pixels else "JPEG",
        )
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
        calm_threads()
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
            packets = self._stream.encode()
            if self._number <= UNTIMED and self._coding.codec == "libx265":
                for n, packet in enumerate(packets):
                    packet.dts = n
            for packet in packets:
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


def picture_frame(picture: F32, clear: bool, bits: int) -> av.VideoFrame:
    """A picture with as many bits and channels as a kind of file can hold; alpha it cannot hold lies over white."""
    picture = with_alpha(picture) if clear else over(picture, WHITE)
    deep = bits > 8
    pixels: NDArray[Any] = (np.clip(picture, 0, 1) * 65535 + 0.5).astype(np.uint16) if deep else to_bytes(picture)
    layout = {(False, 3): "rgb24", (False, 4): "rgba", (True, 3): "rgb48le", (True, 4): "rgba64le"}
    return av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels), format=layout[deep, pixels.shape[2]])
