"""The server's limits: connections that say nothing, say too little, or are too many."""

import socket
import threading
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
from tests.clusters import free_port

from cyclorama.web import guard
from cyclorama.web.app import create_app
from cyclorama.web.serve import BoundedProtocol, server_for


@pytest.fixture
def port(data_folder: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[int]:
    """Of a studio with small limits."""
    monkeypatch.setattr(guard, "PAUSE_S", 0.5)
    server, port = server_for(create_app(data_folder)), free_port()
    monkeypatch.setattr(BoundedProtocol, "headers_s", 0.5)
    monkeypatch.setattr(BoundedProtocol, "most_connections", 8)
    server.config.port = port
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        assert thread.is_alive()
    yield port
    server.should_exit = True
    thread.join()


def ends(connection: socket.socket) -> bool:
    """Whether the other side closes a connection within a few seconds."""
    connection.settimeout(5)
    try:
        while connection.recv(4096):
            pass
    except ConnectionError:
        return True
    except TimeoutError:
        return False
    return True


@pytest.mark.parametrize("head", [b"", b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: "])
def test_a_head_that_never_ends_is_hung_up_on(port: int, head: bytes) -> None:
    with socket.create_connection(("127.0.0.1", port)) as connection:
        connection.sendall(head)
        assert ends(connection)


def test_a_body_that_stops_is_given_up(port: int) -> None:
    with socket.create_connection(("127.0.0.1", port)) as connection:
        head = f"POST /api/projects HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nContent-Type: application/json\r\n"
        connection.sendall(f"{head}Content-Length: 90\r\n\r\n{{".encode())
        connection.settimeout(5)
        answer = connection.recv(4096)
        assert b" 408 " in answer.splitlines()[0]


def test_too_many_connections_are_closed_and_others_answered(port: int) -> None:
    many = [socket.create_connection(("127.0.0.1", port)) for _ in range(40)]
    assert all(ends(connection) for connection in many)
    for connection in many:
        connection.close()
    assert httpx.get(f"http://127.0.0.1:{port}/api/takes").json() == []


def test_slow_answers_are_not_hung_up_on(port: int) -> None:
    """The limits are of heads and bodies: a page that only listens stays."""
    with httpx.Client(base_url=f"http://127.0.0.1:{port}") as client:
        key = client.post("/api/projects", json={"name": "Pot"}).json()["id"]
        assert client.get(f"/api/projects/{key}").json()["project"]["name"] == "Pot"
