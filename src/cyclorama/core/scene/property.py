"""Places: what a path of the document names, and the one way to write there.

A path is made of the names of fields and, in lists, the ids of what is in them: `looks/look-1/lights/key/tint`. All
that is known of a place (title, unit, range, what it affects, what follows when it is set, whether it may be edited)
stands beside its field and is read from there. `shot`, `camera`, `look` and `subject` at the beginning are those of the
shot that is open, `shot/move` the first segment of what its camera or disc does, and `subject/variant` what the subject
wears.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache, lru_cache
from types import UnionType
from typing import Annotated, Any, Literal, TypeVar, Union, get_args, get_origin

from annotated_types import Ge, Le
from pydantic import BaseModel
from pydantic.fields import FieldInfo

from ..errors import ChangeError
from .base import Affects, Asset, Choices, Then
from .error_sentences import title_of
from .field_help import help_of

_ROOT: list[type[BaseModel]] = []
M = TypeVar("M", bound=type[BaseModel])


def root_document(model: M) -> M:
    """Decorator of the document whose paths are meant where no other kind of document is told."""
    _ROOT[:] = [model]
    return model


Kind = Literal["number", "whole", "switch", "choice", "text", "several", "thing", "list"]


@dataclass(frozen=True, slots=True)
class Property:
    """Property: a path of a document, with its type, range and unit."""

    path: str
    title: str
    unit: str
    kind: Kind
    least: float | None
    most: float | None
    affects: Affects
    """what of a picture has to be made anew when it changes"""
    then: Then | None
    """what follows when it is set"""
    fixed: bool
    """It is not edited: it names something, or came with a file."""
    numbers: int
    """of which its value consists: 1, 3 of a colour or a point, or 0 where it is something else; a switch is 1"""
    help: str
    """what it does, in a sentence; empty where nothing is said"""
    choices: tuple[tuple[str, str], ...]
    """of a choice: its values, and what they are called"""
    moves: bool
    """it is followed while the shutter is open; the values of other places count in its middle"""

    @property
    def keyable(self) -> bool:
        """True when its value can change during a shot."""
        shown = self.kind == "switch" and self.affects == "geometry"
        plain = self.numbers > 0 and not self.fixed and self.then not in ("settle", "resize")
        return plain and (shown or self.affects in _KEYED)


_KEYED: tuple[Affects, ...] = ("transform", "surface", "amount", "light", "gain", "camera", "backdrop", "picture")
"""What may change from frame to frame without anything being built anew."""


@lru_cache(maxsize=4096)
def place_of(path: str, root: type[BaseModel] | None = None) -> Property:
    """The property at a path of a project or, with `root`, of another kind of document.

    A name in braces may stand for anything in a list, or any field. Raises KeyError when there is no such place.
    """
    first = root or _ROOT[0]
    model: type[BaseModel] | None = first
    affects: Affects = getattr(first, "AFFECTS", "nothing")
    owner, name, fixed, info, item = first, "", False, None, False
    steps = iter((of_any(path) if first is _ROOT[0] else path).split("/"))
    for step in steps:
        if model is None:
            raise KeyError(path)
        owner, name = model, next(iter(model.model_fields)) if step.startswith("{") else step
        info = model.model_fields[name]
        more, affects = _stated(info), _affects(name, info, affects)
        fixed = fixed or bool(more.get("fixed")) or name == "id"
        model, listed = _model_in(info.annotation)
        if model is not None and "affects" not in more:
            affects = getattr(model, "AFFECTS", affects)
        item = listed and next(steps, None) is not None
    assert info is not None
    least, most = _limits(info)
    more = _stated(info)
    kind: Kind = "thing" if item else _kind(info)
    return Property(
        path,
        title_of(info, path.split("/")[-1]),
        more.get("unit", ""),
        kind,
        least,
        most,
        affects,
        more.get("follows"),
        fixed,
        _numbers(info, kind),
        help_of(owner, name),
        _choices(info, kind),
        bool(more.get("moves")),
    )


def _stated(info: FieldInfo) -> dict[str, Any]:
    """Statements beside a field; see `base.quantity`, `affecting` and `fixed`."""
    return info.json_schema_extra if isinstance(info.json_schema_extra, dict) else {}


def _affects(name: str, info: FieldInfo, others: Affects) -> Affects:
    """Effect of a field, that of its neighbours unless it states another."""
    found: Affects = "nothing" if name == "id" else _stated(info).get("affects", others)
    return found


_SHORT = {
    ("subject", "variant"): ["variants", "{variant}"],
    ("shot", "move"): ["rows", "{row}", "segments", "{segment}"],
}
OPEN_LISTS = {"shot": "shots", "camera": "cameras", "look": "looks", "subject": "items"}


def of_any(path: str) -> str:
    """The path with what stands for the open shot's own things written out for any of them."""
    head, *rest = path.split("/")
    if head in OPEN_LISTS:
        short = _SHORT.get((head, rest[0] if rest else ""))
        if short:
            rest[:1] = short
        return "/".join([OPEN_LISTS[head], f"{{{head}}}", *rest])
    return path


