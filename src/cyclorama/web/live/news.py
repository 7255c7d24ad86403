"""News over web sockets: versions that other windows make, and the shoot log."""

import asyncio
import contextlib
from collections.abc import Coroutine
from typing import Annotated

from fastapi import APIRouter, Query, WebSocket

from ...store import cuts, projects, screening
from ...store.change_log import Document, Listener
from ..context import Context
from . import GONE, Ctx

router = APIRouter(prefix="/live")
WindowName = Annotated[str, Query(max_length=40)]


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
