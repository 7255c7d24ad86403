"""The one way in which documents are written; what is written is checked."""

from collections.abc import Mapping
from functools import cache
from typing import Annotated, Any, Protocol, TypeVar

from pydantic import BaseModel, TypeAdapter, ValidationError, create_model

from ..errors import ChangeError
from .base import Doc
from .error_sentences import explain_detail
from .property import full_path, step_into, value_at


class Validated(Protocol):
    """A document that can tell whether everything in it fits together."""

    def sound(self) -> Any: ...


D = TypeVar("D", bound=Validated)


N = TypeVar("N", bound=BaseModel)


def put(project: D, path: str, value: Any) -> D:
    """The document with another value at a path: the only way in which one is written; see `put_all`."""
    return put_all(project, {path: value})


def put_all(project: D, values: Mapping[str, Any]) -> D:
    """The document with other values at some paths, one after the other; what they refer to is looked at in the end.

    Only what leads to them is copied. Raises ChangeError with a sentence when a place does not exist, a value is not
    allowed there, or something would refer to what is not there.
    """
    for path, value in values.items():
        project = _written(project, full_path(project, path).split("/"), value, path)
    return _sound(project)


def at_values(project: D, values: Mapping[str, Any]) -> D:
    """The document as it is while some of its values are others: to be looked at, not to be kept.

    Nothing is checked but that every place is there. Raises ChangeError.
    """
    for path, value in values.items():
        project = _derived(project, full_path(project, path).split("/"), value, path)
    return project


def revise(document: N, **values: Any) -> N:
    """A copy of a document with other values in some fields, each checked as `put` checks it: to be kept.

    Raises ChangeError with a sentence when one is not allowed.
    """
    return document.model_copy(update={n: _allowed(type(document), n, value) for n, value in values.items()})


def derive(document: N, **values: Any) -> N:
    """A copy of a document with other values in some fields: to be looked at, not to be kept; nothing is checked."""
    return document.model_copy(update=values)


def insert_item(project: D, path: str, item: Doc, at: int | None = None) -> D:
    """The document with one more item in the list at a path, before number `at` or at its end."""
    items = value_at(project, path)
    return put(project, path, (*items[:at], item, *(() if at is None else items[at:])))


def remove_item(project: D, path: str) -> D:
    """The document without the item at a path; what was keyed of it goes with it.

    Raises ChangeError when there is none, or something needs it: the sentence says what that is.
    """
    parent, item, others = _among(project, path)
    left = {} if parent == "shots" else channels_without(project, f"{parent}/{item.id}/")
    try:
        return put_all(project, {parent: others, **left})
    except ChangeError as error:
        raise ChangeError(f"‘{getattr(item, 'name', item.id)}’ cannot be removed: {error.sentence}") from error


def channels_without(project: Any, gone: str) -> dict[str, Any]:
    """The channels of all shots that key something whose path begins with `gone`, without those: values by path."""
    return {
        f"shots/{shot.id}/channels": tuple(c for c in shot.channels if not c.path.startswith(gone))
        for shot in getattr(project, "shots", ())
        if any(c.path.startswith(gone) for c in shot.channels)
    }


def move_item(project: D, path: str, to: int) -> D:
    """The document with the item at a path at another place of its list, 0 the first."""
    parent, item, others = _among(project, path)
    return put(project, parent, (*others[:to], item, *others[to:]))


def _among(project: Any, path: str) -> tuple[str, Any, tuple[Any, ...]]:
    """Path of the list that the item at a path is in, the item, and the others in it."""
    parent, _, identity = full_path(project, path).rpartition("/")
    return parent, value_at(project, path), tuple(x for x in value_at(project, parent) if x.id != identity)


def _written(node: Any, steps: list[str], value: Any, path: str) -> Any:
    step, rest = steps[0], steps[1:]
    inner = step_into(node, step, path)
    if isinstance(node, BaseModel):
        new = _written(inner, rest, value, path) if rest else _allowed(type(node), step, value)
        return node if new is inner else node.model_copy(update={step: new})
    new = _written(inner, rest, value, path) if rest else _allowed_item(inner, value)
    return tuple(new if item is inner else item for item in node)


def _derived(node: Any, steps: list[str], value: Any, path: str) -> Any:
    step, rest = steps[0], steps[1:]
    inner = step_into(node, step, path)
    new = _derived(inner, rest, value, path) if rest else value
    if isinstance(node, BaseModel):
        return node.model_copy(update={step: new})
    return tuple(new if item is inner else item for item in node)


@cache
def _slot(model: type[BaseModel], field: str) -> type[BaseModel]:
    """A model of one field, which checks what may stand in that of another."""
    info = model.model_fields[field]
    definition: dict[str, Any] = {field: (Annotated[(info.annotation, info)], ...)}
    return create_model(f"{model.__name__}_{field}", __config__=model.model_config, **definition)


def _allowed(model: type[BaseModel], field: str, value: Any) -> Any:
    try:
        return getattr(_slot(model, field).model_validate({field: value}), field)
    except ValidationError as error:
        raise ChangeError(explain_detail(error.errors(include_url=False)[0], model)) from error


def _allowed_item(item: BaseModel, value: Any) -> Any:
    try:
        new = TypeAdapter(type(item)).validate_python(value)
    except ValidationError as error:
        raise ChangeError(explain_detail(error.errors(include_url=False)[0], type(item))) from error
    if getattr(new, "id", None) != getattr(item, "id", None):
        raise ChangeError("What has a name in the project keeps it: its id cannot be edited.")
    return new


def _sound(project: D) -> D:
    try:
        project.sound()
        return project
    except ValueError as error:
        raise ChangeError(str(error)) from error