def full_path(project: Any, path: str) -> str:
    """The path with `shot`, `camera`, `look`, `subject` and `subject/variant` of a project written out.

    Raises ChangeError when there is no subject.
    """
    return project.written_out(path) if hasattr(project, "written_out") else path


def open_paths(project: Any) -> dict[str, str]:
    """Everything that stands at the beginning of a path for something of the open shot, with its path; what is not
    there has an empty one."""
    heads = [*OPEN_LISTS, *("/".join(short) for short in _SHORT)]
    found = {}
    for head in heads:
        try:
            found[head] = full_path(project, head)
        except ChangeError:
            found[head] = ""
    return found


def value_at(project: Any, path: str) -> Any:
    """The value at a path. Raises ChangeError when there is nothing of that name."""
    value: Any = project
    for step in full_path(project, path).split("/"):
        value = step_into(value, step, path)
    return value


def dependency_key(document: BaseModel, on: frozenset[Affects]) -> tuple[Any, ...]:
    """All values of a document that affect one of some things, to be compared: where they are equal, so are those."""
    plan = _plan(type(document), on)
    return tuple(_held(getattr(document, n), on) if inner else getattr(document, n) for n, inner in plan)


@cache
def affects_everywhere() -> dict[str, Affects]:
    """Effect of every property of a document, by its path with `*` for the ids of items."""
    found: dict[str, Affects] = {}

    def walk(model: type[BaseModel], path: str) -> None:
        for name, info in model.model_fields.items():
            here = f"{path}/{name}" if path else name
            found[here] = place_of(here.replace("*", "{item}")).affects
            inner, listed = _model_in(info.annotation)
            if inner is not None:
                walk(inner, f"{here}/*" if listed else here)

    walk(_ROOT[0], "")
    return found


@cache
def keyable_everywhere() -> tuple[str, ...]:
    """Places whose values can be keyed, by their paths with `*` for the ids of items."""
    return tuple(path for path in affects_everywhere() if place_of(path.replace("*", "{item}")).keyable)


def assets_of(document: BaseModel) -> set[str]:
    """Content hashes of all files that a document refers to."""
    found: set[str] = set()
    for name, holds in _holding(type(document)):
        value = getattr(document, name)
        for inner in value if isinstance(value, tuple) else (value,):
            if isinstance(inner, BaseModel):
                found |= assets_of(inner)
            elif holds and inner:
                found.add(inner)
    return found


@cache
def _holding(model: type[BaseModel]) -> tuple[tuple[str, bool], ...]:
    """The fields that refer to files (True), and those that hold documents, which may."""
    found = []
    for name, info in model.model_fields.items():
        if any(isinstance(m, Asset) for m in info.metadata) or _refers(info.annotation):
            found.append((name, True))
        elif _model_in(info.annotation)[0] is not None:
            found.append((name, False))
    return tuple(found)


def _refers(annotation: Any) -> bool:
    if get_origin(annotation) is Annotated and any(isinstance(m, Asset) for m in get_args(annotation)[1:]):
        return True
    return any(_refers(inner) for inner in get_args(annotation))


