"""What numbers the document allows, for controls that should not offer others."""

from typing import Any, get_args, get_origin

from annotated_types import Ge, Le
from pydantic import BaseModel

from .project import Project


def range_of(path: str) -> tuple[float | None, float | None]:
    """Least and greatest number at a place of the document, None where there is no limit.

    A path as in `SetValue`, in which a name in braces may stand for an item of a list or any field; `camera` is the
    chosen one. Raises KeyError when there is no such place.
    """
    model: type[BaseModel] | None = Project
    limits: list[Any] = []
    steps = iter(path.replace("camera/", "cameras/{camera}/").split("/"))
    for step in steps:
        fields = model.model_fields if model else {}
        if fields and step.startswith("{"):
            step = next(iter(fields))
        field = fields[step]
        limits = field.metadata
        model, listed = _model_in(field.annotation)
        if listed:
            next(steps, None)  # the item's id
    least: list[Any] = [x.ge for x in limits if isinstance(x, Ge)]
    greatest: list[Any] = [x.le for x in limits if isinstance(x, Le)]
    return max(least, default=None), min(greatest, default=None)


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
