"""Access to what a glTF file holds: buffers, views and accessors (glTF 2.0, section 3.6)."""

import base64
import binascii
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from ...errors import IntakeError
from .files import FileBundle

_COMPONENT = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
_WIDTH = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}


class GltfFile:
    """Access to buffers and accessors."""

    def __init__(self, name: str, document: dict[str, Any], chunk: bytes | None, bundle: FileBundle):
        self.name, self.document, self.bundle = name, document, bundle
        self._chunk = chunk
        self._buffers: dict[int, bytes] = {}

    def uri(self, uri: str) -> bytes | None:
        """Bytes behind a data URI or a file beside the model; None when it is not there."""
        if uri.startswith("data:"):
            try:
                return base64.b64decode(uri.split(",", 1)[1], validate=False)
            except (IndexError, binascii.Error):
                return None
        return self.bundle.beside(self.name, unquote(uri))

    def buffer(self, index: int) -> bytes:
        if index not in self._buffers:
            entry = self.document["buffers"][index]
            data = self.uri(entry["uri"]) if "uri" in entry else self._chunk
            if data is None:
                missing = entry.get("uri", "its binary part")
                raise IntakeError(f"‘{self.name}’ needs ‘{missing}’. Bring in both together, or export as GLB.")
            if len(data) < entry["byteLength"]:
                raise IntakeError(f"‘{self.name}’ ends too early: its data is cut off. Copy or export it again.")
            self._buffers[index] = data
        return self._buffers[index]

    def view(self, index: int) -> bytes:
        view = self.document["bufferViews"][index]
        start = view.get("byteOffset", 0)
        return self.buffer(view["buffer"])[start : start + view["byteLength"]]

    def accessor(self, index: int) -> NDArray[Any]:
        """The values (count, width) of an accessor, normalised integers as floats (3.6.2)."""
        entry = self.document["accessors"][index]
        dtype, width = np.dtype(_COMPONENT[entry["componentType"]]), _WIDTH[entry["type"]]
        count = entry["count"]
        if count < 0 or count > 500_000_000:
            raise ValueError("accessor count")
        if "bufferView" in entry:
            values = self._strided(entry["bufferView"], entry.get("byteOffset", 0), dtype, count, width)
        else:
            values = np.zeros((count, width), dtype)
        if "sparse" in entry:
            values = values.copy()
            sparse = entry["sparse"]
            at, new = sparse["indices"], sparse["values"]
            where = self._strided(at["bufferView"], at.get("byteOffset", 0),
                                  np.dtype(_COMPONENT[at["componentType"]]), sparse["count"], 1)[:, 0]  # fmt: skip
            values[where] = self._strided(new["bufferView"], new.get("byteOffset", 0), dtype, sparse["count"], width)
        if entry.get("normalized") and dtype.kind in "iu":
            values = np.maximum(values.astype(np.float32) / np.iinfo(dtype.type).max, -1.0)
        return values

    def _strided(self, view: int, offset: int, dtype: np.dtype[Any], count: int, width: int) -> NDArray[Any]:
        data = self.view(view)
        item = dtype.itemsize * width
        stride = self.document["bufferViews"][view].get("byteStride") or item
        if count and offset + stride * (count - 1) + item > len(data):
            raise IntakeError(f"‘{self.name}’ ends too early: its data is cut off. Copy or export it again.")
        if stride == item:
            return np.frombuffer(data, dtype, count * width, offset).reshape(count, width)
        return np.ndarray((count, width), dtype, data, offset, (stride, dtype.itemsize)).copy()
