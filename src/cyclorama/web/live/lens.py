"""The lens's socket: pictures of a frame as they develop; poses and pictures of what a hand drags."""

import asyncio
import contextlib
import json
import logging
import struct
from typing import Annotated, Any

from fastapi import APIRouter, WebSocket
from pydantic import BaseModel, Field, ValidationError

from ...app.jobs import Unwanted
from ...app.lens import BROKEN, FrameRequest, LensEye, LensPicture, LensProgress, News, Viewer
from ...app.shared_work import IsUnwanted
from ...core.commands import Command, perform_all
from ...core.errors import CycloramaError
from ...core.review.phrases import duration
from ..api.floor_state import pose_state
from ..context import Context
from . import GONE, Ctx

router = APIRouter(prefix="/live")
LARGEST = 1280
MOST_WAITING = 8
"""News that wait for a browser that is slow to take them."""

Number = Annotated[int, Field(ge=0, le=1 << 53)]
FrameNumber = Annotated[int, Field(ge=0, le=2_000_000)]
Pixels = Annotated[int, Field(ge=0, le=1 << 20)]


class DevelopRequest(BaseModel):
    """A frame whose picture is wanted, as it is saved, until it is clean."""

    request: Number
    frame: FrameNumber
    width: Annotated[Pixels, Field(ge=1)]
    height: Annotated[Pixels, Field(ge=1)]


class DragStep(BaseModel):
    """Changes under a moving hand: the pose they lead to, a picture, or both."""

    request: Number
    frame: FrameNumber
    changes: Annotated[tuple[Command, ...], Field(max_length=64)]
    pose: bool = False
    width: Pixels = 0
    """0: no picture"""
    height: Pixels = 0


class LensMessage(BaseModel):
    """Message of a lens: develop, show a step of a drag, or (without either) rest."""

    develop: DevelopRequest | None = None
    drag: DragStep | None = None


class LensSocket:
    """One open lens: hears its messages, and sends what comes of them."""

    def __init__(self, socket: WebSocket, ctx: Context, project_id: str):
        self._socket, self._ctx, self._project_id = socket, ctx, project_id
        self._waiting: asyncio.Queue[News] = asyncio.Queue(MOST_WAITING)
        self._posing: set[asyncio.Task[None]] = set()
        self._loop = asyncio.get_running_loop()
        self._viewer = Viewer(self._deliver, project_id)
        self._gone = False

    async def serve(self) -> None:
        """Hear the browser until it goes away."""
        self._ctx.lens.open(self._viewer)
        sender = asyncio.create_task(self._send())
        try:
            while True:
                await self._hear(await self._socket.receive_text())
        except (KeyError, *GONE):
            pass  # also where the browser sends bytes: either way this lens is closed
        finally:
            self._gone = True
            self._ctx.lens.leave(self._viewer)
            sender.cancel()

    async def is_disconnected(self) -> bool:
        return self._gone

    def _deliver(self, item: News) -> None:
        with contextlib.suppress(RuntimeError):  # the studio is being closed and nobody listens any more
            self._loop.call_soon_threadsafe(bounded_put, self._waiting, item)

    async def _hear(self, text: str) -> None:
        try:
            message = LensMessage.model_validate_json(text)
        except ValidationError as error:
            first = error.errors(include_input=False, include_url=False, include_context=False)[0]
            where = ".".join(str(step) for step in first["loc"])[:80]
            sentence = f"The lens was asked for something it does not understand: {where or 'message'}: {first['msg']}."
            await self._socket.send_json({"code": "not-understood", "error": sentence, "request": None})
            return
        if message.drag:
            self._follow(message.drag)
        elif wanted := message.develop:
            size = _bounded(wanted.width), _bounded(wanted.height)
            self._ctx.lens.develop(self._viewer, FrameRequest(wanted.request, wanted.frame, *size))
        else:
            self._ctx.lens.rest(self._viewer)

    def _follow(self, step: DragStep) -> None:
        """Answer a step of a drag: its pose at once, its picture after the one that is under way."""
        if step.pose:
            task = asyncio.create_task(self._pose(step))
            self._posing.add(task)
            task.add_done_callback(self._posing.discard)
        if step.width and step.height:
            size = _bounded(step.width), _bounded(step.height)
            request = FrameRequest(step.request, step.frame, *size, step.changes)
            self._ctx.lens.develop(self._viewer, request)

    async def _pose(self, step: DragStep) -> None:
        def tried(unwanted: IsUnwanted) -> dict[str, Any]:
            studio = self._ctx.studio
            project = studio.projects.get(self._project_id).project
            project, _ = perform_all(project, step.changes, studio.measures_if_whole, LensEye(self._ctx.lens))
            return pose_state(project, step.frame).model_dump(mode="json")

        pose, sentence = None, None
        try:
            pose = await self._ctx.eyes.answer(self, ("pose", object()), tried)
        except Unwanted:
            return
        except CycloramaError as error:
            sentence = error.sentence
        except Exception:
            logging.getLogger(__name__).exception("A pose of %s cannot be told", self._project_id)
            sentence = BROKEN
        with contextlib.suppress(*GONE):
            await self._socket.send_json({"pose": pose, "error": sentence, "request": step.request})

    async def _send(self) -> None:
        with contextlib.suppress(*GONE):
            await self._tell_until_prepared()
            while True:
                await self._send_one(await self._waiting.get())

    async def _tell_until_prepared(self) -> None:
        """Say how far the renderer is, until it is ready."""
        lens = self._ctx.lens
        while not lens.ready.is_set():
            await self._socket.send_json({"preparing": True, "sentence": lens.preparing})
            await asyncio.sleep(0.5)
        await self._socket.send_json({"preparing": False})

    async def _send_one(self, item: News) -> None:
        full = self._ctx.lens.full
        if isinstance(item, LensPicture):
            await self._socket.send_bytes(_packed(item, full))
        elif isinstance(item, LensProgress):
            progress = {"request": item.request, "share": item.share, "of": full, "left": duration(item.seconds_left)}
            await self._socket.send_json({"progress": progress})
        else:
            await self._socket.send_json({"error": item.sentence, "request": item.request})


def bounded_put(waiting: "asyncio.Queue[News]", item: News) -> None:
    """Put an item into a queue; the oldest goes where it is full: the browser is slower than the lens."""
    if waiting.full():
        waiting.get_nowait()
    waiting.put_nowait(item)


def _bounded(pixels: int) -> int:
    return min(max(pixels, 16), LARGEST)


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


@router.websocket("/projects/{project_id}/lens")
async def lens(socket: WebSocket, project_id: str, ctx: Ctx) -> None:
    """The browser sends LensMessages; pictures, their progress and poses stream back."""
    try:
        await socket.accept()
    except GONE:
        return
    await LensSocket(socket, ctx, project_id).serve()
