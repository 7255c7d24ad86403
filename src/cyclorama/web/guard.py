"""Guard: requests are answered for the artist's own browser, not for foreign pages in it.

A studio on this machine answers every program here, so also a page of any web site that runs in the same browser.
Two things keep such pages out. The name in the Host header must be one of this machine's, or a site could point its
own name here (DNS rebinding). What changes something, opens a socket or reads data must come from a page of the
studio itself: browsers say where a request comes from (Origin, RFC 6454; Sec-Fetch-Site, W3C Fetch Metadata), and
programs that are no browsers say nothing. A studio that is open to the network also asks for the key in the address
that it printed. A program with a token (RFC 6750) needs none of this: no foreign page can know the token.
"""

import asyncio
import hmac
import re
from collections.abc import Callable, Iterable
from http.cookies import SimpleCookie
from urllib.parse import parse_qsl, quote, urlencode

from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.responses import JSONResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from .. import gallery
from ..store.change_log import writer
from .problems import problem_page

LOOPBACK = frozenset({"127.0.0.1", "localhost", "[::1]"})
COOKIE = "cyclorama-key"
MAX_BODY_BYTES = 16 << 20
"""Of a request that is no upload."""
PAUSE_S = 30.0
"""So long a body may bring nothing before its request is given up."""
MOST_ADDRESS = 4000
MOST_NAME = 40
"""Letters in the name of a window."""
_HOST = re.compile(r"(\[[0-9a-f:.]+\]|[a-z0-9._-]+)(:\d{1,5})?")
_BODY = "cyclorama.body"
"""Under this key a request's scope has its body without a limit, for those who write it to disk as it comes."""
TOKENS = "/api/tokens"
"""Address of tokens: one that fell into the wrong hands must not make itself another."""
NO_TOKENS_BY_TOKEN = "A token cannot make or revoke tokens. Do that in the studio, under Access."
CLOSED_BY_POLICY = 1008
"""RFC 6455, section 7.4.1."""
HEADERS = {
    "content-security-policy": (
        "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' blob: data:; object-src 'none'; "
        "base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
    ),
    "x-content-type-options": "nosniff",
    "x-frame-options": "DENY",
    "referrer-policy": "same-origin",
    "cross-origin-opener-policy": "same-origin",
    "cross-origin-resource-policy": "same-origin",
}
FOREIGN = "This came from a page that is not part of this studio, and was not done."
UNKNOWN_HOST = (
    "This studio is not called ‘{host}’. Open it by the address it printed, or start it with --allow-host {host}."
)
NO_KEY = (
    "This studio is open to the network and needs its key. Open it by the address it printed when it started. "
    "A program sends a token, which is made in the studio under Access."
)
NO_TOKEN = "This token opens nothing here. It may have been revoked; make another in the studio under Access."
NOTHING_HERE = "There is nothing at this address."
_FRAMES = ("iframe", "frame", "embed", "object")
"""Destinations of requests that a page makes to show another within itself (W3C Fetch Metadata, section 2.1)."""
TOO_LARGE = "This request is larger than anything the studio asks for. It was not taken in."


