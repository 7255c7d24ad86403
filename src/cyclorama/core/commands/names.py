"""Names and ids for new things in a project, and the limits of their lists."""

import re
from collections.abc import Iterable

from ..errors import ChangeError
from ..scene import Look
from ..scene.look import MOST_LIGHTS


def free_name(taken: Iterable[str], stem: str) -> str:
    """The name, with a number where it is taken."""
    known = set(taken)
    return next(n for n in (stem, *(f"{stem[:70]} {i}" for i in range(2, len(known) + 3))) if n not in known)


def next_name(taken: Iterable[str], name: str) -> str:
    """The name for another one like it: ‘Camera 2’ beside ‘Camera 1’."""
    known, stem = set(taken), (re.sub(r" \d+$", "", name) or name)[:70]
    return next(n for i in range(2, len(known) + 3) if (n := f"{stem} {i}") not in known)


def free_light_name(look: Look, stem: str) -> str:
    """The name for one more light.

    Raises ChangeError when there is no room for it.
    """
    if len(look.lights) >= MOST_LIGHTS:
        raise ChangeError(f"There are {MOST_LIGHTS} lights on the set already; remove one first.")
    return free_name((x.name for x in look.lights), stem)


def free_ids(
    wanted: Iterable[str], taken: Iterable[str], stem: str, given: dict[str, str] | None = None
) -> dict[str, str]:
    """An id for each of those wanted: the given one, its own where that is free, or the next free number."""
    found = dict(given or {})
    used = {*found.values(), *taken}
    number = 1
    for identity in wanted:
        if identity in found:
            continue
        new = identity
        while new in used:
            new = f"{stem}-{number}"
            number += 1
        used.add(new)
        found[identity] = new
    return found
