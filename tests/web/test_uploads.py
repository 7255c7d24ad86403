"""Files on their way in: limits that hold while they arrive, children that are never left behind."""

import io
import multiprocessing
import os
import socket
import tempfile
import time
import tracemalloc
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from fastapi import Request
from fastapi.testclient import TestClient
from py_landlock import LandlockError, get_abi_version
from tests.conftest import awaited
from tests.core.geometry.test_intake import glb
from tests.shoot.test_shoot import wait_for
from tests.web.test_api import client, ended, intake  # noqa: F401  (client is a fixture)

from cyclorama.app import confined as limited
from cyclorama.app.confined import NO_MEMORY, run_limited
from cyclorama.app.confined_results import Tell
from cyclorama.app.jobs import Unwanted
from cyclorama.core.errors import IntakeError
from cyclorama.core.geometry.read.files import unpack
from cyclorama.web import uploads
from cyclorama.web.uploads import receive

BOUNDARY = "seam"
HEAD = (
    f'--{BOUNDARY}\r\nContent-Disposition: form-data; name="files"; filename="a.glb"\r\n'
    "Content-Type: application/octet-stream\r\n\r\n"
).encode()
TAIL = f"\r\n--{BOUNDARY}--\r\n".encode()
CHUNK = bytes(1 << 18)


def arriving(chunks: Iterator[bytes], kind: str = f"multipart/form-data; boundary={BOUNDARY}") -> Request:
    """A request whose body arrives in chunks, without a word about its length."""

    async def receive_chunk() -> dict:
        chunk = next(chunks, None)
        return {"type": "http.request", "body": chunk or b"", "more_body": chunk is not None}

    scope = {"type": "http", "method": "POST", "headers": [(b"content-type", kind.encode())], "path": "/"}
    return Request(scope, receive_chunk)


def names_received(folder: Path, request: Request) -> dict[str, int]:
    """Names and sizes of what arrived."""

    async def taken() -> dict[str, int]:
        async with receive(request, folder) as got:
            return {name: path.stat().st_size for name, path in got.paths.items()}

    return awaited(taken())


def left(folder: Path) -> list[Path]:
    return [p for p in folder.rglob("*") if p.is_file()]


