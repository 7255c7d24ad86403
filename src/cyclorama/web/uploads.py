"""Files that are sent to the studio: written to disk as they arrive, and stopped where they become too much.

The framework's own way keeps small files in memory, writes large ones to the system's folder for temporary files, and
hands them over when everything has arrived; limits would only be looked at then.
"""

import secrets
import shutil
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager, suppress
from pathlib import Path
from typing import BinaryIO, TypeVar

from fastapi import Request
from fastapi.concurrency import run_in_threadpool
from python_multipart.exceptions import MultipartParseError
from python_multipart.multipart import MultipartParser, parse_options_header
from starlette.requests import ClientDisconnect

from ..app.uploads import INCOMING, Uploads
from ..core.errors import IntakeError, SpaceError, telling_of_space
from ..core.file_names import relative_name
from .guard import whole_body

T = TypeVar("T")
MAX_BYTES = 2 << 30
MAX_FILES = 2000
TOO_MUCH = "These files are larger than 2 GB together. Reduce the model first."
TOO_MANY = f"These are more than {MAX_FILES} files. Send only what belongs to the model, or a zip of it."
BROKEN = "The files did not arrive whole. Send them again."
BODY = {
    "requestBody": {
        "required": True,
        "content": {
            "multipart/form-data": {
                "schema": {
                    "type": "object",
                    "required": ["files"],
                    "properties": {"files": {"type": "array", "items": {"type": "string", "format": "binary"}}},
                }
            }
        },
    }
}
"""How such a request looks, for the description of the interface."""


@asynccontextmanager
async def receive(request: Request, data_folder: Path) -> AsyncIterator[Uploads]:
    """The files of a multipart request. They are removed when the block ends with an error, and kept else.

    Raises IntakeError when they are too large, too many or none, SpaceError when there is no room for them.
    """
    length = request.headers.get("content-length", "")
    if length.isdigit():
        _check_room(data_folder, int(length))
    uploads = Uploads(data_folder / INCOMING / secrets.token_hex(8))
    uploads.folder.mkdir(parents=True)
    try:
        with telling_of_space():
            await _receive(request, uploads)
        if not uploads.paths:
            raise IntakeError("No file arrived. Choose a file and send it again.")
        yield uploads
    except BaseException:
        uploads.clear()
        raise


async def made_of_file(request: Request, data_folder: Path, make: Callable[..., T], *arguments: object) -> T:
    """Result of `make(*arguments, name, path)` for the first file of a multipart request, in a thread of its own. The
    file is removed unless it was moved elsewhere. Raises as `receive`."""
    async with receive(request, data_folder) as uploads:
        name, path = next(iter(uploads.paths.items()))
        made = await run_in_threadpool(make, *arguments, name, path)
        uploads.clear()
        return made


async def received_file(request: Request, data_folder: Path, most_bytes: int) -> tuple[str, bytes]:
    """Name and contents of the first file of a multipart request, of which nothing is kept. Raises as `receive`, and
    IntakeError when it is larger than it may."""
    async with receive(request, data_folder) as uploads:
        name, path = next(iter(uploads.paths.items()))
        if path.stat().st_size > most_bytes:
            raise IntakeError(f"‘{name}’ is larger than {most_bytes >> 20} MB, which no such file is.")
        data = await run_in_threadpool(path.read_bytes)
        uploads.clear()
        return name, data


def _check_room(folder: Path, length: int) -> None:
    if length > MAX_BYTES + MAX_FILES * 1024:
        raise IntakeError(TOO_MUCH)
    if length > shutil.disk_usage(folder).free:
        raise SpaceError


async def _receive(request: Request, uploads: Uploads) -> None:
    kind, options = parse_options_header(request.headers.get("content-type", ""))
    boundary = options.get(b"boundary", b"")
    if kind != b"multipart/form-data" or not boundary:
        raise IntakeError("This is not how files are sent. Drop them on the page instead.")
    receiver = _Receiver(uploads)
    try:
        parser = MultipartParser(boundary, receiver.callbacks())  # type: ignore[arg-type]
        async for chunk in whole_body(request).stream():
            await run_in_threadpool(parser.write, chunk)
        parser.finalize()
    except (MultipartParseError, ClientDisconnect) as error:
        raise IntakeError(BROKEN) from error
    finally:
        receiver.close()
    if not receiver.ended:
        raise IntakeError(BROKEN)


class _Receiver:
    """Takes the parts of a multipart body apart (RFC 7578) and writes files."""

    def __init__(self, uploads: Uploads):
        self._uploads = uploads
        self._headers: dict[str, bytes] = {}
        self._field, self._value = b"", b""
        self._file: BinaryIO | None = None
        self._total = 0
        self.ended = False

    def callbacks(self) -> dict[str, object]:
        return {
            "on_part_begin": self._begin,
            "on_header_field": self._on_field,
            "on_header_value": self._on_value,
            "on_header_end": self._on_header,
            "on_headers_finished": self._open,
            "on_part_data": self._on_data,
            "on_part_end": self.close,
            "on_end": self._on_end,
        }

    def _begin(self) -> None:
        self._headers, self._field, self._value = {}, b"", b""

    def _on_field(self, data: bytes, start: int, end: int) -> None:
        self._field += data[start:end]

    def _on_value(self, data: bytes, start: int, end: int) -> None:
        self._value += data[start:end]

    def _on_header(self) -> None:
        self._headers[self._field.decode("latin-1").lower()] = self._value
        self._field, self._value = b"", b""

    def _open(self) -> None:
        _, options = parse_options_header(self._headers.get("content-disposition", b""))
        if b"filename" not in options:
            return
        name = relative_name(options[b"filename"].decode("utf-8", "replace"))
        if len(self._uploads.paths) >= MAX_FILES:
            raise IntakeError(TOO_MANY)
        path = self._uploads.folder / str(len(self._uploads.paths))
        self._uploads.paths[name] = path
        self._file = path.open("wb")

    def _on_data(self, data: bytes, start: int, end: int) -> None:
        self._total += end - start
        if self._total > MAX_BYTES:
            raise IntakeError(TOO_MUCH)
        if self._file is not None:
            self._file.write(data[start:end])

    def _on_end(self) -> None:
        self.ended = True

    def close(self) -> None:
        if self._file is not None:
            with suppress(ValueError):
                self._file.close()
            self._file = None
