"""Access to what a glTF file holds: buffers, views and accessors (glTF 2.0, section 3.6), packed or not."""

import base64
import binascii
from typing import Any
from urllib.parse import unquote

import DracoPy
import numpy as np
from numpy.typing import NDArray

from ...errors import IntakeError
from .files import FileBundle
from .meshopt import unpack_buffer

_COMPONENT = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
_WIDTH = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
_PACKED_VIEWS = ("EXT_meshopt_compression", "KHR_meshopt_compression")
_DRACO = "KHR_draco_mesh_compression"
MOST_FROM_NOTHING = 50_000_000
"""Values of an accessor that has no bytes behind it and so costs the file nothing."""


class GltfFile:
    """Access to buffers and accessors."""

    def __init__(self, name: str, document: dict[str, Any], chunk: memoryview | None, bundle: FileBundle):
        self.name, self.document, self.bundle = name, document, bundle
        self._chunk = chunk
        self._buffers: dict[int, memoryview] = {}
        self._unpacked: dict[int, memoryview] = {}

    def uri(self, uri: str) -> bytes | None:
        """Bytes behind a data URI or a file beside the model; None when it is not there."""
        if uri.startswith("data:"):
            try:
                return base64.b64decode(uri.split(",", 1)[1], validate=False)
            except (IndexError, binascii.Error):
                return None
        return self.bundle.beside(self.name, unquote(uri))

    def buffer(self, index: int) -> memoryview:
        if index not in self._buffers:
            entry = self.document["buffers"][index]
            given = self.uri(entry["uri"]) if "uri" in entry else self._chunk
            if given is None:
                missing = entry.get("uri", "its binary part")
                raise IntakeError(f"‘{self.name}’ needs ‘{missing}’. Bring in both together, or export as GLB.")
            if len(given) < entry["byteLength"]:
                raise self.cut_off
            self._buffers[index] = memoryview(given)
        return self._buffers[index]

    @property
    def cut_off(self) -> IntakeError:
        return IntakeError(f"‘{self.name}’ ends too early: its data is cut off. Copy or export it again.")

    def view(self, index: int) -> memoryview:
        """The bytes of a buffer view, unpacked."""
        view = self.document["bufferViews"][index]
        for extension in _PACKED_VIEWS:
            packed = view.get("extensions", {}).get(extension)
            if packed is not None:
                if index not in self._unpacked:
                    data = self._part_of(packed)
                    out = unpack_buffer(
                        self.name,
                        bytes(data),
                        packed["count"],
                        packed["byteStride"],
                        packed["mode"],
                        packed.get("filter", "NONE"),
                    )
                    self._unpacked[index] = memoryview(out.tobytes())
                return self._unpacked[index]
        return self._part_of(view)

    def _part_of(self, view: dict[str, Any]) -> memoryview:
        start = view.get("byteOffset", 0)
        if start < 0 or view["byteLength"] < 0:
            raise ValueError("a view before its buffer")
        return self.buffer(view["buffer"])[start : start + view["byteLength"]]

    def accessor(self, index: int) -> NDArray[Any]:
        """The values (count, width) of an accessor, normalised integers as floats (3.6.2)."""
        entry = self.document["accessors"][index]
        dtype, width = np.dtype(_COMPONENT[entry["componentType"]]), _WIDTH[entry["type"]]
        count = entry["count"]
        if count < 0 or ("bufferView" not in entry and count * width > MOST_FROM_NOTHING):
            raise self.cut_off
        if "bufferView" in entry:
            values = self._strided(entry["bufferView"], entry.get("byteOffset", 0), dtype, count, width)
        else:
            values = np.zeros((count, width), dtype)
        if "sparse" in entry:
            values = values.copy()
            sparse = entry["sparse"]
            at, new = sparse["indices"], sparse["values"]
            where = self._strided(
                at["bufferView"], at.get("byteOffset", 0), np.dtype(_COMPONENT[at["componentType"]]), sparse["count"], 1
            )[:, 0]
            values[where] = self._strided(new["bufferView"], new.get("byteOffset", 0), dtype, sparse["count"], width)
        return _as_floats(values) if entry.get("normalized") else values

    def _strided(self, view: int, offset: int, dtype: np.dtype[Any], count: int, width: int) -> NDArray[Any]:
        data = self.view(view)
        item = dtype.itemsize * width
        stride = self.document["bufferViews"][view].get("byteStride") or item
        if count and (offset < 0 or offset + stride * (count - 1) + item > len(data)):
            raise self.cut_off
        if stride == item:
            return np.frombuffer(data, dtype, count * width, offset).reshape(count, width)
        return np.ndarray((count, width), dtype, data, offset, (stride, dtype.itemsize)).copy()

    def primitive(self, primitive: dict[str, Any]) -> tuple[dict[str, NDArray[Any]], NDArray[Any] | None]:
        """Attributes (v, width) by name and indices (i,) of a primitive, from its packing where it has one."""
        packed = primitive.get("extensions", {}).get(_DRACO)
        known: dict[str, NDArray[Any]] = {}
        indices: NDArray[Any] | None = None
        if packed is not None:
            known, indices = self._draco(packed, primitive["attributes"])
        for name, index in primitive["attributes"].items():
            if name not in known and name.startswith(("POSITION", "NORMAL", "TEXCOORD", "COLOR", "JOINTS", "WEIGHTS")):
                known[name] = self.accessor(index)
        if indices is None and "indices" in primitive:
            indices = self.accessor(primitive["indices"])[:, 0]
        return known, indices

    def _draco(
        self, packed: dict[str, Any], attributes: dict[str, int]
    ) -> tuple[dict[str, NDArray[Any]], NDArray[Any]]:
        """KHR_draco_mesh_compression; integers that count as 0…1 are brought there."""
        try:
            mesh = DracoPy.decode(bytes(self.view(packed["bufferView"])))
            by_id = {a["unique_id"]: a["data"] for a in mesh.attributes}
            faces = np.asarray(mesh.faces).reshape(-1)
        except (DracoPy.FileTypeException, ValueError, RuntimeError, AttributeError) as error:
            raise IntakeError(
                f"‘{self.name}’ is damaged: its packed mesh data cannot be unpacked. Copy or export it again."
            ) from error
        found = {}
        for name, identity in packed["attributes"].items():
            values = np.asarray(by_id[identity])
            values = values.reshape(len(values), -1)
            if name in attributes and self.document["accessors"][attributes[name]].get("normalized"):
                values = _as_floats(values)
            found[name] = values
        return found, faces


def _as_floats(values: NDArray[Any]) -> NDArray[Any]:
    if values.dtype.kind not in "iu":
        return values
    return np.maximum(values.astype(np.float32) / np.iinfo(values.dtype.type).max, -1.0)
