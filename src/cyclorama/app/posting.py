"""Posting to a portfolio service over HTTP: uploads that go on where they broke off, and then the post."""

import hashlib
import time
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

import httpx

from ..core.delivery.post import MEDIA, Post
from ..core.errors import PostError

PIECE_BYTES = 2 << 20
"""So much is sent at a time; what was sent before is not lost when it breaks off."""
TRIES, PAUSE_S = 3, 0.5
"""A service that fails is asked so often, after pauses that double."""
TIMEOUT_S = 30.0
Tell = Callable[[str, float], None]
T = TypeVar("T")


class Passing(Exception):
    """It failed in a way that passes: told why, in words that go on after ‘the service’."""


@dataclass(frozen=True, slots=True)
class Begun:
    """An upload, and how much of it has come already."""

    id: str
    offset: int


class Portfolio(ABC):
    """A portfolio service. All may raise Passing when it is worth asking again, PostError when it is not."""

    @abstractmethod
    def begin(self, file: Path, size: int, sha256: str) -> Begun:
        """Begin to upload a file, or find out how much of it has come."""

    @abstractmethod
    def send(self, upload: Begun, piece: bytes) -> Begun:
        """Send what follows; how much has come then."""

    @abstractmethod
    def publish(self, post: Post, uploads: list[str], once: str) -> str:
        """Show uploads that are whole; gives the address where. Asked twice with the same `once`, it is shown once."""


class Gallery(Portfolio):
    """The service that is played on this machine."""

    def __init__(self, address: str, key: str, cookies: dict[str, str] | None = None):
        """address: of its front page; key: of an account there; cookies: what lets one in where it stands."""
        self._address = address.rstrip("/")
        self._client = httpx.Client(
            headers={"authorization": f"Bearer {key}"}, cookies=cookies, timeout=TIMEOUT_S, trust_env=False
        )

    def begin(self, file: Path, size: int, sha256: str) -> Begun:
        media = MEDIA[file.suffix[1:]]
        told = self._ask("POST", "uploads", json={"name": file.name, "media": media, "size": size, "sha256": sha256})
        return Begun(told["id"], told["offset"])

    def send(self, upload: Begun, piece: bytes) -> Begun:
        headers = {"upload-offset": str(upload.offset)}
        told = self._ask("PATCH", f"uploads/{upload.id}", content=piece, headers=headers)
        return Begun(upload.id, told["offset"])

    def publish(self, post: Post, uploads: list[str], once: str) -> str:
        said = {"title": post.title, "text": post.text, "tags": post.tags, "uploads": uploads}
        return f"{self._address}{self._ask('POST', 'posts', json=said, headers={'idempotency-key': once})['path']}"

    def _ask(self, method: str, what: str, **more: Any) -> dict[str, Any]:
        try:
            answer = self._client.request(method, f"{self._address}/api/{what}", **more)
        except httpx.ConnectError as error:
            raise PostError(f"There is no portfolio service at {self._address}.") from error
        except httpx.TimeoutException as error:
            raise Passing("does not answer") from error
        except httpx.TransportError as error:
            raise Passing("broke off") from error
        if answer.status_code in (409, 429) or answer.status_code >= 500:
            raise Passing("is overloaded")
        try:
            told: dict[str, Any] = answer.json()
            if answer.is_success:
                return told
            sentence = str(told["error"])
        except (ValueError, KeyError, TypeError) as error:
            raise PostError(f"What answers at {self._address} is no portfolio service.") from error
        raise PostError(sentence)


def post_to(portfolio: Portfolio, post: Post, files: Iterable[Path], once: str, tell: Tell) -> str:
    """Upload files and show them; gives the address of the post. Raises PostError with a sentence."""
    paths = list(files)
    total = sum(p.stat().st_size for p in paths)
    done, uploads = 0, []
    for path in paths:
        before = done
        upload = _sent(portfolio, path, lambda sent, b=before: tell("Sending", 0.98 * (b + sent) / total))  # type: ignore[misc]
        uploads.append(upload.id)
        done += path.stat().st_size
    tell("Posting", 0.99)
    return _tried(
        lambda: portfolio.publish(post, uploads, once), "everything has come, only the post itself is missing"
    )


def _sent(portfolio: Portfolio, path: Path, tell: Callable[[int], None]) -> Begun:
    """A file that is whole at the other end."""
    size = path.stat().st_size
    with path.open("rb") as file:
        sha256 = hashlib.file_digest(file, "sha256").hexdigest()

        def onwards() -> Begun:
            """From where it stands, so that nothing is sent twice that has come."""
            upload = portfolio.begin(path, size, sha256)
            while upload.offset < size:
                tell(upload.offset)
                file.seek(upload.offset)
                upload = portfolio.send(upload, file.read(PIECE_BYTES))
            return upload

        return _tried(onwards, "what has come stays there, and it goes on from there")


def _tried(ask: Callable[[], T], stands: str) -> T:
    """Final answer of a service. Raises PostError."""
    for left in reversed(range(TRIES)):
        try:
            return ask()
        except Passing as why:
            if not left:
                raise PostError(f"The portfolio service {why}. Try again later: {stands}.") from why
            time.sleep(PAUSE_S * 2 ** (TRIES - 1 - left))
    raise AssertionError("no try was left")