def test_the_limit_holds_while_files_arrive(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(uploads, "MAX_BYTES", 1 << 20)
    pulled = 0

    def endless() -> Iterator[bytes]:
        nonlocal pulled
        yield HEAD
        while True:
            pulled += len(CHUNK)
            yield CHUNK

    with pytest.raises(IntakeError, match="larger than 2 GB"):
        names_received(tmp_path, arriving(endless()))
    assert pulled <= (1 << 20) + 2 * len(CHUNK)
    assert left(tmp_path) == []


def test_large_files_take_no_memory(tmp_path: Path) -> None:
    count = 240

    def large() -> Iterator[bytes]:
        yield HEAD
        for _ in range(count):
            yield CHUNK
        yield TAIL

    tracemalloc.start()
    try:
        got = names_received(tmp_path, arriving(large()))
        assert tracemalloc.get_traced_memory()[1] < 8 << 20
    finally:
        tracemalloc.stop()
    assert got == {"a.glb": count * len(CHUNK)}


@pytest.mark.parametrize(
    ("body", "kind", "sentence"),
    [
        (HEAD + b"half", f"multipart/form-data; boundary={BOUNDARY}", "did not arrive whole"),
        (b"--other\r\nnonsense", f"multipart/form-data; boundary={BOUNDARY}", "did not arrive whole"),
        (TAIL.lstrip(), f"multipart/form-data; boundary={BOUNDARY}", "No file arrived"),
        (HEAD + TAIL, "multipart/form-data", "not how files are sent"),
        (b"{}", "application/json", "not how files are sent"),
        (HEAD * 3, f"multipart/form-data; boundary={'x' * 70}", "did not arrive whole"),
    ],
)
def test_incomplete_uploads_are_refused(tmp_path: Path, body: bytes, kind: str, sentence: str) -> None:
    with pytest.raises(IntakeError, match=sentence):
        names_received(tmp_path, arriving(iter([body]), kind))
    assert left(tmp_path) == []


def test_a_client_that_goes_away_leaves_nothing(tmp_path: Path) -> None:
    messages = iter([{"type": "http.request", "body": HEAD + CHUNK, "more_body": True}, {"type": "http.disconnect"}])

    async def receive_message() -> dict:
        return next(messages)

    request = arriving(iter([]))
    request._receive = receive_message
    with pytest.raises(IntakeError, match="did not arrive whole"):
        names_received(tmp_path, request)
    assert left(tmp_path) == []


def test_too_many_files(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(uploads, "MAX_FILES", 3)
    parts = [HEAD.replace(b"a.glb", f"{i}.png".encode()) + b"x\r\n" for i in range(4)]
    with pytest.raises(IntakeError, match="more than"):
        names_received(tmp_path, arriving(iter([*parts, TAIL[2:]])))
    assert left(tmp_path) == []


def test_a_zip_is_refused_from_its_directory(monkeypatch: pytest.MonkeyPatch) -> None:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive, archive.open("a.obj", "w") as entry:
        for _ in range(1040):
            entry.write(CHUNK)
    data = buffer.getvalue()
    assert len(data) < 1 << 20
    monkeypatch.setattr(zipfile.ZipFile, "open", lambda *_: pytest.fail("it was unpacked"))
    with pytest.raises(IntakeError, match="far more than a model needs"):
        unpack("a.zip", data)


def die(tell: Tell) -> None:
    os._exit(9)


def hoard(tell: Tell) -> None:
    bytearray(4 << 30)


def dawdle(tell: Tell, mark: Path) -> None:
    mark.touch()
    time.sleep(600)


class Handover:
    """A result that has something done by whoever reads it."""

    def __init__(self, mark: Path):
        self.mark = mark

    def __reduce__(self) -> tuple[Callable[..., object], tuple[object, ...]]:
        return Path.touch, (self.mark,)


def hand_over(tell: Tell, mark: Path) -> Handover:
    return Handover(mark)


def wait_idly(tell: Tell) -> None:
    time.sleep(600)


def reach_out(tell: Tell, private: Path, port: int, own: Path) -> dict[str, bool]:
    """What a reader can get at that it does not need."""
    (own / "result").write_text("its own folder")
    tempfile.TemporaryFile().close()

    def can(attempt: Callable[[], object]) -> bool:
        try:
            attempt()
        except OSError:
            return False
        return True

    return {
        "read": can(lambda: private.read_bytes()),
        "write": can(lambda: private.write_bytes(b"x")),
        "list": can(lambda: list(private.parent.iterdir())),
        "connect": can(lambda: socket.create_connection(("127.0.0.1", port), 2)),
    }


LIMITS = {"memory_bytes": 3 << 30, "longest_s": 60.0, "too_long": "too long", "gave_up": "gave up"}


def test_children_end_with_a_sentence(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(IntakeError, match="gave up"):
        run_limited(die, folder=tmp_path, **LIMITS)  # type: ignore[arg-type]
    with pytest.raises(IntakeError, match=NO_MEMORY):
        run_limited(hoard, folder=tmp_path, **LIMITS)  # type: ignore[arg-type]
    with pytest.raises(IntakeError, match="gave up"):
        run_limited(hand_over, tmp_path / "taken over", folder=tmp_path, **LIMITS)  # type: ignore[arg-type]
    assert not (tmp_path / "taken over").exists()
    with pytest.raises(IntakeError, match="too long"):
        run_limited(dawdle, tmp_path / "mark", folder=tmp_path, **(LIMITS | {"longest_s": 4.0}))  # type: ignore[arg-type]
    assert multiprocessing.active_children() == []


def test_a_child_that_stands_still_is_ended_and_leaves_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(limited, "IDLE_S", 1.5)
    begun = time.monotonic()
    with pytest.raises(IntakeError, match="too long"):
        run_limited(wait_idly, folder=tmp_path, **LIMITS)  # type: ignore[arg-type]
    assert time.monotonic() - begun < 50
    assert list(tmp_path.iterdir()) == []


def test_a_reader_reaches_its_own_folder_and_nothing_else(tmp_path: Path) -> None:
    try:
        if get_abi_version() < 4:
            pytest.skip("needs a Landlock that knows of networks (Linux 6.7)")
    except LandlockError:
        pytest.skip("needs a system with Landlock")
    own, private = tmp_path / "own", tmp_path / "private" / "diary.txt"
    own.mkdir()
    private.parent.mkdir()
    private.write_text("mine")
    with socket.create_server(("127.0.0.1", 0)) as server:
        port = server.getsockname()[1]
        found = run_limited(reach_out, private, port, own, folder=own, **LIMITS)  # type: ignore[arg-type]
    assert found == dict.fromkeys(("read", "write", "list", "connect"), False)
    assert private.read_text() == "mine"
    assert [p.name for p in own.iterdir()] == ["result"]


def test_an_intake_that_is_cancelled_at_any_time_leaves_no_child(client: TestClient) -> None:  # noqa: F811
    context = client.app.state.context  # type: ignore[attr-defined]
    projects = client.get("/").text.count("data-remove=")
    jobs = []
    for i in range(6):
        jobs.append(client.post("/api/intakes", files=[("files", ("ball.glb", glb()))]).json())
        time.sleep(0.04 * i)
        client.delete(f"/api/jobs/{jobs[-1]['id']}")
    states = [ended(client, job)["state"] for job in jobs]
    assert states[0] == "cancelled"
    assert {*states} <= {"cancelled", "done"}  # a small model is quick
    wait_for(lambda: multiprocessing.active_children() == [])
    wait_for(lambda: list((context.studio.folder / "incoming").iterdir()) == [])
    assert client.get("/").text.count("data-remove=") == projects + states.count("done")
    with pytest.raises(Unwanted):
        run_limited(die, folder=context.studio.folder, unwanted=lambda: True, **LIMITS)  # type: ignore[arg-type]


def test_cancelling_what_is_done_does_not_undo_it(client: TestClient) -> None:  # noqa: F811
    job = intake(client, "/api/intakes", {"ball.glb": glb()})
    assert client.delete(f"/api/jobs/{job['id']}").json() == job
    assert client.get(f"/api/projects/{job['result']['project']}").status_code == 200
