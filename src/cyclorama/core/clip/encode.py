"""H.264 in MP4: plays everywhere, starts before it is all loaded."""

import errno
import secrets
from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from ..errors import IntakeError, ShootError, SpaceError
from ..picture.decode import decode_picture

Progress = Callable[[float], None]


Frame = tuple[str, Callable[[], bytes]]
"""What a frame is called in sentences, and how its PNG or JPEG file is read."""


def encode_mp4(
    frames: Sequence[Frame], rate: Fraction, target: Path, loops: int = 1, crf: int = 16,
    progress: Progress = lambda share: None,
) -> None:  # fmt: skip
    """Encode 8-bit pictures in order: H.264, yuv420p (BT.709, video range), exact rate, index at the front.

    An odd last line or column is left out, as 4:2:0 needs even sizes. `loops` repeats the sequence. The file is
    written aside, counted and renamed. Raises ShootError when a frame cannot be read, the sizes differ or the file
    does not hold what it should; `target` is then left as it was.
    """
    if not frames:
        raise ShootError("There are no frames to encode.")
    part = target.with_name(f".{secrets.token_hex(6)}.part")
    try:
        _encode(frames, rate, part, loops, crf, progress)
        _check(part, len(frames) * loops)
        part.replace(target)
    except av.FFmpegError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise SpaceError from error
        raise ShootError(f"The clip could not be encoded: {error}.") from error
    finally:
        part.unlink(missing_ok=True)


def _encode(frames: Sequence[Frame], rate: Fraction, part: Path, loops: int, crf: int, progress: Progress) -> None:
    with av.open(str(part), "w", format="mp4", options={"movflags": "+faststart"}) as container:
        stream, size = None, None
        total = len(frames) * loops
        for i in range(total):
            name, read = frames[i % len(frames)]
            picture = _pixels(read(), name)
            if stream is None:
                size = picture.shape
                stream = _video_stream(container, rate, size[1], size[0], crf)
            if picture.shape != size:
                raise ShootError(f"{name} has another size than the frames before it.")
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


def _check(part: Path, wanted: int) -> None:
    """Raises ShootError when a clip does not hold as many pictures as it should."""
    with av.open(str(part)) as container:
        found = sum(packet.size > 0 for packet in container.demux(video=0))
    if found != wanted:
        raise ShootError(f"The clip came out with {found} pictures instead of {wanted}. Try again.")


def _video_stream(container, rate: Fraction, width: int, height: int, crf: int):  # type: ignore[no-untyped-def]
    stream = container.add_stream("libx264", rate=rate)
    stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
    stream.codec_context.time_base = 1 / rate
    stream.options = {"crf": str(crf), "preset": "medium"}
    context = stream.codec_context
    context.color_primaries, context.color_trc, context.colorspace = 1, 1, 1  # BT.709
    context.color_range = 1  # video range
    return stream


def _pixels(data: bytes, name: str) -> np.ndarray:
    try:
        pixels = decode_picture(data, name)
    except IntakeError as error:
        raise ShootError(f"{name} cannot be read; shoot it again.") from error
    # transparent frames are laid over white, as most players would show them
    alpha = pixels[..., 3:].astype(np.uint16)
    if alpha.min() < 255:
        over = (pixels[..., :3] * alpha + 255 * (255 - alpha) + 127) // 255
        pixels = over.astype(np.uint8)
    h, w = pixels.shape[0] // 2 * 2, pixels.shape[1] // 2 * 2
    return np.ascontiguousarray(pixels[:h, :w, :3])
