"""JSON of what is posted to a portfolio service."""

from typing import Annotated

from fastapi import APIRouter, Depends
from pydantic import BaseModel, StringConstraints

from ... import gallery
from ...app.posts import NO_SERVICE, ask_for_post
from ...core.delivery.post import Post, can_be_posted
from ...core.errors import ChangeError, PostError
from ...store.posts import Posted
from ..context import Context, context
from .answers import Removed
from .jobs import JobAnswer

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]


Key = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200, pattern=r"^[!-~]+$")]
"""Of an account of the service."""


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
    """its job; None when that is long forgotten"""
    shown_at: str | None
    """address of the post, once it is there"""


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
    ask_for_post(ctx.work, posted)
    return _answer(ctx, posted)


@router.post("/posts/{post_id}/again")
def again(ctx: Ctx, post_id: str, retry: Retry) -> PostAnswer:
    """Go on with one that failed or was stopped, with another key if one is given; what has been uploaded stays so."""
    posted = ctx.studio.posts.one(post_id)
    if posted.shown_at is None:
        if retry.key is not None:
            ctx.studio.posts.set_key(posted.id, retry.key)
        ask_for_post(ctx.work, posted)
    return _answer(ctx, posted)


@router.delete("/posts/{post_id}")
def remove(ctx: Ctx, post_id: str) -> Removed:
    """Forget a post; one that is under way is stopped. What is shown stays until it is taken down there."""
    posted = ctx.studio.posts.one(post_id)
    ctx.work.stop("post", posted.id)
    ctx.studio.posts.forget(posted.id)
    return Removed()


def _answer(ctx: Context, posted: Posted) -> PostAnswer:
    job = ctx.studio.jobs.find("post", posted.id)
    return PostAnswer(id=posted.id, post=posted.post, job=JobAnswer.of(job) if job else None, shown_at=posted.shown_at)
