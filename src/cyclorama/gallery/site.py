"""The gallery's HTTP interface and pages.

Uploads come in pieces that say where they begin, as in the IETF's draft on resumable uploads, so that what breaks off
goes on from there; posts carry an Idempotency-Key (IETF draft), so that asking again shows nothing twice.
"""

import asyncio
import hmac
from collections.abc import AsyncIterator
from pathlib import Path
from typing import Annotated, Literal

from fastapi import Depends, FastAPI, Form, Header, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse, RedirectResponse, Response
from jinja2 import Environment, FileSystemLoader, select_autoescape
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool
from starlette.types import Receive, Scope, Send

from .kept import Account, Begin, Keeper, KeptPost, NewPost, Refused

TROUBLES = {
    "none": "Everything works",
    "slow": "It takes its time",
    "refused": "It is overloaded and refuses",
    "broken off": "Every upload is broken off once",
}
Trouble = Literal["none", "slow", "refused", "broken off"]
SLOW_S = 1.0
CLOSED = {
    "content-security-policy": "sandbox allow-scripts; default-src 'none'; script-src 'unsafe-inline'; "
    "style-src 'unsafe-inline'; img-src data: blob:"
}
"""A page that somebody has posted runs by itself and reaches nothing."""
_pages = Environment(loader=FileSystemLoader(Path(__file__).parent / "templates"), autoescape=select_autoescape())


class Come(BaseModel):
    """Progress of an upload."""

    id: str
    offset: int
    size: int
    complete: bool


class PostPage(BaseModel):
    """A post, and where it is shown, from the site's root on."""

    id: str
    path: str


class BrokenOff(Response):
    """An answer that begins and is cut off, as when a line goes dead."""

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        await send({"type": "http.response.start", "status": 200, "headers": [(b"content-length", b"64")]})
        await send({"type": "http.response.body", "body": b"{", "more_body": True})


def create_site(folder: Path) -> FastAPI:
    """The site over one folder, to be mounted at a path of its own."""
    site = FastAPI(title="Gallery", docs_url=None, redoc_url=None)
    site.state.keeper = Keeper(folder)
    site.state.trouble = "none"
    site.state.broken = set()
    _add_interface(site)
    _add_pages(site)

    @site.exception_handler(Refused)
    async def refused(request: Request, error: Refused) -> Response:
        if "text/html" in request.headers.get("accept", ""):
            return HTMLResponse(_page("refused.html", request, sentence=error.sentence), error.status)
        return JSONResponse({"error": error.sentence}, error.status)

    @site.exception_handler(RequestValidationError)
    async def wrong(request: Request, error: RequestValidationError) -> Response:
        first = error.errors()[0]
        return JSONResponse({"error": f"{'.'.join(map(str, first['loc']))}: {first['msg']}."}, 422)

    return site


async def _keeper(request: Request) -> Keeper:
    keeper: Keeper = request.app.state.keeper
    return keeper


async def _account(request: Request) -> AsyncIterator[Account]:
    """Whose key it is; troubles that are switched on come first."""
    trouble = request.app.state.trouble
    if trouble == "slow":
        await asyncio.sleep(SLOW_S)
    if trouble == "refused":
        raise Refused(503, "The gallery is overloaded. Try again later.")
    key = request.headers.get("authorization", "").removeprefix("Bearer ").encode()
    for account in request.app.state.keeper.accounts:
        if hmac.compare_digest(account.key.encode(), key):
            yield account
            return
    raise Refused(401, "No account has this key.")


Kept = Annotated[Keeper, Depends(_keeper)]
Whose = Annotated[Account, Depends(_account)]


def _add_interface(site: FastAPI) -> None:
    @site.post("/api/uploads", status_code=201)
    def begin(kept: Kept, account: Whose, wanted: Begin) -> Come:
        """Begin an upload, or go on with the same file's."""
        upload = kept.begin(account, wanted)
        return Come(id=upload.id, offset=kept.offset(upload), size=upload.size, complete=upload.complete)

    @site.patch("/api/uploads/{upload_id}", response_model=Come)
    async def add(
        request: Request, kept: Kept, account: Whose, upload_id: str, upload_offset: Annotated[int, Header(ge=0)]
    ) -> object:
        """Add bytes that begin at Upload-Offset."""
        upload = kept.upload(account, upload_id)
        data = await request.body()
        breaks = site.state.trouble == "broken off" and upload_id not in site.state.broken
        if breaks:
            site.state.broken.add(upload_id)
            data = data[: len(data) // 2]
        come = await run_in_threadpool(kept.add, upload, upload_offset, data)
        return (
            BrokenOff() if breaks else Come(id=upload_id, offset=come, size=upload.size, complete=come == upload.size)
        )

    @site.post("/api/posts", status_code=201)
    def publish(kept: Kept, account: Whose, wanted: NewPost, idempotency_key: Annotated[str, Header()]) -> PostPage:
        post = kept.publish(account, wanted, idempotency_key)
        return PostPage(id=post.id, path=f"/posts/{post.id}")


def _add_pages(site: FastAPI) -> None:
    @site.get("/", response_class=HTMLResponse)
    def wall(request: Request, kept: Kept, tag: str = "") -> str:
        posts = [(p, _files(kept, p)) for p in kept.posts() if not tag or tag in p.tags]
        more = {"accounts": kept.accounts, "troubles": TROUBLES, "trouble": site.state.trouble, "tag": tag}
        return _page("wall.html", request, posts=posts, **more)

    @site.get("/posts/{post_id}", response_class=HTMLResponse)
    def post(request: Request, kept: Kept, post_id: str) -> str:
        found = kept.post(post_id)
        return _page("post.html", request, post=found, files=_files(kept, found))

    @site.post("/posts/{post_id}/remove")
    def remove(request: Request, kept: Kept, post_id: str) -> RedirectResponse:
        kept.remove(kept.post(post_id))
        return RedirectResponse(f"{_root(request)}/", 303)

    @site.post("/trouble")
    def switch(request: Request, trouble: Annotated[Trouble, Form()]) -> RedirectResponse:
        site.state.trouble = trouble
        site.state.broken.clear()
        return RedirectResponse(f"{_root(request)}/", 303)

    @site.get("/files/{upload_id}")
    def file(kept: Kept, upload_id: str) -> FileResponse:
        upload = kept.anyones(upload_id)
        if not upload.complete:
            raise Refused(404, "Not all of it has come yet.")
        closed = CLOSED if upload.media == "text/html" else None
        return FileResponse(
            kept.path(upload),
            media_type=upload.media,
            filename=upload.name,
            content_disposition_type="inline",
            headers=closed,
        )


def _files(kept: Keeper, post: KeptPost) -> list[object]:
    return [kept.anyones(u) for u in post.uploads]


def _root(request: Request) -> str:
    return str(request.scope.get("root_path", ""))


def _page(name: str, request: Request, **values: object) -> str:
    return _pages.get_template(name).render(root=_root(request), **values)