def _held(value: Any, on: frozenset[Affects]) -> Any:
    if isinstance(value, BaseModel):
        return dependency_key(value, on)
    if isinstance(value, tuple):
        return tuple(_held(item, on) for item in value)
    return value


@cache
def _plan(model: type[BaseModel], on: frozenset[Affects]) -> tuple[tuple[str, bool], ...]:
    """The fields that affect one of some things, and those that hold documents, which may."""
    found = []
    for name, info in model.model_fields.items():
        inner, _ = _model_in(info.annotation)
        if inner is not None and "affects" not in _stated(info):
            found.append((name, True))
        elif _affects(name, info, getattr(model, "AFFECTS", "nothing")) in on:
            found.append((name, False))
    return tuple(found)


def places(project: BaseModel, path: str = "") -> Iterator[str]:
    """Paths of everything in a document; what is in a list goes by its id."""
    for name in type(project).model_fields:
        value, here = getattr(project, name), f"{path}/{name}" if path else name
        yield here
        if isinstance(value, BaseModel):
            yield from places(value, here)
        elif isinstance(value, tuple):
            for item in value:
                if isinstance(item, BaseModel) and hasattr(item, "id"):
                    yield f"{here}/{item.id}"
                    yield from places(item, f"{here}/{item.id}")


def step_into(value: Any, step: str, path: str) -> Any:
    if isinstance(value, BaseModel) and step in type(value).model_fields:
        return getattr(value, step)
    if isinstance(value, tuple):
        for item in value:
            if getattr(item, "id", None) == step:
                return item
    raise ChangeError(f"There is nothing at ‘{path}’ in this project.")


def _kinds(annotation: Any) -> list[Any]:
    """The plain types that an annotation allows, without None."""
    if get_origin(annotation) is Annotated:
        return _kinds(get_args(annotation)[0])
    if get_origin(annotation) in (Union, UnionType):
        return [k for a in get_args(annotation) if a is not type(None) for k in _kinds(a)]
    return [annotation]


def _kind(info: FieldInfo) -> Kind:
    (kind, *_) = _kinds(info.annotation)
    if get_origin(kind) is Literal:
        return "choice"
    if get_origin(kind) is tuple:
        return "list" if _model_in(kind)[0] else "several"
    known: dict[Any, Kind] = {bool: "switch", int: "whole", float: "number", str: "text"}
    return known.get(kind, "thing")


def _choices(info: FieldInfo, kind: Kind) -> tuple[tuple[str, str], ...]:
    """Values of a choice with their titles, in the order of the titles beside the field."""
    if kind != "choice":
        return ()
    (literal, *_) = _kinds(info.annotation)
    values = [str(value) for value in get_args(literal)]
    told = dict(next((m.titles for m in info.metadata if isinstance(m, Choices)), {}))
    missing = {value: value.replace("_", " ").capitalize() for value in values if value not in told}
    return tuple({**told, **missing}.items())


def _numbers(info: FieldInfo, kind: Kind) -> int:
    """Of how many numbers a field's value consists."""
    if kind in ("number", "switch"):
        return 1
    (first, *_) = _kinds(info.annotation)
    inner = get_args(first) if kind == "several" else ()
    return 3 if len(inner) == 3 and all(_kinds(x)[0] is float for x in inner) else 0


def _limits(info: FieldInfo) -> tuple[float | None, float | None]:
    metadata = list(info.metadata)
    for inner in get_args(info.annotation):  # limits of the number in `number | None`
        metadata += [m for x in get_args(inner) for m in getattr(x, "metadata", (x,)) if get_origin(inner) is Annotated]
    least: list[Any] = [x.ge for x in metadata if isinstance(x, Ge)]
    most: list[Any] = [x.le for x in metadata if isinstance(x, Le)]
    return max(least, default=None), min(most, default=None)


def _model_in(annotation: Any) -> tuple[type[BaseModel] | None, bool]:
    """The model that an annotation holds, itself or among others, and whether it holds a list of them."""
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return annotation, False
    listed = get_origin(annotation) is tuple
    for inner in get_args(annotation):
        model, _ = _model_in(inner)
        if model is not None:
            return model, listed
    return None, False
