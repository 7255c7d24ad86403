"""Help on fields: the sentence that stands below a field in its model, as an artist may read it."""

import ast
import sys
from functools import cache
from pathlib import Path

from pydantic import BaseModel


def help_of(model: type[BaseModel], field: str) -> str:
    """A sentence about a field, from its model or the one that it has it from; empty where nothing is said."""
    for kind in model.__mro__:
        module = sys.modules.get(kind.__module__)
        source = getattr(module, "__file__", None)
        if issubclass(kind, BaseModel) and source and (said := _said_in(source).get((kind.__name__, field))):
            return said
    return ""


@cache
def _said_in(source: str) -> dict[tuple[str, str], str]:
    """Sentences of a module's fields, by class and field. Read once, when help is first asked for."""
    found = {}
    for kind in ast.parse(Path(source).read_text()).body:
        if isinstance(kind, ast.ClassDef):
            for line, below in zip(kind.body, kind.body[1:], strict=False):
                named = line.target if isinstance(line, ast.AnnAssign) else None
                if (
                    isinstance(named, ast.Name)
                    and isinstance(below, ast.Expr)
                    and isinstance(below.value, ast.Constant)
                ):
                    found[kind.name, named.id] = _sentence(str(below.value.value))
    return found


def _sentence(text: str) -> str:
    """With a capital, a full stop, and without marks of code."""
    text = " ".join(text.replace("`", "").split())
    return text if not text else text[0].upper() + text[1:] + ("" if text[-1] in ".!?" else ".")
