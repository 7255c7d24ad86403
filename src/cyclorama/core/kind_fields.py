"""Fields of a document that only some kinds of a thing have, as cards show them."""

from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class KindField:
    """A number that some kinds have."""

    name: str
    """of the field in the document"""
    title: str
    unit: str
    step: float
    digits: int
    tip: str = ""


def shared_fields(kinds: Iterable[tuple[str, tuple[KindField, ...]]]) -> list[tuple[KindField, str]]:
    """Every field once, in the order in which kinds name them, with all kinds that have it: `disc|ring`."""
    found: dict[KindField, list[str]] = {}
    for kind, fields in kinds:
        for field in fields:
            found.setdefault(field, []).append(kind)
    return [(field, "|".join(names)) for field, names in found.items()]
