"""Web sockets: the developing lens and the shoot log."""

import asyncio
import contextlib
import json
import struct
from typing import Annotated, Any

from fastapi import APIRouter, Depends, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, Field

from ..core.render.developing import FULL_SAMPLES
from ..core.scene import SetValue
from ..core.sheet.words import duration
from .context import Context, context
from .lens import News, Picture, Progress, Trouble, Viewer, Wanted
from .takes import take_state

router = APIRouter(prefix="/live")
Ctx = Annotated[Context, Depends(context)]
LOG_EVERY_S = 0.5
LARGEST = 1280


def _packed(picture: Picture) -> bytes:
    """Length of the header, JSON header, JPEG."""
    shown = picture.shown
    header = json.dumps({
        "request": picture.request, "samples": shown.samples, "width": shown.width, "height": shown.height,
        "ms": picture.milliseconds, "of": FULL_SAMPLES,
    }).encode()  # fmt: skip
    return struct.pack("<I", len(header)) + header + shown.jpeg


class Asked(BaseModel):
    """A browser's wish for pictures."""

    request: int
    frame: Annotated[int, Field(ge=0, le=2_000_000)]
    width: int
    height: int
    tried: Annotated[tuple[SetValue, ...], Field(max_length=64)] = ()


@router.websocket("/projects/{project_id}/lens")
async def lens(socket: WebSocket, project_id: str, ctx: Ctx) -> None:
    """The browser asks {develop: Asked} or {rest: true}; pictures and how far the next one is stream back."""
    await socket.accept()
    loop = asyncio.get_running_loop()
    waiting: asyncio.Queue[News] = asyncio.Queue()

    def deliver(item: News) -> None:
        with contextlib.suppress(RuntimeError):  # the studio is being closed and nobody listens any more
            loop.call_soon_threadsafe(waiting.put_nowait, item)

    viewer = Viewer(deliver, project_id)
    ctx.lens.open(viewer)
    sender = asyncio.create_task(_send(socket, ctx, waiting))
    try:
        while True:
            message = await socket.receive_json()
            wanted = message.get("develop") if isinstance(message, dict) else None
            if isinstance(wanted, dict):
                asked = Asked.model_validate(wanted)
                width, height = (min(max(size, 16), LARGEST) for size in (asked.width, asked.height))
                ctx.lens.develop(viewer, Wanted(asked.request, asked.frame, width, height, asked.tried))
            else:
                ctx.lens.rest(viewer)
    except (WebSocketDisconnect, KeyError, ValueError, asyncio.CancelledError):
        pass  # the browser went away or is not ours, or the studio closes: either way this lens is closed
    finally:
        ctx.lens.leave(viewer)
        sender.cancel()


async def _send(socket: WebSocket, ctx: Context, waiting: "asyncio.Queue[News]") -> None:
    while not ctx.lens.ready.is_set():
        await socket.send_json({"preparing": True})
        await asyncio.sleep(0.5)
    await socket.send_json({"preparing": False})
    while True:
        item = await waiting.get()
        if isinstance(item, Trouble):
            await socket.send_json({"error": item.sentence, "request": item.request})
        elif isinstance(item, Progress):
            progress = {"request": item.request, "share": item.share, "of": FULL_SAMPLES}
            await socket.send_json({"progress": {**progress, "left": duration(item.seconds_left)}})
        else:
            await socket.send_bytes(_packed(item))


@router.websocket("/takes")
async def takes(socket: WebSocket, ctx: Ctx) -> None:
    """All takes whenever one of them changes."""
    await socket.accept()
    before: list[dict[str, Any]] | None = None
    try:
        while True:
            now = await asyncio.to_thread(_takes_now, ctx)
            if now != before:
                await socket.send_json(now)
                before = now
            await asyncio.sleep(LOG_EVERY_S)
    except (WebSocketDisconnect, RuntimeError, asyncio.CancelledError):
        pass  # closed by the browser, or the studio closes


def _takes_now(ctx: Context) -> list[dict[str, Any]]:
    return [take_state(t) for t in ctx.studio.takes.all()]
