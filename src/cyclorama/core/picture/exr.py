"""OpenEXR pictures: several layers in one file, half or float."""

import struct
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
from numpy.typing import NDArray

from ..arrays import Mask, RGBImage
from ..errors import IntakeError

REC709 = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)
"""Chromaticities of red, green, blue and white (ITU-R BT.709), as the EXR header names them."""
PRECISE = {"position", "depth", "motion"}
"""Layers that half floats would round too much."""


def encode_layers(layers: dict[str, NDArray[np.float32]], bits: int = 16) -> bytes:
    """An EXR of named layers, each (h, w), (h, w, 2), (h, w, 3) or (h, w, 4); "" is the main picture, "A" its alpha.

    Channels are called R G B A, X Y Z for vectors, Z for depth; `bits` 16 is half, 32 float.
    """
    channels: dict[str, NDArray[Any]] = {}
    for name, values in layers.items():
        exact = bits == 32 or name.split(".")[0] in PRECISE or name.startswith("matte ")
        kind = np.float32 if exact else np.float16
        limited = values if exact else np.clip(values, -65504, 65504)
        for suffix, plane in _planes(name, limited):
            channels[suffix] = np.ascontiguousarray(plane, kind)
    return encode_channels(channels, {})


def _planes(name: str, values: NDArray[Any]) -> list[tuple[str, NDArray[Any]]]:
    if values.ndim == 2 and name == "A":
        return [("A", values)]
    if values.ndim == 2:
        return [(f"{name}.Z" if name else "Y", values)]
    vector = name.split(".")[0] in ("normal", "position", "motion")
    letters = "XYZ" if vector else "RGBA"
    return [(f"{name}.{c}" if name else c, values[..., i]) for i, c in enumerate(letters[: values.shape[2]])]


def encode_channels(channels: dict[str, NDArray[Any]], attributes: dict[str, Any]) -> bytes:
    """An EXR of single channels (h, w), halves or floats, with full names, and attributes for its header."""
    header: dict[str, Any] = {
        "compression": OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "chromaticities": REC709,
        "software": "Cyclorama",
        **attributes,
    }
    # the library writes to paths only
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "picture.exr"
        with OpenEXR.File(header, channels) as file:
            file.write(str(path))
        return path.read_bytes()


def encode_exr(rgb: RGBImage, alpha: Mask | None = None, bits: int = 16) -> bytes:
    """An EXR of a linear picture (h, w, 3), premultiplied by `alpha` (h, w) if there is one."""
    return encode_layers({"": rgb if alpha is None else np.dstack([rgb, alpha])}, bits)


MAX_BYTES = 2_200_000_000
"""Of all channels unpacked as floats: a 16384×8192 picture with red, green, blue and alpha."""
_HEADER_BYTES = 1 << 20


def check_size(data: bytes, name: str) -> None:
    """Look at how large an EXR will be once unpacked, from its headers alone (OpenEXR File Layout, 2013).

    Raises IntakeError when it is too large or has no readable header.
    """
    try:
        version = struct.unpack_from("<I", data, 4)[0]
        at, total = 8, 0
        while True:
            size, channels, at = _read_header(data, at)
            total += size[0] * size[1] * channels * 4
            if total > MAX_BYTES or max(size) > 1 << 20:
                raise IntakeError(
                    f"‘{name}’ is {size[0]}×{size[1]} pixels with {channels} channels; at most 16384×8192 with 4 can "
                    "be used. Make it smaller and bring it in again."
                )
            if not version & 0x1000 or data[at] == 0:  # bit 12: several parts, each with a header
                return
    except (struct.error, IndexError, ValueError) as error:
        raise IntakeError(f"‘{name}’ is damaged and cannot be read. Export it again.") from error


def _read_header(data: bytes, at: int) -> tuple[tuple[int, int], int, int]:
    """Width and height, number of channels, and where the next header begins."""
    size, channels, end = None, 0, min(len(data), at + _HEADER_BYTES)
    while data[at] != 0:
        name_end = data.index(0, at, end)
        kind_end = data.index(0, name_end + 1, end)
        length = struct.unpack_from("<i", data, kind_end + 1)[0]
        value = kind_end + 5
        if length < 0 or value + length > end:
            raise ValueError("attribute")
        name = data[at:name_end]
        if name == b"dataWindow":
            left, top, right, bottom = struct.unpack_from("<4i", data, value)
            size = right - left + 1, bottom - top + 1
        elif name == b"channels":
            channels = _count_channels(data, value)
        at = value + length
    if size is None or min(size) < 1 or channels < 1:
        raise ValueError("window")
    return size, channels, at + 1


def _count_channels(data: bytes, at: int) -> int:
    count = 0
    while data[at] != 0:
        at = data.index(0, at) + 17  # after its name: kind, linearity, sampling
        count += 1
    return count


@contextmanager
def open_exr(data: bytes, name: str, separate_channels: bool) -> Iterator[dict[str, Any]]:
    """The channels of an EXR as the library gives them, each by itself or red, green and blue together.

    Raises IntakeError when it is damaged, also when that shows inside the block. How large it is is not looked at:
    what comes from elsewhere goes through `check_size` first.
    """
    with _opened(data, name, separate_channels) as exr:
        yield exr.channels()


@contextmanager
def _opened(data: bytes, name: str, separate_channels: bool) -> Iterator[Any]:
    try:
        # the library reads from paths only
        with tempfile.NamedTemporaryFile(suffix=".exr") as file:
            file.write(data)
            file.flush()
            with OpenEXR.File(file.name, separate_channels=separate_channels) as exr:
                yield exr
    except (RuntimeError, OSError, ValueError, TypeError) as error:
        raise IntakeError(f"‘{name}’ is damaged and cannot be read. Export it again.") from error


def exact_channels(data: bytes, name: str) -> tuple[dict[str, NDArray[Any]], dict[str, Any]]:
    """All channels (h, w) of an EXR as they are kept, halves or floats, and the attributes of its header.

    Raises IntakeError when it is damaged.
    """
    with _opened(data, name, separate_channels=True) as exr:
        return {k: np.array(c.pixels) for k, c in exr.channels().items()}, dict(exr.header())


def main_picture(data: bytes, name: str) -> NDArray[Any]:
    """The picture of an EXR as it is kept, halves or floats: (h, w, 3), with alpha (h, w, 4), or grey (h, w, 1).

    Raises IntakeError when it is damaged or has none.
    """
    with open_exr(data, name, separate_channels=False) as channels:
        for kind in ("RGB", "RGBA"):
            if kind in channels:
                return np.asarray(channels[kind].pixels)
        if "Y" in channels:
            return np.asarray(channels["Y"].pixels)[..., None]
    raise IntakeError(f"‘{name}’ has no red, green and blue channels.")


def read_layers(data: bytes, name: str) -> dict[str, NDArray[np.float32]]:
    """All channels (h, w) of an EXR by their full names.

    Raises IntakeError when it is damaged.
    """
    with open_exr(data, name, separate_channels=True) as channels:
        return {k: np.asarray(c.pixels, np.float32) for k, c in channels.items()}
