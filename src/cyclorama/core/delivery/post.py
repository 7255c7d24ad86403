"""Posts to a portfolio: delivered files with title, text and tags."""

from typing import Annotated

from pydantic import Field, StringConstraints

from ..scene.base import Doc
from .presets import Delivery

Tag = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40)]
MEDIA = {
    "mp4": "video/mp4",
    "webm": "video/webm",
    "mov": "video/quicktime",
    "avi": "video/x-msvideo",
    "webp": "image/webp",
    "gif": "image/gif",
    "png": "image/png",
    "pdf": "application/pdf",
    "html": "text/html",
}
"""What files of these endings are (RFC 6838)."""


class Post(Doc):
    """One post; the first of its deliveries is its cover."""

    title: Annotated[str, StringConstraints(strip_whitespace=True), Field(title="Title", min_length=1, max_length=120)]
    text: Annotated[str, Field(title="Text", max_length=4000)] = ""
    tags: Annotated[tuple[Tag, ...], Field(max_length=20)] = ()
    deliveries: Annotated[tuple[str, ...], Field(min_length=1, max_length=12)]
    """ids"""


def can_be_posted(delivery: Delivery) -> bool:
    """True when portfolios show such files: neither folders of frames nor what is meant for other programs."""
    return delivery.coding.kind not in ("frames", "package")
