"""Who may ask: the artist's own browser, and nobody who merely got it to visit a page.

A studio on this machine answers every program here, so also a page of any web site that runs in the same browser.
Two things keep such pages out. The name in the Host header must be one of this machine's, or a site could point its
own name here (DNS rebinding). What changes something, opens a socket or reads data must come from a page of the
studio itself: browsers say where a request comes from (Origin, RFC 6454; Sec-Fetch-Site, W3C Fetch Metadata), and
programs that are no browsers say nothing. A studio that is open to the network also asks for the key in the address
that it printed.
"""

import hmac
from collections.abc import Iterable
from http.cookies import SimpleCookie
from urllib.parse import parse_qsl, urlencode

from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.responses import JSONResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from .. import gallery
from .problems import problem_page

LOOPBACK = frozenset({"127.0.0.1", "localhost", "[::1]"})
COOKIE = "cyclorama-key"
MAX_BODY_BYTES = 16 << 20
"""Of a request that is no upload."""
OWN_KEYS = f"{gallery.PATH}/api/"
"""What is below asks for keys of its own accounts."""
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
NO_KEY = "This studio is open to the network and needs its key. Open it by the address it printed when it started."
TOO_LARGE = "This request is larger than anything the studio asks for. It was not taken in."


class Guard:
    """Answers what is not allowed in; everything else goes on to the application, with headers that keep it in."""

    def __init__(self, app: ASGIApp, hosts: Iterable[str] = (), key: str | None = None):
        self._app, self._key = app, key
        self._hosts = LOOPBACK | {h.lower() for h in hosts}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            return await self._app(scope, receive, send)
        refusal = self._refusal(scope)
        if refusal is not None:
            if scope["type"] == "websocket":
                await receive()
                return await send({"type": "websocket.close", "code": CLOSED_BY_POLICY, "reason": "not allowed"})
            return await refusal(scope, receive, _with_headers(send))
        if scope["type"] == "websocket":
            return await self._app(scope, receive, send)
        await self._app(scope, _limited(scope, receive), _with_headers(send))

    def _refusal(self, scope: Scope) -> Response | None:
        headers = Headers(scope=scope)
        host = headers.get("host", "").lower()
        name = host[: host.index("]") + 1] if host.startswith("[") and "]" in host else host.split(":")[0]
        if name not in self._hosts:
            return _answer(scope, UNKNOWN_HOST.format(host=name[:80] or "nothing"), 421)
        if self._is_foreign(scope, headers, host):
            return _answer(scope, FOREIGN, 403)
        if self._key is not None and not self._has_key(headers) and not scope["path"].startswith(OWN_KEYS):
            return self._let_in(scope)
        length = headers.get("content-length", "0")
        if not _is_upload(headers) and length.isdigit() and int(length) > MAX_BODY_BYTES:
            return _answer(scope, TOO_LARGE, 413)
        return None

    def _is_foreign(self, scope: Scope, headers: Headers, host: str) -> bool:
        origin, site = headers.get("origin"), headers.get("sec-fetch-site")
        changes = scope["type"] == "websocket" or scope["method"] not in ("GET", "HEAD", "OPTIONS")
        if changes and origin is not None:
            return origin.lower() not in (f"http://{host}", f"https://{host}")
        if changes or scope["path"].startswith("/api/"):
            visit = headers.get("sec-fetch-mode") == "navigate" and not changes
            return site not in (None, "same-origin", "none") and not visit
        return False

    def _has_key(self, headers: Headers) -> bool:
        cookie = SimpleCookie(headers.get("cookie", "")).get(COOKIE)
        return cookie is not None and hmac.compare_digest(cookie.value.encode(), (self._key or "").encode())

    def _let_in(self, scope: Scope) -> Response:
        """Who comes with the key in the address gets it as a cookie; everybody else is told how to come by it."""
        asked = parse_qsl(scope.get("query_string", b"").decode("latin-1"))
        given = dict(asked).get("key", "")
        if scope["type"] != "http" or not hmac.compare_digest(given.encode(), (self._key or "").encode()):
            return _answer(scope, NO_KEY, 403)
        rest = urlencode([(k, v) for k, v in asked if k != "key"])
        answer = RedirectResponse(f"{scope['path']}{'?' + rest if rest else ''}", 303)
        answer.set_cookie(COOKIE, given, httponly=True, samesite="strict")
        return answer


def _is_upload(headers: Headers) -> bool:
    return headers.get("content-type", "").startswith("multipart/form-data")


def _answer(scope: Scope, sentence: str, status: int) -> Response:
    if scope["type"] == "http" and "text/html" in Headers(scope=scope).get("accept", ""):
        return problem_page(Request(scope), sentence, status)
    return JSONResponse({"error": sentence}, status)


def _limited(scope: Scope, receive: Receive) -> Receive:
    """Bodies that are no uploads end at MAX_BODY_BYTES, whatever was said about their length."""
    if _is_upload(Headers(scope=scope)):
        return receive
    total = 0

    async def counted() -> Message:
        nonlocal total
        message = await receive()
        total += len(message.get("body", b""))
        if total > MAX_BODY_BYTES:
            raise HTTPException(413)
        return message

    return counted


def _with_headers(send: Send) -> Send:
    async def sending(message: Message) -> None:
        if message["type"] == "http.response.start":
            headers = MutableHeaders(scope=message)
            for name, value in HEADERS.items():
                headers.setdefault(name, value)
        await send(message)

    return sending
