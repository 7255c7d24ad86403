"""A quick clip of frames that are there: the web clip's preset, encoder, verification and resume, without a cut."""

import secrets
from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..errors import IntakeError, ShootError
from ..picture_files import decode_picture
from .containers import encode
from .presets import Delivery
from .program_source import ProgramSource
from .verify import verify_delivery

Progress = Callable[[float], None]
Frame = tuple[str, Callable[[], bytes | NDArray[np.uint8]]]
"""What a frame is called in sentences, and how its PNG or JPEG file is read, or its pixels (h, w, 3 or 4) are made."""
QUALITY = 87
"""CRF 16 of the web clip's ladder"""


def encode_mp4(
    frames: Sequence[Frame],
    rate: Fraction,
    target: Path,
    loops: int = 1,
    progress: Progress = lambda share: None,
    pieces: Path | None = None,
) -> None:
    """Encode 8-bit pictures in order: H.264, yuv420p (BT.709, video range), exact rate, index at the front.

    An odd last line or column is left out, as 4:2:0 needs even sizes; transparent frames are laid over white, as most
    players would show them. `loops` repeats the sequence. What is written already lies in `pieces`, and is used when it
    goes on. Raises ShootError when a frame cannot be read, the sizes differ or the file does not hold what it should;
    `target` is then left as it was.
    """
    if not frames:
        raise ShootError("There are no frames to encode.")
    size = _pixels(frames[0]).shape[:2]

    def frame(i: int) -> NDArray[np.float32]:
        pixels = _pixels(frames[i])
        if pixels.shape[:2] != size:
            raise ShootError(f"{frames[i][0]} has another size than the frames before it.")
        h, w = size[0] // 2 * 2, size[1] // 2 * 2
        return (pixels[:h, :w] / 255).astype(np.float32)

    high, wide = (side // 2 * 2 for side in size)
    delivery = Delivery(preset="web", quality=QUALITY, rounds=loops, width=wide, height=high)
    programme, part = ProgramSource(frame, len(frames), rate), target.with_name(f".{secrets.token_hex(6)}.clip.mp4")
    try:
        encode(programme, delivery, part, lambda what, share: progress(0.97 * share), pieces)
        for line in verify_delivery(part, programme, delivery, None):
            if not line.fine and not line.what.endswith(" frame"):  # grain may be far from its source, and still is it
                raise ShootError(f"The clip is not as it should be: {line.sentence} Try again.")
        part.replace(target)
    finally:
        part.unlink(missing_ok=True)


def _pixels(frame: Frame) -> NDArray[np.uint8]:
    name, read = frame
    data = read()
    try:
        return decode_picture(data, name) if isinstance(data, bytes) else data
    except IntakeError as error:
        raise ShootError(f"{name} cannot be read; shoot it again.") from error
