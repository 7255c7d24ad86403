"""Validation problems in the artist's words.

Why: a person who typed 3 into “Focal length” wants to read “Focal length must be at least 8 mm; it was 3.”,
not a type name and a bracketed path.
"""

from typing import Any

from pydantic import BaseModel, ValidationError
from pydantic.fields import FieldInfo
from pydantic_core import ErrorDetails

_TEMPLATES = {
    "greater_than_equal": "{title} must be at least {ge}{unit}; it was {input}.",
    "less_than_equal": "{title} must be at most {le}{unit}; it was {input}.",
    "greater_than": "{title} must be more than {gt}{unit}; it was {input}.",
    "less_than": "{title} must be less than {lt}{unit}; it was {input}.",
    "multiple_of": "{title} must be a multiple of {multiple_of}; it was {input}.",
    "finite_number": "{title} must be an ordinary number.",
    "float_parsing": "{title} must be a number; ‘{input}’ is not one.",
    "float_type": "{title} must be a number.",
    "int_parsing": "{title} must be a whole number; ‘{input}’ is not one.",
    "int_from_float": "{title} must be a whole number; it was {input}.",
    "int_type": "{title} must be a whole number.",
    "literal_error": "{title} must be one of {expected}; it was ‘{input}’.",
    "string_too_short": "{title} must not be empty.",
    "string_too_long": "{title} must be at most {max_length} characters long.",
    "string_type": "{title} must be text.",
    "too_short": "{title}: there must be at least {min_length}.",
    "too_long": "{title}: there can be at most {max_length}.",
    "string_pattern_mismatch": "{title} ‘{input}’ contains characters that cannot be used here.",
    "bool_type": "{title} must be yes or no.",
    "bool_parsing": "{title} must be yes or no.",
    "missing": "{title} is missing.",
    "extra_forbidden": "There is nothing called ‘{field}’ here.",
}


def explain(error: ValidationError) -> str:
    """One sentence about the first problem."""
    return explain_detail(error.errors(include_url=False)[0], _model_of(error))


def title_of(info: FieldInfo, field: str) -> str:
    """Title of a field."""
    return info.title or field.replace("_", " ").capitalize()


def _model_of(error: ValidationError) -> type[BaseModel] | None:
    return next((m for m in _all_models(BaseModel) if m.__name__ == error.title), None)


def _all_models(base: type[BaseModel]) -> list[type[BaseModel]]:
    return [m for sub in base.__subclasses__() for m in (sub, *_all_models(sub))]


def explain_detail(detail: ErrorDetails, model: type[BaseModel] | None) -> str:
    """One sentence about one problem of a validation."""
    kind = detail["type"]
    if kind == "value_error":
        return str(detail.get("ctx", {}).get("error", detail["msg"]))
    field = str(next((p for p in reversed(detail["loc"]) if isinstance(p, str)), "value"))
    title, unit = _title_and_unit(detail, model, field)
    context: dict[str, Any] = {k: _short(v) for k, v in detail.get("ctx", {}).items()}
    bound = next((context[k] for k in ("ge", "le", "gt", "lt") if k in context), "")
    unit = unit.removesuffix("s") if bound == "1" and unit in ("frames", "times", "digits") else unit
    context |= {"title": title, "unit": f" {unit}" if unit else "", "field": field}
    context["input"] = _short(detail["input"])
    template = _TEMPLATES.get(kind)
    if template is None:
        return f"{title}: {detail['msg'].lower()}."
    return template.format(**context)


def _title_and_unit(detail: ErrorDetails, model: type[BaseModel] | None, field: str) -> tuple[str, str]:
    title, unit = field.replace("_", " ").capitalize(), ""
    for candidate in [_owner(model, detail["loc"]), model, *_all_models(BaseModel)]:
        info = candidate.model_fields.get(field) if candidate else None
        if info is not None:
            extra = info.json_schema_extra
            unit = str(extra.get("unit", "")) if isinstance(extra, dict) else ""
            return title_of(info, field), unit
    return title, unit


def _owner(model: type[BaseModel] | None, path: tuple[int | str, ...]) -> type[BaseModel] | None:
    """The model that holds the last field of a path, e.g. Move for ("move", "kind")."""
    for step in path[:-1]:
        if model is None or not isinstance(step, str):
            continue
        info = model.model_fields.get(step)
        kinds: list[Any] = [info.annotation] if info else []
        model = None
        while kinds and model is None:
            kind = kinds.pop(0)
            if isinstance(kind, type) and issubclass(kind, BaseModel):
                model = kind
            kinds += getattr(kind, "__args__", ())
    return model


def _short(value: object) -> str:
    text = f"{value:g}" if isinstance(value, float) else str(value)
    return text if len(text) <= 40 else text[:39] + "…"
