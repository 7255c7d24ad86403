"""Posts to a portfolio service, sent in the background."""

from dataclasses import dataclass

from pydantic import BaseModel

from .. import gallery
from ..core.errors import ChangeError, PostError
from ..shoot.finish.deliver import folder_of
from ..store import Studio
from ..store.jobs import Job, Result
from ..store.posts import Posted
from .jobs import JobContext, JobRunner, Kind
from .posting import Gallery, post_to

FAULT = "It could not be posted; the terminal that runs Cyclorama tells more."


NO_SERVICE = "No portfolio service is open here. Start Cyclorama with --gallery to try one on this machine."


@dataclass(frozen=True, slots=True)
class OwnGallery:
    """The gallery that this studio shows, as the studio itself reaches it."""

    origin: str
    """http://127.0.0.1:8765 say"""
    cookies: dict[str, str]
    """cookies that let the studio in"""


class PostSpec(BaseModel):
    """Specification of a post job."""

    post_id: str


def ask_for_post(work: JobRunner, posted: Posted) -> Job:
    """Have a post sent."""
    return work.ask("post", posted.id, posted.post.title, PostSpec(post_id=posted.id))


def post_kind(studio: Studio, own_gallery: OwnGallery | None) -> Kind:
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

    return Kind(do, FAULT, at_once=2)
