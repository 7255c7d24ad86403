"""Web sockets: the developing lens and the shoot log."""

import asyncio
import contextlib
import json
import struct
from collections.abc import Coroutine
from typing import Annotated

from fastapi import APIRouter, Depends, Query, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, Field, ValidationError

from ..app.lens import FrameRequest, LensPicture, LensProgress, News, Trouble, Viewer
from ..core.commands import Command
from ..core.review.phrases import duration
from ..store import cuts, projects, screening
from ..store.change_log import Document, Listener
from .context import Context, context

router = APIRouter(prefix="/live")
Ctx = Annotated[Context, Depends(context)]
WindowName = Annotated[str, Query(max_length=40)]
LARGEST = 1280
GONE = (WebSocketDisconnect, RuntimeError, OSError, asyncio.CancelledError)
"""A browser that went away, also while it connects, or a studio that closes."""
MOST_WAITING = 8
"""News that wait for a browser that is slow to take them."""


def _packed(picture: LensPicture, full: int) -> bytes:
    """Length of the header, JSON header, JPEG."""
    shown = picture.shown
    header = json.dumps(
        {
            "request": picture.request,
            "samples": shown.samples,
            "width": shown.width,
            "height": shown.height,
            "ms": picture.milliseconds,
            "of": full,
            "burnt": round(shown.burnt, 3),
        }
    ).encode()
    return struct.pack("<I", len(header)) + header + shown.jpeg


class Asked(BaseModel):
    """A browser's wish for pictures."""

    request: Annotated[int, Field(ge=0, le=1 << 53)]
    frame: Annotated[int, Field(ge=0, le=2_000_000)]
    width: Annotated[int, Field(ge=1, le=1 << 20)]
    height: Annotated[int, Field(ge=1, le=1 << 20)]
    tried: Annotated[tuple[Command, ...], Field(max_length=64)] = ()


class LensMessage(BaseModel):
    """Message of a lens: render something, or (without a request) rest."""

    develop: Asked | None = None
    rest: bool = True


@router.websocket("/projects/{project_id}/lens")
async def lens(socket: WebSocket, project_id: str, ctx: Ctx) -> None:
    """The browser sends LensMessages; pictures and how far the next one is stream back."""
    try:
        await socket.accept()
    except GONE:
        return
    loop = asyncio.get_running_loop()
    waiting: asyncio.Queue[News] = asyncio.Queue(MOST_WAITING)

    def deliver(item: News) -> None:
        with contextlib.suppress(RuntimeError):  # the studio is being closed and nobody listens any more
            loop.call_soon_threadsafe(bounded_put, waiting, item)

    viewer = Viewer(deliver, project_id)
    ctx.lens.open(viewer)
    sender = asyncio.create_task(_send(socket, ctx, waiting))
    try:
        while True:
            await _hear(await socket.receive_text(), ctx, viewer, socket)
    except (KeyError, *GONE):
        pass  # also where the browser sends bytes: either way this lens is closed
    finally:
        ctx.lens.leave(viewer)
        sender.cancel()


def bounded_put(waiting: "asyncio.Queue[News]", item: News) -> None:
    """Put an item into a queue; the oldest goes where it is full: the browser is slower than the lens."""
    if waiting.full():
        waiting.get_nowait()
    waiting.put_nowait(item)


async def _hear(text: str, ctx: Context, viewer: Viewer, socket: WebSocket) -> None:
    try:
        asked = LensMessage.model_validate_json(text).develop
    except ValidationError as error:
        first = error.errors(include_input=False, include_url=False, include_context=False)[0]
        where = ".".join(str(step) for step in first["loc"])[:80]
        sentence = f"The lens was asked for something it does not understand: {where or 'message'}: {first['msg']}."
        await socket.send_json({"code": "not-understood", "error": sentence, "request": None})
        return
    if asked is None:
        ctx.lens.rest(viewer)
        return
    width, height = (min(max(size, 16), LARGEST) for size in (asked.width, asked.height))
    ctx.lens.develop(viewer, FrameRequest(asked.request, asked.frame, width, height, asked.tried))


async def _send(socket: WebSocket, ctx: Context, waiting: "asyncio.Queue[News]") -> None:
    with contextlib.suppress(*GONE):
        await _send_until_gone(socket, ctx, waiting)


async def _send_until_gone(socket: WebSocket, ctx: Context, waiting: "asyncio.Queue[News]") -> None:
    while not ctx.lens.ready.is_set():
        await socket.send_json({"preparing": True, "sentence": ctx.lens.preparing})
        await asyncio.sleep(0.5)
    await socket.send_json({"preparing": False})
    while True:
        item = await waiting.get()
        if isinstance(item, Trouble):
            await socket.send_json({"error": item.sentence, "request": item.request})
        elif isinstance(item, LensProgress):
            progress = {"request": item.request, "share": item.share, "of": ctx.lens.full}
            await socket.send_json({"progress": {**progress, "left": duration(item.seconds_left)}})
        else:
            await socket.send_bytes(_packed(item, ctx.lens.full))


@router.websocket("/projects/{project_id}/changes")
async def project_changes(socket: WebSocket, project_id: str, window: WindowName, ctx: Ctx) -> None:
    """Versions of a project that other windows make."""
    await _tell_of_changes(socket, ctx, projects.document_of(project_id), window)


@router.websocket("/projects/{project_id}/cut/changes")
async def cut_changes(socket: WebSocket, project_id: str, window: WindowName, ctx: Ctx) -> None:
    """Versions of a cut that other windows make."""
    await _tell_of_changes(socket, ctx, cuts.document_of(project_id), window)


@router.websocket("/takes/{take_id}/finish/changes")
async def grade_changes(socket: WebSocket, take_id: str, window: WindowName, ctx: Ctx) -> None:
    """Revisions of a grade that other windows make."""
    await _tell_of_changes(socket, ctx, screening.document_of(take_id), window)


async def _tell_of_changes(socket: WebSocket, ctx: Context, document: Document, window: str) -> None:
    with ctx.studio.changes.listening(document, window) as listener:
        await _tell_until_gone(socket, _told_versions(socket, listener))


async def _told_versions(socket: WebSocket, listener: Listener) -> None:
    with contextlib.suppress(*GONE):
        while True:
            await socket.send_json({"version": await listener.heard()})


async def _tell_until_gone(socket: WebSocket, telling: Coroutine[None, None, None]) -> None:
    """Tell a page of something until it is closed; it says nothing here itself."""
    task = None
    try:
        await socket.accept()
        task = asyncio.create_task(telling)
        while True:
            await socket.receive()
    except GONE:
        pass
    finally:
        if task is None:
            telling.close()
        else:
            task.cancel()


@router.websocket("/takes")
async def takes(socket: WebSocket, ctx: Ctx) -> None:
    """All takes whenever one of them changes; an error with its sentence when they cannot be read at the moment."""
    await _tell_until_gone(socket, _tell_of_takes(socket, ctx))


async def _tell_of_takes(socket: WebSocket, ctx: Context) -> None:
    with contextlib.suppress(*GONE), ctx.take_log.listening() as news:
        while True:
            await socket.send_text(await news.get())
