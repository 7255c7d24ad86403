"""Frames that are to be shot again into the same take, finer or with single bright samples held down."""

from dataclasses import replace
from typing import Literal

from ..core.scene import Project, put_all
from ..core.scene.shoot import Again
from ..core.sheet.words import frames as frames_in_words
from ..store import TakeRecord

MOST_SAMPLES = 16384
CLAMP = 4.0
"""× white: what a single sample of indirect light may bring at most."""


_BETTER: dict[str, Literal["draft", "fine", "print"]] = {"draft": "fine", "fine": "print"}


def otherwise(project: Project, how: Again) -> Project:
    """A take's project as some of its frames are shot again."""
    s, values = project.shot.shoot, dict[str, object]()
    if how.finer > 1 and s.wanted_quality in _BETTER:
        values["shot/shoot/quality"] = _BETTER[s.wanted_quality]
    elif how.finer > 1:
        values |= {"shot/shoot/quality": "own", "shot/shoot/samples": min(s.samples * how.finer, MOST_SAMPLES)}
        if s.noise_threshold is not None:
            values["shot/shoot/noise_threshold"] = max(s.noise_threshold / how.finer**0.5, 0.001)
    if how.clamp:
        values["shot/shoot/clamp_indirect"] = CLAMP
    return put_all(project, values) if values else project


def groups(take: TakeRecord, numbers: list[int]) -> list[tuple[TakeRecord, list[int]]]:
    """Frames by how they are shot: those as the take is first."""
    each: dict[Again, list[int]] = {Again(): []}
    for n in numbers:
        each.setdefault(take.again.get(n, Again()), []).append(n)
    return [(replace(take, project=otherwise(take.project, how)), some) for how, some in each.items() if some]


def in_words(take: TakeRecord) -> str | None:
    """Which frames were shot otherwise than the take, for its slate."""
    each: dict[Again, list[int]] = {}
    for n, how in sorted(take.again.items()):
        each.setdefault(how, []).append(n)
    return "; ".join(f"{frames_in_words(some)} with {how.in_words}" for how, some in each.items()) or None
