"""Kinds of background work, each beside the use case that it belongs to."""

from ..store import Studio
from ..store.database import JobKind
from .bundles import bundle_kind
from .checks import check_kind
from .clips import clip_kind
from .deliveries import delivery_kind
from .intakes import intake_kinds
from .jobs import Kind
from .lens import Lens
from .posters import poster_kind
from .posts import OwnGallery, post_kind
from .proofs import proof_kind
from .ready_stock import ready_kind
from .swatches import swatch_kind


def job_kinds(studio: Studio, lens: Lens, own_gallery: OwnGallery | None) -> dict[JobKind, Kind]:
    """Every kind of job of a studio."""
    intake, again = intake_kinds(studio, lens)
    return {
        "intake": intake,
        "again": again,
        "clip": clip_kind(studio),
        "poster": poster_kind(studio, lens),
        "proof": proof_kind(studio, lens),
        "swatches": swatch_kind(studio, lens),
        "ready": ready_kind(studio, lens),
        "check": check_kind(studio),
        "delivery": delivery_kind(studio),
        "post": post_kind(studio, own_gallery),
        "bundle": bundle_kind(studio),
    }
