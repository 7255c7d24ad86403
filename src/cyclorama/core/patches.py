"""Patches: changes between two documents, small enough to be kept for every undo step.

A change is one of: {"=": value}; {"{": {name: change, …}, "-": [names that are gone]}; {"[": {index: change, …}} for
lists of one length; {"~": [how many at the beginning stay, how many at the end stay, what stands between]}.
"""

from typing import Any

Json = Any


def difference(before: Json, after: Json) -> Json:
    """The change from one document to another, None where they are equal."""
    if type(before) is not type(after):
        return {"=": after}
    if isinstance(before, dict):
        changes = {
            name: change
            for name, value in after.items()
            if name in before and (change := difference(before[name], value)) is not None
        }
        changes |= {name: {"=": value} for name, value in after.items() if name not in before}
        gone = [name for name in before if name not in after]
        return {"{": changes, "-": gone} if changes or gone else None
    if isinstance(before, list):
        return _of_lists(before, after)
    return None if before == after else {"=": after}


def apply_patch(document: Json, change: Json) -> Json:
    """The document after a change. Raises ValueError, KeyError, TypeError or IndexError when it is damaged."""
    if change is None:
        return document
    if "=" in change:
        return change["="]
    if "{" in change:
        gone = set(change["-"])
        kept = {name: apply_patch(value, change["{"].get(name)) for name, value in document.items() if name not in gone}
        return kept | {name: more["="] for name, more in change["{"].items() if name not in document}
    if "[" in change:
        changes = {int(index): more for index, more in change["["].items()}
        return [apply_patch(value, changes.get(i)) for i, value in enumerate(document)]
    first, last, between = change["~"]
    return [*document[:first], *between, *document[len(document) - last :]]


def _of_lists(before: list[Json], after: list[Json]) -> Json:
    if len(before) == len(after):
        changes = {
            str(i): change
            for i, (a, b) in enumerate(zip(before, after, strict=True))
            if (change := difference(a, b)) is not None
        }
        return {"[": changes} if changes else None
    shorter = min(len(before), len(after))
    first = next((i for i in range(shorter) if before[i] != after[i]), shorter)
    last = next((i for i in range(shorter - first) if before[-1 - i] != after[-1 - i]), shorter - first)
    return {"~": [first, last, after[first : len(after) - last]]}
