"""Documents by chance: every number somewhere in its allowed range, the ends as often as the middle."""

import math
import types
import typing
from typing import Any, Literal, TypeVar, Union, get_args, get_origin

import numpy as np
from annotated_types import Ge, Le
from pydantic import ValidationError
from pydantic.fields import FieldInfo

from cyclorama.core.scene.base import Doc

D = TypeVar("D", bound=Doc)


def by_chance(kind: type[D], rng: np.random.Generator, share: float = 0.5, /, **fixed: Any) -> D:
    """A document of a kind in which about `share` of the fields are not as usual; `fixed` ones are as told.

    Texts and references to files stay as they are.
    """
    for _ in range(100):
        values = dict(fixed)
        for name, field in kind.model_fields.items():
            if name not in fixed and rng.random() < share:
                value = _value(field, rng, share)
                if value is not _AS_IT_IS:
                    values[name] = value
        try:
            return kind.model_validate(values)
        except ValidationError:
            continue  # what the document itself forbids
    raise AssertionError(f"no valid {kind.__name__} by chance")


_AS_IT_IS = object()


def _value(field: FieldInfo, rng: np.random.Generator, share: float) -> Any:
    return _of(field.annotation, field.metadata, rng, share)


def _of(kind: Any, metadata: list[Any], rng: np.random.Generator, share: float) -> Any:
    origin = get_origin(kind)
    if origin is typing.Annotated:
        inner, *more = get_args(kind)
        flat = [m for x in more for m in (x.metadata if isinstance(x, FieldInfo) else [x])]
        return _of(inner, [*metadata, *flat], rng, share)
    if origin is Literal:
        return get_args(kind)[rng.integers(len(get_args(kind)))]
    if origin in (Union, types.UnionType):
        options = [k for k in get_args(kind) if k is not type(None)]
        return None if rng.random() < 0.3 else _of(options[0], metadata, rng, share)
    if origin is tuple and Ellipsis not in get_args(kind):
        parts = [_of(k, [], rng, share) for k in get_args(kind)]
        return _AS_IT_IS if any(p is _AS_IT_IS for p in parts) else tuple(parts)
    if kind is bool:
        return bool(rng.random() < 0.5)
    if kind in (int, float):
        return _number(kind, metadata, rng)
    if isinstance(kind, type) and issubclass(kind, Doc):
        return by_chance(kind, rng, share)
    return _AS_IT_IS


def _number(kind: type, metadata: list[Any], rng: np.random.Generator) -> Any:
    low = next((float(m.ge) for m in metadata if isinstance(m, Ge)), None)
    high = next((float(m.le) for m in metadata if isinstance(m, Le)), None)
    if low is None or high is None:
        return _AS_IT_IS
    way = rng.integers(4)
    if way == 0:
        value = low if rng.random() < 0.5 else high
    elif way == 1 and low >= 0.0 and high > 0.0:
        value = math.exp(rng.uniform(math.log(max(low, 1e-4 * high)), math.log(high)))
    else:
        value = float(rng.uniform(low, high))
    return round(value) if kind is int else min(max(value, low), high)
