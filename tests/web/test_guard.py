"""Nobody else in the studio: foreign pages, foreign names, keys, what is too large."""

import itertools
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from starlette.websockets import WebSocketDisconnect

from cyclorama.web.app import create_app
from cyclorama.web.guard import HEADERS, MAX_BODY_BYTES

HOME = "http://127.0.0.1:8765"


@pytest.fixture
def client(data_folder: Path) -> Iterator[TestClient]:
    with TestClient(create_app(data_folder), base_url=HOME) as client:
        yield client


@pytest.mark.parametrize(
    "host",
    [
        "evil.example",
        "evil.example:8765",
        "127.0.0.1.evil.example",
        "localhost.evil",
        "127.0.0.1:8841@evil",
        "[::1]evil",
        "127.0.0.1:evil",
        "",
    ],
)
def test_foreign_names_are_not_answered(client: TestClient, host: str) -> None:
    for url in ("/", "/api/takes", "/static/js/shared/api.js"):
        assert client.get(url, headers={"host": host}).status_code == 421
    with pytest.raises(WebSocketDisconnect), client.websocket_connect("/live/takes", headers={"host": host}):
        pass


@pytest.mark.parametrize("host", ["localhost:8765", "127.0.0.1", "[::1]:8765", "LOCALHOST"])
def test_names_of_this_machine_are(client: TestClient, host: str) -> None:
    assert client.get("/", headers={"host": host}).status_code == 200


FOREIGN = [
    {"origin": "http://evil.example"},
    {"origin": "http://127.0.0.1:3000"},  # another program of this machine
    {"origin": "https://127.0.0.1:8765.evil.example"},
    {"origin": "null"},
    {"sec-fetch-site": "cross-site"},
    {"sec-fetch-site": "same-site"},
]


@pytest.mark.parametrize("headers", FOREIGN)
def test_foreign_pages_change_nothing_and_hear_nothing(client: TestClient, headers: dict[str, str]) -> None:
    for method, url in itertools.product(("POST", "DELETE"), ("/api/projects", "/api/takes/x", "/api/intakes")):
        answer = client.request(method, url, headers=headers)
        assert answer.status_code == 403
        assert "not part of this studio" in answer.json()["error"]
    log = client.websocket_connect("ws://127.0.0.1:8765/live/takes", headers=headers)
    with pytest.raises(WebSocketDisconnect) as closed, log:
        pass
    assert closed.value.code == 1008
    if "sec-fetch-site" in headers:
        assert client.get("/api/takes", headers=headers).status_code == 403
    assert client.get("/").text.count("data-project=") == 0


def test_the_studio_itself_may_everything(client: TestClient) -> None:
    own = {"origin": HOME, "sec-fetch-site": "same-origin"}
    key = client.post("/api/projects", json={"name": "Mine"}, headers=own).json()["id"]
    with client.websocket_connect("ws://127.0.0.1:8765/live/takes", headers=own) as log:
        assert log.receive_json() == {"takes": [], "crew": None}
    assert client.get(f"/api/projects/{key}", headers={"sec-fetch-site": "same-origin"}).status_code == 200
    # a link on another page may lead here
    visit = {"sec-fetch-site": "cross-site", "sec-fetch-mode": "navigate"}
    assert client.get("/", headers=visit).status_code == 200


def test_every_answer_keeps_scripts_and_frames_out(client: TestClient) -> None:
    for url in ("/", "/api/takes", "/static/js/shared/api.js", "/nowhere"):
        assert HEADERS.items() <= dict(client.get(url).headers).items()
    policy = HEADERS["content-security-policy"]
    assert "script-src" not in policy  # so default-src holds
    assert policy.startswith("default-src 'self';")


def test_beyond_this_machine_a_key_is_needed(data_folder: Path) -> None:
    app = create_app(data_folder, hosts=["studio.local"], key="k3y")
    with TestClient(app, base_url="http://studio.local:8765", follow_redirects=False) as client:
        for url in ("/", "/api/takes", "/?key=k3", "/?key="):
            assert client.get(url).status_code == 403
        with pytest.raises(WebSocketDisconnect), client.websocket_connect("ws://studio.local:8765/live/takes"):
            pass
        entered = client.get("/shoots?key=k3y&a=1")
        assert (entered.status_code, entered.headers["location"]) == (303, "/shoots?a=1")
        assert "httponly" in entered.headers["set-cookie"].lower()
        assert client.get("/api/takes").json() == []
        client.cookies.clear()
        assert client.get("http://studio.local:8765//evil.example/?key=k3y").headers["location"] == "/evil.example/"
        client.cookies.clear()
        pulled = 0

        def large() -> Iterator[bytes]:
            nonlocal pulled
            for _ in range(64):
                pulled += 1 << 20
                yield bytes(1 << 20)

        sent = client.post("/gallery/api/uploads", content=large(), headers={"content-type": "multipart/form-data"})
        assert sent.status_code == 403


