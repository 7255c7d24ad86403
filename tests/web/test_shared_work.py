"""Long answers: one for all who ask for the same, few at a time, and none for those who went away."""

import asyncio
import threading
from concurrent.futures import ThreadPoolExecutor

import pytest
from fastapi import Request
from fastapi.testclient import TestClient
from tests.conftest import awaited
from tests.core.geometry.test_intake import glb
from tests.web.test_api import client, intake  # noqa: F401  (client is a fixture)

from cyclorama.app.jobs import Unwanted
from cyclorama.app.shared_work import IsUnwanted, SharedWork
from cyclorama.core.errors import OverloadError
from cyclorama.web.api import projects


def waiting(gone: threading.Event) -> Request:
    """A request whose browser stays until `gone`."""

    async def receive() -> dict[str, object]:
        while not gone.is_set():
            await asyncio.sleep(0.02)
        return {"type": "http.disconnect"}

    return Request({"type": "http", "method": "GET", "path": "/", "headers": []}, receive)


def test_equal_requests_share_one_answer_and_others_wait_their_turn() -> None:
    begun: list[str] = []
    most = running = 0
    go = threading.Event()

    def work(name: str, unwanted: IsUnwanted) -> str:
        nonlocal most, running
        begun.append(name)
        running += 1
        most = max(most, running)
        go.wait(10)
        running -= 1
        return name

    async def ask() -> list[object]:
        shared = SharedWork("test", 2, 3)
        stays = threading.Event()
        keys = ["a"] * 20 + ["b"] * 20 + ["c"]
        asked = [shared.answer(waiting(stays), k, lambda u, k=k: work(k, u)) for k in keys]  # type: ignore[misc]
        tasks = [asyncio.ensure_future(one) for one in asked]
        await asyncio.sleep(0.2)
        with pytest.raises(OverloadError):
            await shared.answer(waiting(stays), "d", lambda u: work("d", u))
        go.set()
        answers: list[object] = list(await asyncio.gather(*tasks))
        shared.close()
        return answers

    assert awaited(ask()) == ["a"] * 20 + ["b"] * 20 + ["c"]
    assert (sorted(begun), most) == (["a", "b", "c"], 2)


def test_work_without_listeners_is_ended() -> None:
    ended = threading.Event()

    def work(unwanted: IsUnwanted) -> None:
        while not unwanted():
            ended.wait(0.01)
        ended.set()
        raise Unwanted

    async def ask() -> None:
        shared, one_goes, other_goes = SharedWork("test", 1), threading.Event(), threading.Event()
        tasks = [asyncio.ensure_future(shared.answer(waiting(goes), 1, work)) for goes in (one_goes, other_goes)]
        await asyncio.sleep(0.1)
        one_goes.set()
        await asyncio.wait({tasks[0]})
        assert not ended.is_set()  # somebody else still waits
        other_goes.set()
        await asyncio.wait({tasks[1]})
        for task in tasks:
            with pytest.raises(Unwanted):
                task.result()
        await asyncio.to_thread(ended.wait, 5)
        shared.close()

    awaited(ask())
    assert ended.is_set()


def test_two_hundred_forecasts_do_not_stop_the_studio(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:  # noqa: F811
    key = intake(client, "/api/intakes", {"ball.glb": glb()})["result"]["project"]
    go, probed = threading.Event(), []

    def slow(project, turn):  # type: ignore[no-untyped-def]
        probed.append(project.id)
        go.wait(60)
        return 10.0, 1.0

    monkeypatch.setattr(projects, "forecast", slow)
    with ThreadPoolExecutor(200) as browsers:
        asked = [browsers.submit(client.get, f"/api/projects/{key}/forecast") for _ in range(200)]
        try:
            assert client.get(f"/api/projects/{key}").status_code == 200
            assert client.get("/").status_code == 200
        finally:
            go.set()
        assert {a.result().status_code for a in asked} == {200}
    assert len(probed) <= 3  # those that came after the first had ended
