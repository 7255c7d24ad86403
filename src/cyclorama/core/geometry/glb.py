"""The container of glTF files, and quaternions as they are written there."""

import json
import struct
from typing import Any

import numpy as np
from numpy.typing import NDArray


def glb_bytes(document: dict[str, Any], binary: bytes) -> bytes:
    """A GLB file of a document and the bytes of its buffer, whose length is a multiple of 4 (glTF 2.0, section 4.4)."""
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    size = 12 + 8 + len(text) + 8 + len(binary)
    head = struct.pack("<4sII", b"glTF", 2, size) + struct.pack("<I4s", len(text), b"JSON")
    return head + text + struct.pack("<I4s", len(binary), b"BIN\0") + binary


def one_side(quaternions: NDArray[np.float64]) -> NDArray[np.float64]:
    """Quaternions (n, 4), each on the side of the one before, so that what lies between goes the short way."""
    flips = np.cumprod(np.append(1.0, np.where(np.sum(quaternions[1:] * quaternions[:-1], axis=1) < 0, -1.0, 1.0)))
    return np.asarray(quaternions * flips[:, None])
