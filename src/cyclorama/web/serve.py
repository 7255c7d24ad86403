"""The HTTP server: how many connections it keeps, and how long it waits for those that say nothing."""

import asyncio

import h11
import uvicorn
from fastapi import FastAPI
from uvicorn.protocols.http.h11_impl import H11Protocol

from ..core.host.processes import raise_file_limit

HEADERS_S = 15.0
"""A connection that has not sent a whole request head within this time is closed."""
MOST_FILES = 65_536
KEPT_FILES = 256
"""Open files that are not left to connections: the database, frames, uploads."""
MOST_CONNECTIONS = 2_000
LARGEST_MESSAGE = 1 << 20
"""Bytes of one message of a web socket."""


class BoundedProtocol(H11Protocol):
    """HTTP/1.1 with a limit of connections, and a time within which a request head must have come."""

    most_connections = MOST_CONNECTIONS
    headers_s = HEADERS_S
    _timer: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        if len(self.connections) > self.most_connections:
            transport.abort()
        else:
            self._await_head()

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        if self.conn.their_state is not h11.IDLE:
            self._stop_waiting()
        elif self._timer is None:
            self._await_head()

    def connection_lost(self, exc: Exception | None) -> None:
        self._stop_waiting()
        super().connection_lost(exc)

    def _await_head(self) -> None:
        self._timer = self.loop.call_later(self.headers_s, self.transport.abort)

    def _stop_waiting(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None


def server_for(app: FastAPI) -> uvicorn.Server:
    """A server for the application, with its limits."""
    files = raise_file_limit(MOST_FILES)
    BoundedProtocol.most_connections = max(16, min(MOST_CONNECTIONS, files - KEPT_FILES))
    config = uvicorn.Config(
        app, log_level="warning", timeout_graceful_shutdown=2, ws_max_size=LARGEST_MESSAGE, http=BoundedProtocol
    )
    return uvicorn.Server(config)
