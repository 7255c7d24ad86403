"""GLB files taken apart and put together again."""

import json
import struct
from typing import Any


def document_of(data: bytes) -> tuple[dict[str, Any], bytes]:
    """The JSON of a GLB and its binary chunk."""
    size = struct.unpack_from("<I", data, 12)[0]
    return json.loads(data[20 : 20 + size]), data[28 + size :]


def packed(document: dict[str, Any], binary: bytes) -> bytes:
    """A GLB of a document, whatever it says, and a binary chunk."""
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    binary += b"\0" * (-len(binary) % 4)
    body = struct.pack("<I4s", len(text), b"JSON") + text + struct.pack("<I4s", len(binary), b"BIN\0") + binary
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


def gltf(document: dict[str, Any], binary: bytes) -> bytes:
    """The same, the document's one buffer being the chunk."""
    document["buffers"] = [{"byteLength": len(binary)}]
    return packed(document, binary)
