"""Registry of commands: each a typed change beside the function that performs it, known by its kind.

A command is a document (`Doc`) with a `kind` of its own, so that it can be sent, checked, named and undone.
"""

from collections.abc import Callable
from typing import Annotated, Any, TypeVar

from pydantic import Field

from ..scene import Doc, Project
from ..scene.base import Unit01
from .tools import Tools

C = TypeVar("C", bound=Doc)
Outcome = tuple[Project, str]
"""A changed project, and the label under which the change can be undone."""
Performer = Callable[[Project, C, Tools], Outcome]
Frame = Annotated[int, Field(ge=0, le=2_000_000)]
ValuePath = Annotated[str, Field(min_length=1, max_length=200)]


class PicturePoint(Doc):
    """A point of a frame's picture, in shares of its width and height from the top left."""

    frame: Frame
    x: Unit01
    y: Unit01


_performers: dict[type[Doc], Performer[Any]] = {}


def performs(command: type[C]) -> Callable[[Performer[C]], Performer[C]]:
    """Register the function that performs a command."""

    def register(performer: Performer[C]) -> Performer[C]:
        _performers[command] = performer
        return performer

    return register


def performer_of(command: Doc) -> Performer[Any]:
    """The function that performs a command."""
    return _performers[type(command)]


def all_commands() -> tuple[type[Doc], ...]:
    """Every kind of command that is registered."""
    return tuple(_performers)
