"""Context of requests."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

from fastapi.requests import HTTPConnection

from ..shoot.finished import Masters
from ..store import Studio
from .lens import Lens
from .made_environments import MadeEnvironments
from .posters import Posters
from .shared_work import SharedWork
from .skinning import Puppets
from .take_log import TakeLog
from .work import JobRunner

if TYPE_CHECKING:
    from .cuts import OpenCuts
    from .posts import OwnGallery


@dataclass(slots=True)
class Context:
    studio: Studio
    lens: Lens
    work: JobRunner
    puppets: Puppets
    posters: Posters
    environments: MadeEnvironments
    masters: Masters
    cuts: "OpenCuts"
    take_log: TakeLog
    forecasts: SharedWork
    eyes: SharedWork
    """looks at a frame: what is where, scopes, how it would be after a change"""
    own_gallery: "OwnGallery | None"
    """None where no gallery is shown"""


def context(connection: HTTPConnection) -> Context:
    """The application's context, as a dependency of requests and web sockets."""
    found: Context = connection.app.state.context
    return found
