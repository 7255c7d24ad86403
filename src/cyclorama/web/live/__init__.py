"""Web sockets: the lens, and news of documents and takes."""

import asyncio
from typing import Annotated

from fastapi import Depends, WebSocketDisconnect

from ..context import Context, context

Ctx = Annotated[Context, Depends(context)]
GONE = (WebSocketDisconnect, RuntimeError, OSError, asyncio.CancelledError)
"""A browser that went away, also while it connects, or a studio that closes."""