def test_bodies_that_never_end_are_stopped(client: TestClient) -> None:
    def endless() -> Iterator[bytes]:
        yield b'{"name": "'
        for _ in range(2 * MAX_BODY_BYTES >> 16):
            yield bytes(65536)

    answer = client.post("/api/projects", content=endless(), headers={"content-type": "application/json"})
    assert answer.status_code == 413
    assert "larger than anything" in answer.json()["error"]


@pytest.mark.parametrize("kind", ["multipart/form-data; boundary=x", "application/json", "text/plain"])
def test_no_kind_of_body_passes_the_limit(client: TestClient, kind: str) -> None:
    """Whatever a body says it is, only routes that write uploads to disk take more."""
    pulled = 0

    def endless() -> Iterator[bytes]:
        nonlocal pulled
        for _ in range(8 * MAX_BODY_BYTES >> 20):
            pulled += 1 << 20
            yield bytes(1 << 20)

    answer = client.post("/api/projects", content=endless(), headers={"content-type": kind})
    assert answer.status_code == 413


@pytest.mark.parametrize("address", [f"/api/projects/{'a' * 5000}/bundle", "/api/projects/%00/poster", "/takes/a%00b"])
def test_addresses_that_no_file_has(client: TestClient, address: str) -> None:
    assert client.get(address).status_code == 404
    assert client.get(f"/api/projects/{'a' * 300}/bundle").status_code == 404


@pytest.mark.parametrize("destination", ["iframe", "document", "embed", "image"])
def test_a_frame_of_a_foreign_page_starts_no_work(client: TestClient, destination: str) -> None:
    visit = {"sec-fetch-site": "cross-site", "sec-fetch-mode": "navigate", "sec-fetch-dest": destination}
    assert client.get("/api/projects/any/poster", headers=visit).status_code == 403
    expected = 200 if destination in ("document", "image") else 403
    assert client.get("/shoots", headers=visit).status_code == expected


def test_a_token_lets_a_program_in_until_it_is_revoked(data_folder: Path) -> None:
    """From anywhere and by any name; only its hash is kept, and it makes no tokens itself."""
    app = create_app(data_folder, key="k3y")
    with TestClient(app, base_url="http://any.name") as program, TestClient(app, base_url=HOME) as browser:
        browser.get("/?key=k3y")
        made = browser.post("/api/tokens", json={"name": " Night farm "}).json()
        sent = {"authorization": f"Bearer {made['secret']}"}
        assert made["secret"].encode() not in b"".join(p.read_bytes() for p in data_folder.glob("studio.sqlite*"))
        assert browser.get("/api/tokens").json() == [made["token"]]
        assert (made["token"]["name"], made["token"]["used"]) == ("Night farm", None)

        assert program.get("/api/projects").status_code == 421
        assert program.get("/api/projects", headers=sent).json() == []
        key = program.post("/api/projects", json={"name": "Made"}, headers=sent).json()["id"]
        assert program.get(f"/api/projects/{key}", headers=sent | {"host": ""}).status_code == 200
        with program.websocket_connect("ws://any.name/live/takes", headers=sent) as log:
            assert log.receive_json()["takes"] == []
        assert browser.get("/api/tokens").json()[0]["used"] is not None
        for method, url in (("GET", ""), ("POST", ""), ("DELETE", f"/{made['token']['id']}")):
            told = program.request(method, f"/api/tokens{url}", headers=sent, json={"name": "Another"})
            assert (told.status_code, "under Access" in told.json()["error"]) == (403, True)

        assert browser.delete(f"/api/tokens/{made['token']['id']}").status_code == 204
        assert browser.delete(f"/api/tokens/{made['token']['id']}").status_code == 404
        refused = program.get("/api/projects", headers=sent)
        assert (refused.status_code, refused.headers["www-authenticate"]) == (401, 'Bearer error="invalid_token"')
        with pytest.raises(WebSocketDisconnect), program.websocket_connect("ws://any.name/live/takes", headers=sent):
            pass


def test_keys_of_the_gallery_are_its_own(data_folder: Path) -> None:
    """A studio posts there with the key of an account, no token of the studio; its key is asked too."""
    app = create_app(data_folder, key="k3y", gallery_origin=HOME)
    sent = {"authorization": "Bearer of-an-account"}
    with TestClient(app, base_url=HOME) as client:
        refused = client.post("/gallery/api/uploads", headers=sent)
        assert (refused.status_code, "needs its key" in refused.json()["error"]) == (403, True)
        client.get("/?key=k3y")
        answered = client.post("/gallery/api/uploads", headers=sent)
        assert "opens nothing here" not in answered.text


@pytest.mark.parametrize("sent", ["Bearer", "Bearer ", "Bearer cyc_", "bearer cyc_ünknown", "Bearer " + "x" * 9000])
def test_what_is_no_token_opens_nothing(client: TestClient, sent: str) -> None:
    """Also where a program would need none: it is told at once that its token is revoked."""
    answer = client.get("/api/projects", headers={"authorization": sent.encode()})
    assert (answer.status_code, "revoked" in answer.json()["error"]) == (401, True)
