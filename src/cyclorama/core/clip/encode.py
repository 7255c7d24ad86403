"""H.264 in MP4: plays everywhere, starts before it is all loaded."""

from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from PIL import Image

from ..errors import ShootError

Progress = Callable[[float], None]


def encode_mp4(
    frames: Sequence[Path], rate: Fraction, target: Path, loops: int = 1, crf: int = 16,
    progress: Progress = lambda share: None,
) -> None:  # fmt: skip
    """Encode 8-bit pictures in order: H.264, yuv420p (BT.709, video range), exact rate, index at the front.

    An odd last line or column is left out, as 4:2:0 needs even sizes. `loops` repeats the sequence. Raises
    ShootError when a frame cannot be read or the sizes differ; `target` is then left as it was.
    """
    if not frames:
        raise ShootError("There are no frames to encode.")
    part = target.with_suffix(".part.mp4")
    try:
        with av.open(str(part), "w", options={"movflags": "+faststart"}) as container:
            stream, size = None, None
            total = len(frames) * loops
            for i in range(total):
                picture = _read(frames[i % len(frames)])
                if stream is None:
                    size = picture.shape
                    stream = _video_stream(container, rate, size[1], size[0], crf)
                if picture.shape != size:
                    raise ShootError(f"‘{frames[i].name}’ has another size than the frames before it.")
                frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
                frame = frame.reformat(
                    format="yuv420p", src_colorspace="ITU709", dst_colorspace="ITU709", dst_color_range="MPEG"
                )
                frame.pts, frame.time_base = i, 1 / rate
                for packet in stream.encode(frame):
                    container.mux(packet)
                progress((i + 1) / total)
            assert stream is not None
            for packet in stream.encode():
                container.mux(packet)
        part.replace(target)
    except av.FFmpegError as error:
        raise ShootError(f"The clip could not be encoded: {error}.") from error
    finally:
        part.unlink(missing_ok=True)


def _video_stream(container, rate: Fraction, width: int, height: int, crf: int):  # type: ignore[no-untyped-def]
    stream = container.add_stream("libx264", rate=rate)
    stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
    stream.codec_context.time_base = 1 / rate
    stream.options = {"crf": str(crf), "preset": "medium"}
    context = stream.codec_context
    context.color_primaries, context.color_trc, context.colorspace = 1, 1, 1  # BT.709
    context.color_range = 1  # video range
    return stream


def _read(path: Path) -> np.ndarray:
    try:
        with Image.open(path) as image:
            # transparent frames are laid over white, as most players would show them
            white = Image.new("RGBA", image.size, "white")
            pixels = np.asarray(Image.alpha_composite(white, image.convert("RGBA")).convert("RGB"))
    except OSError as error:
        raise ShootError(f"The frame ‘{path.name}’ cannot be read; shoot it again.") from error
    h, w = pixels.shape[0] // 2 * 2, pixels.shape[1] // 2 * 2
    return np.ascontiguousarray(pixels[:h, :w])
