"""The live lens over its web socket."""

import asyncio
import contextlib
import json
import struct
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest
from fastapi.testclient import TestClient
from starlette.testclient import WebSocketTestSession
from tests.conftest import pixels_of
from tests.shoot.test_shoot import studio_with, wait_for

from cyclorama.app import lens as lens_module
from cyclorama.app import take_log
from cyclorama.app.jobs import Unwanted
from cyclorama.core.render.film.progressive import FIRST_SHRINK, STEPS, ProgressiveRenderer
from cyclorama.core.render.film.tracer import Cancelled, Tracer
from cyclorama.web.app import create_app
from cyclorama.web.live import lens as live

SOCKETS = "ws://127.0.0.1"


@pytest.fixture
def lens(data_folder: Path) -> Iterator[tuple[TestClient, WebSocketTestSession, str]]:
    _, saved = studio_with(data_folder)
    key = saved.project.id
    with (
        TestClient(create_app(data_folder), base_url="http://127.0.0.1") as client,
        client.websocket_connect(f"{SOCKETS}/live/projects/{key}/lens") as socket,
    ):
        while socket.receive_json()["preparing"]:
            pass
        yield client, socket, key


def develop(socket: WebSocketTestSession, request: int, width: int = 48, height: int = 32, **tried: float) -> None:
    """Paths of what is tried with `__` for `/`."""
    wanted = {"request": request, "frame": 1, "width": width, "height": height}
    changes = [put(path.replace("__", "/"), value) for path, value in tried.items()]
    socket.send_json({"drag": wanted | {"changes": changes}} if changes else {"develop": wanted})


def put(path: str, value: float) -> dict:
    return {"kind": "set", "path": path, "value": value}


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
    assert len(told) > len(STEPS)


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


def test_any_command_is_tried_also_one_that_looks_through_the_lens(lens) -> None:  # type: ignore[no-untyped-def]
    client, socket, key = lens

    def attempt(request: int, command: dict) -> None:
        socket.send_json({"drag": {"request": request, "frame": 1, "width": 48, "height": 32, "changes": [command]}})

    develop(socket, 1)
    while (seen := picture(socket))[0]["samples"] < 256:
        pass
    attempt(2, {"kind": "rig", "rig": "three-point"})
    while (lit := picture(socket))[0]["request"] != 2:
        pass
    assert pixels_of(lit[1]).mean() > pixels_of(seen[1]).mean() + 1
    attempt(3, {"kind": "meter"})
    while (told := json.loads(socket.receive().get("text") or "{}")).get("request") != 3:
        pass
    assert told["error"] == "There is no light on the subject to meter. Turn a light on first."
    state = client.get(f"/api/projects/{key}").json()
    assert (state["version"], state["project"]["looks"][0]["lights"]) == (1, [])


