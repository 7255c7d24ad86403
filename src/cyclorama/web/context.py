"""Context of requests."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

from fastapi.requests import HTTPConnection

from ..app.jobs import JobRunner
from ..app.lens import Lens
from ..app.made_environments import MadeEnvironments
from ..app.posters import Posters
from ..app.puppets import Puppets
from ..shoot.finish.masters import Masters
from ..store import Studio
from .live.shared_work import SharedWork
from .live.take_log import TakeLog

if TYPE_CHECKING:
    from .api.cuts import OpenCuts
    from .api.posts import OwnGallery


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
