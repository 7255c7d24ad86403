"""Posting to the portfolio service that is played: whole, through its troubles, and what it refuses."""

import os
import threading
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
import uvicorn
from tests.clusters import free_port

from cyclorama.app import posting
from cyclorama.app.posting import PIECE_BYTES, Gallery, post_to
from cyclorama.core.delivery.post import Post
from cyclorama.core.errors import PostError
from cyclorama.gallery import kept
from cyclorama.gallery.kept import Keeper
from cyclorama.gallery.site import create_site

SAID = Post(title="Storm Glass <No. 4>", text="Brass & glass.", tags=("glass", "turntable"), deliveries=("one",))


@pytest.fixture
def address(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    monkeypatch.setattr(posting, "PAUSE_S", 0.01)
    port = free_port()
    server = uvicorn.Server(uvicorn.Config(create_site(tmp_path / "gallery"), port=port, log_level="critical"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        assert thread.is_alive()
    yield f"http://127.0.0.1:{port}"
    server.should_exit = True
    thread.join()


@pytest.fixture
def accounts(tmp_path: Path) -> Keeper:
    return Keeper(tmp_path / "gallery")


@pytest.fixture
def key(accounts: Keeper) -> str:
    return accounts.accounts[0].key


@pytest.fixture
def clip(tmp_path: Path) -> Path:
    path = tmp_path / "spin.mp4"
    path.write_bytes(os.urandom(2 * PIECE_BYTES + 12345))
    return path


def switch(address: str, trouble: str) -> None:
    assert httpx.post(f"{address}/trouble", data={"trouble": trouble}).status_code == 303


def quiet(what: str, share: float) -> None:
    assert 0 <= share <= 1


def test_posts_are_shown_to_the_last_byte(address: str, key: str, clip: Path, tmp_path: Path) -> None:
    still = tmp_path / "still.png"
    still.write_bytes(os.urandom(1000))
    shares: list[float] = []
    at = post_to(Gallery(address, key), SAID, [clip, still], "once", lambda what, share: shares.append(share))
    assert shares == sorted(shares)
    page = httpx.get(at).text
    assert "Storm Glass &lt;No. 4&gt;" in page
    assert "Vane &amp; Tidewrack" in page
    files = [part.split('"')[0] for part in page.split('src="')[1:]]
    assert [httpx.get(address + f).content for f in files] == [clip.read_bytes(), still.read_bytes()]
    assert SAID.title.split(" <")[0] in httpx.get(f"{address}/?tag=glass").text
    assert "Storm Glass" not in httpx.get(f"{address}/?tag=brass").text
    # asked once more, as after an answer that got lost: shown once, nothing sent again
    assert post_to(Gallery(address, key), SAID, [clip, still], "once", quiet) == at
    assert len(list((tmp_path / "gallery" / "uploads").glob("*.json"))) == 2
    assert httpx.post(f"{at}/remove").status_code == 303
    assert httpx.get(at).status_code == 404
    assert list((tmp_path / "gallery" / "uploads").iterdir()) == []


def test_broken_uploads_go_on_from_there(address: str, key: str, clip: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    switch(address, "broken off")
    sent: list[tuple[int, int]] = []
    plain = Gallery.send

    def counting(self: Gallery, upload: posting.Begun, piece: bytes) -> posting.Begun:
        sent.append((upload.offset, len(piece)))
        return plain(self, upload, piece)

    monkeypatch.setattr(Gallery, "send", counting)
    at = post_to(Gallery(address, key), SAID, [clip], "once", quiet)
    assert httpx.get(at).status_code == 200
    # half of the first piece had come when it broke off
    assert [offset for offset, _ in sent] == [0, PIECE_BYTES // 2, PIECE_BYTES * 3 // 2]


def test_a_refusing_service_is_asked_again_and_keeps_what_came(
    address: str, key: str, clip: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    gallery = Gallery(address, key)
    begun = gallery.begin(clip, clip.stat().st_size, "0" * 64)
    switch(address, "refused")
    with pytest.raises(PostError, match=r"is overloaded.*goes on from there"):
        post_to(gallery, SAID, [clip], "once", quiet)
    switch(address, "none")
    assert gallery.begin(clip, clip.stat().st_size, "0" * 64) == begun
    # a service that is slow beyond patience has failed as well
    switch(address, "slow")
    monkeypatch.setattr(posting, "TIMEOUT_S", 0.1)
    with pytest.raises(PostError, match="does not answer"):
        post_to(Gallery(address, key), SAID, [clip], "once", quiet)


def test_refused_values(address: str, key: str, accounts: Keeper, clip: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(PostError, match="No account has this key"):
        post_to(Gallery(address, "guessed"), SAID, [clip], "once", quiet)
    with pytest.raises(PostError, match="There is no portfolio service at"):
        post_to(Gallery(f"http://127.0.0.1:{free_port()}", key), SAID, [clip], "once", quiet)
    with pytest.raises(PostError, match="no portfolio service"):
        post_to(Gallery(f"{address}/nowhere", key), SAID, [clip], "once", quiet)
    me = {"authorization": f"Bearer {key}"}
    wanted = {"name": "a.mp4", "media": "video/mp4", "size": 4, "sha256": "0" * 64}
    upload = f"{address}/api/uploads/" + httpx.post(f"{address}/api/uploads", json=wanted, headers=me).json()["id"]

    def sent(data: bytes, offset: object, headers: dict[str, str] = me) -> int:
        return httpx.patch(upload, content=data, headers={"upload-offset": str(offset)} | headers).status_code

    assert sent(b"ab", 2) == 409  # not what follows
    assert sent(b"abcde", 0) == 413  # more than was announced
    assert sent(b"ab", -1) == 422
    assert sent(b"abcd", 0, {"authorization": f"Bearer {accounts.accounts[1].key}"}) == 404  # somebody else's
    assert sent(b"abcd", 0) == 422  # not the bytes that were announced
    assert sent(b"abcd", 0) == 422  # from the beginning again
    post = {"title": "x", "uploads": [upload.split("/")[-1]]}
    assert httpx.post(f"{address}/api/posts", json=post, headers=me | {"idempotency-key": "a"}).status_code == 422
    for bad in (
        {"title": "", "uploads": ["0" * 16]},
        {"title": "x", "uploads": []},
        {"title": "x", "uploads": ["../x"]},
    ):
        answer = httpx.post(f"{address}/api/posts", json=bad, headers=me | {"idempotency-key": "b"})
        assert answer.status_code in (404, 422)
        assert answer.json()["error"]
    monkeypatch.setattr(kept, "QUOTA_BYTES", 1000)
    answer = httpx.post(f"{address}/api/uploads", json=wanted | {"size": 997}, headers=me)
    assert (answer.status_code, "The gallery is full" in answer.json()["error"]) == (413, True)
    for odd in ("svg+xml", "html"):
        wrong = wanted | {"media": f"image/{odd}"}
        assert httpx.post(f"{address}/api/uploads", json=wrong, headers=me).status_code == 422


def test_a_page_that_was_posted_reaches_nothing(address: str, key: str, tmp_path: Path) -> None:
    page = tmp_path / "spin.html"
    page.write_text("<script>document.title = 'turned'</script>")
    at = post_to(Gallery(address, key), SAID, [page], "once", quiet)
    link = httpx.get(at).text.split('<a href="/files/')[1].split('"')[0]
    rules = httpx.get(f"{address}/files/{link}").headers["content-security-policy"]
    assert "sandbox allow-scripts;" in rules
    assert "default-src 'none'" in rules


def test_each_folder_draws_keys_of_its_own(tmp_path: Path) -> None:
    one, other = (Keeper(tmp_path / name) for name in ("a", "b"))
    keys = [account.key for keeper in (one, other) for account in keeper.accounts]
    assert len(set(keys)) == 4
    assert Keeper(tmp_path / "a").accounts == one.accounts