def test_tried_changes_are_shown_and_not_saved(lens) -> None:  # type: ignore[no-untyped-def]
    client, socket, key = lens
    lamp = [{"kind": "add_light", "shape": "sphere"}]
    lit = client.post(f"/api/projects/{key}/changes", json={"base_version": 1, "changes": lamp}).json()
    saved = lit["project"]["looks"][0]["lights"][0]
    develop(socket, 1)
    while (seen := picture(socket))[0]["samples"] < 256:
        pass

    def tried(request: int, **values: float) -> tuple[dict, float]:
        develop(socket, request, **values)
        while (answer := picture(socket))[0]["request"] != request:
            pass
        return answer[0], float(pixels_of(answer[1]).mean())

    as_saved = float(pixels_of(seen[1]).mean())
    header, brighter = tried(2, look__tone__offset_stops=4.0)
    assert (header["samples"], header["width"]) == (256, 48)
    assert brighter > as_saved + 1
    header, raised = tried(3, **{f"look__lights__{saved['id']}__strength_stops": saved["strength_stops"] + 4.0})
    assert (header["samples"], header["width"]) == (256 // 2**4, 48)
    assert raised == pytest.approx(brighter, abs=0.5)  # the lamp is all there is
    develop(socket, 4, look__tone__offset_stops=99.0)
    while (told := json.loads(socket.receive().get("text") or "{}")).get("request") != 4:
        pass
    assert told["error"] == "Exposure offset must be at most 10 stops; it was 99."
    state = client.get(f"/api/projects/{key}").json()
    assert (state["version"], state["project"]["looks"][0]["tone"]["offset_stops"]) == (2, 0)
    # a wish that is none closes this lens only
    socket.send_json({"drag": {"request": 5, "frame": 1, "changes": [{"kind": "guess"}]}})
    assert client.get(f"/api/projects/{key}").status_code == 200


def test_a_step_of_a_drag_answers_its_pose_and_its_picture(lens) -> None:  # type: ignore[no-untyped-def]
    client, socket, key = lens
    before = client.get(f"/api/projects/{key}").json()
    step = {"request": 1, "frame": 1, "changes": [put("camera/azimuth_deg", 90)], "pose": True}
    socket.send_json({"drag": step | {"width": 48, "height": 32}})
    told = [socket.receive(), socket.receive()]
    pose = next(json.loads(m["text"]) for m in told if m.get("text"))
    assert pose["request"] == 1
    rows = np.array(pose["pose"]["camera"]).reshape(3, 4)
    assert rows[0, 3] > 1e6 * abs(rows[2, 3])  # it stands to the right of the axis
    assert [m for m in told if m.get("bytes")]
    socket.send_json({"drag": step | {"request": 2, "changes": [put("camera/azimuth_deg", 1e9)]}})
    while (refused := json.loads(socket.receive().get("text") or "{}")).get("request") != 2:
        pass
    assert refused["pose"] is None
    assert refused["error"].startswith("Start azimuth must be at most 3600 °")
    assert client.get(f"/api/projects/{key}").json() == before


def test_pictures_of_a_drag_come_while_the_hand_moves(lens, monkeypatch: pytest.MonkeyPatch) -> None:  # type: ignore[no-untyped-def]
    """A step does not end the picture of the step before it, and the last one is seen."""
    _, socket, _ = lens
    pictures, going, go_on = ProgressiveRenderer.pictures, threading.Event(), threading.Event()

    def held(self, *more):  # type: ignore[no-untyped-def]
        going.set()
        assert go_on.wait(60)
        yield from pictures(self, *more)

    monkeypatch.setattr(ProgressiveRenderer, "pictures", held)
    for request in range(1, 9):
        develop(socket, request, look__tone__offset_stops=0.1 * request)
        assert going.wait(60)  # the first of them is under way
    go_on.set()
    assert picture(socket)[0]["request"] == 1
    assert picture(socket)[0]["request"] == 8


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


def test_a_fault_is_told_and_the_lens_lives_on(lens, monkeypatch: pytest.MonkeyPatch, caplog) -> None:  # type: ignore[no-untyped-def]
    client, socket, _ = lens
    compiler = client.app.state.context.lens._compiler

    def broken(*_: object) -> None:
        raise ZeroDivisionError("a fault")

    with monkeypatch.context() as m:
        m.setattr(compiler, "compile", broken)
        develop(socket, 1)
        assert "cannot be developed" in socket.receive_json()["error"]
    assert "a fault" in caplog.text
    develop(socket, 2)
    assert picture(socket)[0]["request"] == 2


@pytest.mark.parametrize(
    "nonsense",
    [
        '{"develop": {"request": "x"}}',
        "[" * 100_000,
        '{"develop": ' * 30_000 + "1" + "}" * 30_000,
        '{"develop": {"request": 1, "frame": ' + "9" * 300 + ', "width": 8, "height": 8}}',
        '{"develop": {"request": 1, "frame": 1, "width": NaN, "height": 8}}',
        "\ud800",
        "7",
    ],
    ids=["type", "deep-list", "deep-object", "long-number", "nan", "surrogate", "number"],
)
def test_nonsense_gets_a_sentence_and_the_lens_lives_on(lens, nonsense: str) -> None:  # type: ignore[no-untyped-def]
    _, socket, _ = lens
    socket.send_text(nonsense)
    answer = socket.receive_json()
    assert answer["code"] == "not-understood"
    assert "does not understand" in answer["error"]
    develop(socket, 2)
    assert picture(socket)[0]["request"] == 2


def test_news_for_a_browser_that_does_not_listen_are_few() -> None:
    """The oldest go: what waits is bounded, and the newest picture is among it."""
    put = live.bounded_put
    waiting: asyncio.Queue = asyncio.Queue(live.MOST_WAITING)
    for i in range(1000):
        put(waiting, lens_module.LensProgress(i, 0.0, 0.0))
    assert waiting.qsize() == live.MOST_WAITING
    assert [waiting.get_nowait().request for _ in range(waiting.qsize())][-1] == 999


def test_the_log_stops_when_its_page_is_closed(lens, monkeypatch: pytest.MonkeyPatch) -> None:  # type: ignore[no-untyped-def]
    """However many pages listen, the takes are read once a moment; while none does, not at all."""
    client, _, _ = lens
    monkeypatch.setattr(take_log, "LOOK_EVERY_S", 0.1)
    log = client.app.state.context.take_log  # type: ignore[attr-defined]
    with contextlib.ExitStack() as pages:
        for _ in range(12):
            page = pages.enter_context(client.websocket_connect(f"{SOCKETS}/live/takes"))
            assert page.receive_json() == {"takes": [], "crew": None}
        before = log.reads
        time.sleep(1.0)
        assert 0 < log.reads - before <= 11
    time.sleep(0.3)
    before = log.reads
    time.sleep(0.5)
    assert log.reads == before


def test_a_renderer_that_cannot_be_prepared_says_so_and_is_tried_again(
    data_folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    studio, saved = studio_with(data_folder)
    studio.close()
    allow = threading.Event()
    plain = lens_module.warm_up

    def failing(tracer: Tracer) -> None:
        if not allow.is_set():
            raise OSError(28, "No space left on device")
        plain(tracer)

    monkeypatch.setattr(lens_module, "warm_up", failing)
    monkeypatch.setattr(lens_module, "RETRY_S", 0.2)
    with TestClient(create_app(data_folder), base_url="http://127.0.0.1") as client:
        wait_for(lambda: "No space left" in client.get("/api/renderer").json()["sentence"])
        with client.websocket_connect(f"{SOCKETS}/live/projects/{saved.project.id}/lens") as socket:
            told = socket.receive_json()
            assert (told["preparing"], "could not be prepared" in told["sentence"]) == (True, True)
            assert "could not be prepared" in client.get(f"/api/projects/{saved.project.id}/poster").json()["sentence"]
            assert client.get("/").status_code == 200
            allow.set()
            while socket.receive_json()["preparing"]:
                pass
            develop(socket, 1)
            assert picture(socket)[0]["request"] == 1


def test_kernels_are_compiled_in_another_process(data_folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Pictures that need a small kernel, of which a page shows many, do not wait for the large ones."""
    apart, order = threading.Event(), list[str]()

    def compiled_apart(unwanted: Callable[[], bool]) -> None:
        order.append("apart")
        assert apart.wait(60)

    monkeypatch.setattr(lens_module, "kernels_compiled", apart.is_set)
    monkeypatch.setattr(lens_module, "compile_apart", compiled_apart)
    monkeypatch.setattr(lens_module, "warm_up", lambda tracer: order.append("loaded"))
    with TestClient(create_app(data_folder), base_url="http://127.0.0.1") as client:
        wait_for(lambda: order)
        assert "first time" in client.get("/api/renderer").json()["sentence"]
        gobo = {"gobo": '{"pattern":"leaves"}', "wide": 1, "roll_deg": 0}
        assert client.get("/api/gobo.png", params=gobo).status_code == 200
        assert order == ["apart"]
        apart.set()
        wait_for(lambda: order == ["apart", "loaded"])


def test_the_log_tells_all_takes(lens) -> None:  # type: ignore[no-untyped-def]
    client, _, _ = lens
    with client.websocket_connect(f"{SOCKETS}/live/takes") as log:
        assert log.receive_json() == {"takes": [], "crew": None}


def test_work_at_leisure_gives_way_and_begins_anew(lens) -> None:  # type: ignore[no-untyped-def]
    client, _, _ = lens
    shared = client.app.state.context.lens
    begun, order = threading.Event(), list[str]()

    def work(*given) -> str:  # type: ignore[no-untyped-def]
        order.append("begun")
        begun.set()
        end = time.monotonic() + 60
        while len(order) == 1 and time.monotonic() < end:
            if given[-1]():
                raise Cancelled
            time.sleep(0.01)
        return "made"

    with ThreadPoolExecutor(1) as pool:
        made = pool.submit(shared.at_leisure, work, lambda: False)
        assert begun.wait(60)
        with shared.borrowed():
            order.append("borrowed")
        assert made.result(60) == "made"
        assert order == ["begun", "borrowed", "begun"]
        unwanted = threading.Event()
        shared.ready.clear()
        waiting = pool.submit(shared.at_leisure, work, unwanted.is_set)
        unwanted.set()  # it is heard also while kernels are made ready
        try:
            with pytest.raises(Unwanted):
                waiting.result(60)
        finally:
            shared.ready.set()
