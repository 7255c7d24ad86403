"""Context of requests."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from fastapi.requests import HTTPConnection

from ..app.cuts import OpenCuts
from ..app.jobs import JobRunner
from ..app.lens import Lens
from ..app.made_environments import MadeEnvironments
from ..app.posters import Posters
from ..app.posts import OwnGallery
from ..app.puppets import Puppets
from ..app.shared_work import SharedWork
from ..app.take_log import TakeLog
from ..app.wall import Wall
from ..shoot.finish.masters import Masters
from ..store import Studio
from .changed_answers import ChangedAnswers


@dataclass(slots=True)
class Context:
    studio: Studio
    lens: Lens
    work: JobRunner
    puppets: Puppets
    posters: Posters
    environments: MadeEnvironments
    masters: Masters
    cuts: OpenCuts
    take_log: TakeLog
    wall: Wall
    forecasts: SharedWork
    eyes: SharedWork
    """looks at a frame: what is where, scopes, how it would be after a change"""
    changed_answers: ChangedAnswers
    own_gallery: OwnGallery | None
    """None where no gallery is shown"""
    building: Callable[[], dict[str, Path]] = dict
    """posters of projects that are being built by now, by their names"""


def context(connection: HTTPConnection) -> Context:
    """The application's context, as a dependency of requests and web sockets."""
    found: Context = connection.app.state.context
    return found
