"""Setting one value of a project."""

from typing import Literal

from pydantic import JsonValue

from ..errors import ChangeError
from ..scene import Doc, Project, full_path, place_of, put, value_at
from .base import ValuePath, performs
from .keys import value_title
from .placing import apply_consequence
from .tools import Tools


class SetValue(Doc):
    """Put one value at one place, e.g. `look/lights/key/tint`. What is in a list is named by its id."""

    kind: Literal["set"] = "set"
    path: ValuePath
    value: JsonValue


def apply_set(project: Project, change: SetValue) -> Project:
    """The project with one value replaced by an artist.

    Raises ChangeError when the place does not exist, may not be edited, or the value is not allowed.
    """
    value_at(project, change.path)
    path = full_path(project, change.path)
    lists = path.count("/") == 0 and place_of(path).kind == "list"  # things come and go by changes of their own
    if lists or place_of(path).fixed:
        raise ChangeError(f"‘{change.path}’ cannot be edited.")
    return put(project, path, change.value)


@performs(SetValue)
def _set(project: Project, change: SetValue, tools: Tools) -> tuple[Project, str]:
    after = apply_set(project, change)  # raises when there is no such place
    path, then = full_path(project, change.path), place_of(change.path).then
    return apply_consequence(project, after, path, then, tools.measures_of), f"Set {value_title(change.path)}"
