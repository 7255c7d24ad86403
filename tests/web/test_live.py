"""The live lens over its web socket."""

import json
import struct
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from starlette.testclient import WebSocketTestSession
from tests.shoot.test_shoot import studio_with

from cyclorama.web import lens as lens_module
from cyclorama.web.app import create_app
from cyclorama.web.lens import FIRST_SHRINK, STEPS


@pytest.fixture
def lens(data_folder: Path) -> Iterator[tuple[TestClient, WebSocketTestSession, str]]:
    _, saved = studio_with(data_folder)
    key = saved.project.id
    with (
        TestClient(create_app(data_folder)) as client,
        client.websocket_connect(f"/live/projects/{key}/lens") as socket,
    ):
        while socket.receive_json()["preparing"]:
            pass
        yield client, socket, key


def develop(socket: WebSocketTestSession, request: int, width: int = 48, height: int = 32) -> None:
    socket.send_json({"develop": {"request": request, "frame": 1, "width": width, "height": height}})


def picture(socket: WebSocketTestSession, progress: list[dict] | None = None) -> tuple[dict, bytes]:
    """The next picture; what is told about its progress meanwhile is added to the list."""
    while (message := socket.receive()).get("bytes") is None:
        told = json.loads(message["text"])["progress"]
        if progress is not None:
            progress.append(told)
    data = message["bytes"]
    size = struct.unpack_from("<I", data)[0]
    return json.loads(data[4 : 4 + size]), data[4 + size :]


def test_pictures_come_coarse_first_and_end_clean(lens) -> None:  # type: ignore[no-untyped-def]
    _, socket, _ = lens
    develop(socket, 1)
    seen = []
    while not seen or seen[-1]["samples"] < 256:
        header, jpeg = picture(socket)
        assert jpeg[:3] == b"\xff\xd8\xff"
        seen.append(header)
    assert (seen[0]["samples"], seen[0]["width"]) == (0, 48 // FIRST_SHRINK)
    assert [h["samples"] for h in seen] == sorted(h["samples"] for h in seen)
    assert {h["request"] for h in seen} == {1}


def test_progress_is_told_between_pictures(lens, monkeypatch: pytest.MonkeyPatch) -> None:  # type: ignore[no-untyped-def]
    """It only rises, keeps to what pictures say, and ends with the picture."""
    monkeypatch.setattr(lens_module, "TELL_EVERY_S", 0.0)
    _, socket, _ = lens
    develop(socket, 7)
    told: list[dict] = []
    reached = 0.0
    header: dict = {"samples": 0}
    while header["samples"] < 256:
        before = len(told)
        header, _ = picture(socket, told)
        for p in told[before:]:
            assert reached <= p["share"] <= header["samples"] / 256 + 1e-9
            assert p["request"] == 7
            assert p["left"].endswith((" s", " min"))
            reached = p["share"]
    assert len(told) >= len(STEPS)


def test_a_new_request_ends_the_old_one(lens) -> None:  # type: ignore[no-untyped-def]
    _, socket, _ = lens
    develop(socket, 1, 640, 360)
    picture(socket)
    develop(socket, 2)
    while (header := picture(socket)[0])["request"] == 1:
        assert header["samples"] < 256  # the large picture is never finished
    while header["samples"] < 256:
        header = picture(socket)[0]
        assert header["request"] == 2


def test_a_lost_file_is_told_and_the_lens_lives_on(lens) -> None:  # type: ignore[no-untyped-def]
    client, socket, key = lens
    studio = client.app.state.context.studio
    asset = studio.projects.get(key).project.subject.asset
    data = studio.assets.get(asset)
    studio.assets.path(asset).unlink()
    develop(socket, 1)
    assert "gone from the data folder" in socket.receive_json()["error"]
    studio.assets.put(asset, data)
    develop(socket, 2)
    assert picture(socket)[0]["request"] == 2


def test_nonsense_closes_only_this_lens(lens) -> None:  # type: ignore[no-untyped-def]
    client, socket, key = lens
    socket.send_json({"develop": {"request": "x"}})
    assert client.get(f"/api/projects/{key}").status_code == 200
    with client.websocket_connect(f"/live/projects/{key}/lens") as other:
        assert other.receive_json() == {"preparing": False}


def test_the_log_tells_all_takes(lens) -> None:  # type: ignore[no-untyped-def]
    client, _, _ = lens
    with client.websocket_connect("/live/takes") as log:
        assert log.receive_json() == []
