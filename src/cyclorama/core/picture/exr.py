"""OpenEXR pictures: several layers in one file, half or float."""

import tempfile
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


def encode_layers(
    layers: dict[str, NDArray[np.float32]], bits: int = 16, header: dict[str, str] | None = None, rate: float = 24.0
) -> bytes:
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
    return _written(channels, header or {}, rate)


def encode_channels(channels: dict[str, NDArray[np.float32]], header: dict[str, str], rate: float = 24.0) -> bytes:
    """An EXR of single float channels with full names."""
    return _written({k: np.ascontiguousarray(v, np.float32) for k, v in channels.items()}, header, rate)


def _planes(name: str, values: NDArray[Any]) -> list[tuple[str, NDArray[Any]]]:
    if values.ndim == 2 and name == "A":
        return [("A", values)]
    if values.ndim == 2:
        return [(f"{name}.Z" if name else "Y", values)]
    vector = name.split(".")[0] in ("normal", "position", "motion")
    letters = "XYZ" if vector else "RGBA"
    return [(f"{name}.{c}" if name else c, values[..., i]) for i, c in enumerate(letters[: values.shape[2]])]


def _written(channels: dict[str, NDArray[Any]], more: dict[str, str], rate: float) -> bytes:
    header: dict[str, Any] = {
        "compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, "chromaticities": REC709,
        "software": "Cyclorama", **more,
    }  # fmt: skip
    # the library writes to paths only
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "picture.exr"
        with OpenEXR.File(header, channels) as file:
            file.write(str(path))
        return path.read_bytes()


def encode_exr(rgb: RGBImage, alpha: Mask | None = None, bits: int = 16) -> bytes:
    """An EXR of a linear picture (h, w, 3), premultiplied by `alpha` (h, w) if there is one."""
    return encode_layers({"": rgb if alpha is None else np.dstack([rgb, alpha])}, bits)


def read_layers(data: bytes, name: str) -> dict[str, NDArray[np.float32]]:
    """All channels (h, w) of an EXR by their full names.

    Raises IntakeError when it is damaged.
    """
    try:
        with tempfile.NamedTemporaryFile(suffix=".exr") as file:
            file.write(data)
            file.flush()
            with OpenEXR.File(file.name, separate_channels=True) as exr:
                return {k: np.asarray(c.pixels, np.float32) for k, c in exr.channels().items()}
    except (RuntimeError, OSError, ValueError, TypeError) as error:
        raise IntakeError(f"‘{name}’ is damaged and cannot be read. Export it again.") from error
