"""JSON of what is posted to a portfolio service."""

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Depends
from pydantic import BaseModel, StringConstraints

from ... import gallery
from ...app.jobs import JobContext
from ...app.jobs import Kind as WorkKind
from ...app.posting import Gallery, post_to
from ...core.delivery.post import Post, can_be_posted
from ...core.errors import ChangeError, PostError
from ...shoot.finish.deliver import folder_of
from ...store import Studio
from ...store.jobs import Job, Result
from ...store.posts import Posted
from ..context import Context, context
from .answers import Removed
from .jobs import JobAnswer

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
FAULT = "It could not be posted; the terminal that runs Cyclorama tells more."


Key = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200, pattern=r"^[!-~]+$")]
"""Of an account of the service."""
NO_SERVICE = "No portfolio service is open here. Start Cyclorama with --gallery to try one on this machine."


@dataclass(frozen=True, slots=True)
class OwnGallery:
    """The gallery that this studio shows, as the studio itself reaches it."""

    origin: str
    """http://127.0.0.1:8765 say"""
    cookies: dict[str, str]
    """what lets the studio in"""


class PostCall(BaseModel):
    post: Post
    key: Key


class Retry(BaseModel):
    key: Key | None = None
    """another one; None: as before"""


class PostAnswer(BaseModel):
    """Something that was, or is to be, posted."""

    id: str
    post: Post
    job: JobAnswer | None
    """how it goes; None when that is long forgotten"""
    shown_at: str | None
    """address of the post, once it is there"""


class PostSpec(BaseModel):
    """Specification of a post job."""

    post_id: str


@router.get("/projects/{project_id}/posts")
def all_of(ctx: Ctx, project_id: str) -> list[PostAnswer]:
    """Posts of a project, the last first."""
    ctx.studio.projects.version(project_id)
    return [_answer(ctx, posted) for posted in ctx.studio.posts.of(project_id)]


@router.post("/projects/{project_id}/posts")
def send(ctx: Ctx, project_id: str, call: PostCall) -> PostAnswer:
    """Post deliveries that are finished; they are uploaded in the background."""
    if ctx.own_gallery is None:
        raise PostError(NO_SERVICE)
    for delivery_id in call.post.deliveries:
        handed = ctx.studio.cuts.one(delivery_id)
        if handed.report is None:
            raise ChangeError(f"‘{handed.name}’ is not finished yet.")
        if not can_be_posted(handed.delivery):
            raise ChangeError(f"‘{handed.name}’ is not something that a portfolio shows.")
    posted = ctx.studio.posts.add(project_id, call.post, gallery.PATH, call.key)
    _ask(ctx, posted)
    return _answer(ctx, posted)


@router.post("/posts/{post_id}/again")
def again(ctx: Ctx, post_id: str, retry: Retry) -> PostAnswer:
    """Go on with one that failed or was stopped, with another key if one is given; what has been uploaded stays so."""
    posted = ctx.studio.posts.one(post_id)
    if posted.shown_at is None:
        if retry.key is not None:
            ctx.studio.posts.set_key(posted.id, retry.key)
        _ask(ctx, posted)
    return _answer(ctx, posted)


@router.delete("/posts/{post_id}")
def remove(ctx: Ctx, post_id: str) -> Removed:
    """Forget a post; one that is under way is stopped. What is shown stays until it is taken down there."""
    posted = ctx.studio.posts.one(post_id)
    ctx.work.stop("post", posted.id)
    ctx.studio.posts.forget(posted.id)
    return Removed()


def _ask(ctx: Context, posted: Posted) -> None:
    ctx.work.ask("post", posted.id, posted.post.title, PostSpec(post_id=posted.id))


def _answer(ctx: Context, posted: Posted) -> PostAnswer:
    job = ctx.studio.jobs.find("post", posted.id)
    return PostAnswer(id=posted.id, post=posted.post, job=JobAnswer.of(job) if job else None, shown_at=posted.shown_at)


def post_kind(studio: Studio, own_gallery: OwnGallery | None) -> WorkKind:
    """Job kind that sends posts."""

    def do(job: Job, hand: JobContext) -> Result:
        if own_gallery is None:
            raise PostError(NO_SERVICE)
        posted = studio.posts.one(PostSpec.model_validate_json(job.spec).post_id)
        handed = [studio.cuts.one(delivery_id) for delivery_id in posted.post.deliveries]
        files = [folder_of(studio, h.project_id) / h.name for h in handed]
        for h, file in zip(handed, files, strict=True):
            if not file.exists():
                raise ChangeError(f"‘{h.name}’ was removed. Deliver it again, then post it.")
        service = Gallery(f"{own_gallery.origin}{gallery.PATH}", posted.key, own_gallery.cookies)
        address = post_to(service, posted.post, files, posted.id, hand.tell).removeprefix(own_gallery.origin)
        studio.posts.shown(posted.id, address)
        return {"address": address}

    return WorkKind(do, FAULT, at_once=2)