class Guard:
    """Answers what is not allowed in; everything else goes on to the application, with headers that keep it in."""

    def __init__(
        self,
        app: ASGIApp,
        hosts: Iterable[str] = (),
        key: str | None = None,
        admits: Callable[[str], bool] = lambda secret: False,
    ):
        """admits: true for the secret of a token; it may read from disk"""
        self._app, self._key, self._admits = app, key, admits
        self._hosts = LOOPBACK | {h.lower() for h in hosts}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            return await self._app(scope, receive, send)
        refusal = await self._refusal(scope)
        if refusal is not None:
            if scope["type"] == "websocket":
                await receive()
                return await send({"type": "websocket.close", "code": CLOSED_BY_POLICY, "reason": "not allowed"})
            return await refusal(scope, receive, _with_headers(send))
        if scope["type"] == "websocket":
            return await self._app(scope, receive, send)
        writer.set(Headers(scope=scope).get("x-window", "")[:MOST_NAME])
        await self._app(scope, _limited(scope, receive), _with_headers(send))

    async def _refusal(self, scope: Scope) -> Response | None:
        headers = Headers(scope=scope)
        how, _, secret = headers.get("authorization", "").partition(" ")
        in_gallery = scope["path"].startswith(f"{gallery.PATH}/")  # it has accounts of its own, with their own keys
        if how.lower() != "bearer" or in_gallery:
            return self._refusal_of_browser(scope, headers) or _refusal_of_request(scope, headers)
        if not await run_in_threadpool(self._admits, secret.strip()):
            challenge = {"www-authenticate": 'Bearer error="invalid_token"'}
            return JSONResponse({"error": NO_TOKEN}, 401, challenge)
        if scope["path"].startswith(TOKENS):
            return _answer(scope, NO_TOKENS_BY_TOKEN, 403)
        return _refusal_of_request(scope, headers)

    def _refusal_of_browser(self, scope: Scope, headers: Headers) -> Response | None:
        host = headers.get("host", "").lower()
        named = _HOST.fullmatch(host)
        if named is None or named[1] not in self._hosts:
            return _answer(scope, UNKNOWN_HOST.format(host=(named[1] if named else host)[:80] or "nothing"), 421)
        if self._is_foreign(scope, headers, host):
            return _answer(scope, FOREIGN, 403)
        if self._key is not None and not self._has_key(headers):
            return self._let_in(scope)
        return None

    def _is_foreign(self, scope: Scope, headers: Headers, host: str) -> bool:
        origin, site = headers.get("origin"), headers.get("sec-fetch-site")
        changes = scope["type"] == "websocket" or scope["method"] not in ("GET", "HEAD", "OPTIONS")
        if changes and origin is not None:
            return origin.lower() not in (f"http://{host}", f"https://{host}")
        if changes or scope["path"].startswith("/api/") or headers.get("sec-fetch-dest") in _FRAMES:
            return site not in (None, "same-origin", "none")
        return False

    def _has_key(self, headers: Headers) -> bool:
        cookie = SimpleCookie(headers.get("cookie", "")).get(COOKIE)
        return cookie is not None and hmac.compare_digest(cookie.value.encode(), (self._key or "").encode())

    def _let_in(self, scope: Scope) -> Response:
        """Exchange the key in an address for a cookie; without one, tell how to come by it."""
        asked = parse_qsl(scope.get("query_string", b"").decode("latin-1"))
        given = dict(asked).get("key", "")
        if scope["type"] != "http" or not hmac.compare_digest(given.encode(), (self._key or "").encode()):
            return _answer(scope, NO_KEY, 403)
        rest = urlencode([(k, v) for k, v in asked if k != "key"])
        path = quote("/" + scope["path"].lstrip("/"))  # two slashes would begin the name of another host
        answer = RedirectResponse(f"{path}{'?' + rest if rest else ''}", 303)
        answer.set_cookie(COOKIE, given, httponly=True, samesite="strict", secure=scope.get("scheme") == "https")
        return answer


def _refusal_of_request(scope: Scope, headers: Headers) -> Response | None:
    """Refusal of what nobody may ask."""
    if len(scope["path"]) > MOST_ADDRESS or not scope["path"].isprintable():
        return _answer(scope, NOTHING_HERE, 404)
    length = headers.get("content-length", "0")
    if not _is_upload(headers) and length.isdigit() and int(length) > MAX_BODY_BYTES:
        return _answer(scope, TOO_LARGE, 413)
    return None


def _is_upload(headers: Headers) -> bool:
    return headers.get("content-type", "").startswith("multipart/form-data")


def _answer(scope: Scope, sentence: str, status: int) -> Response:
    if scope["type"] == "http" and "text/html" in Headers(scope=scope).get("accept", ""):
        return problem_page(Request(scope), sentence, status)
    return JSONResponse({"error": sentence}, status)


def whole_body(request: Request) -> Request:
    """A request whose body may be of any length: whoever reads it has limits of its own, and writes it to disk."""
    return Request(request.scope, request.scope.get(_BODY, request.receive))


def _limited(scope: Scope, receive: Receive) -> Receive:
    """A body of at most MAX_BODY_BYTES, whatever was said about its kind and length, and without long pauses."""
    total, ended = 0, False

    async def paced() -> Message:
        nonlocal ended
        if ended:
            return await receive()  # whoever waits now waits for the end of the connection
        try:
            message = await asyncio.wait_for(receive(), PAUSE_S)
        except TimeoutError:
            raise HTTPException(408) from None
        ended = not message.get("more_body", False)
        return message

    async def counted() -> Message:
        nonlocal total
        message = await paced()
        total += len(message.get("body", b""))
        if total > MAX_BODY_BYTES:
            raise HTTPException(413)
        return message

    scope[_BODY] = paced
    return counted


def _with_headers(send: Send) -> Send:
    async def sending(message: Message) -> None:
        if message["type"] == "http.response.start":
            headers = MutableHeaders(scope=message)
            for name, value in HEADERS.items():
                headers.setdefault(name, value)
        await send(message)

    return sending
