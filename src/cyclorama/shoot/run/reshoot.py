"""In which order frames are shot, and how: an overview first, and what is shot again finer or with single bright
samples held down."""

from dataclasses import dataclass, replace
from typing import Literal

from ...core.review.phrases import frames as frames_in_words
from ...core.scene import Project, ShootSettings, put_all
from ...core.scene.shoot import Again, PassName, Region
from ...core.scene.writing import derive
from ...store import TakeRecord

MOST_SAMPLES = 16384
CLAMP = 4.0
"""× white: what a single sample of indirect light may bring at most."""
OVERVIEW_EVERY = 8
"""The overview is every so manieth frame."""
_BETTER: dict[str, Literal["draft", "fine", "print"]] = {"draft": "fine", "fine": "print"}


def reshoot_project(project: Project, how: Again) -> Project:
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


@dataclass(frozen=True, slots=True)
class Group:
    """Frames that are shot alike, one after the other."""

    take: TakeRecord
    """with the settings that they are shot with"""
    numbers: list[int]
    only_overview: bool = False
    """they are shot again in their turn"""
    region: Region | None = None
    """what is shot of them, None: all"""
    passes: tuple[PassName, ...] = ()
    """what alone is made of them, none: all"""

    @property
    def is_whole(self) -> bool:
        """True when all of the frames is made."""
        return self.region is None and not self.passes


def groups(take: TakeRecord, lacks: dict[int, tuple[PassName, ...] | None]) -> list[Group]:
    """Frames in the order in which they are shot: those as the take is first, of them an overview if that is wanted;
    last what only lacks passes.

    lacks: passes that frames lack which are to be shot, None where it is the picture (`frames.lacking`).
    """
    each: dict[tuple[Again, tuple[PassName, ...]], list[int]] = {(Again(), ()): []}
    for n, names in lacks.items():
        how = take.again.get(n, Again())
        all_of_it = derive(how, region=None)
        if names is None or (n in take.pending and how.region is None):
            each.setdefault((all_of_it, ()), []).append(n)
            continue
        if n in take.pending:
            each.setdefault((how, ()), []).append(n)
        if names:
            each.setdefault((all_of_it, names), []).append(n)
    first, *others = (_group(take, how, passes, some) for (how, passes), some in each.items())
    others.sort(key=lambda group: bool(group.passes))
    return [group for group in [*_overview_first(first), *others] if group.numbers]


def _group(take: TakeRecord, how: Again, passes: tuple[PassName, ...], numbers: list[int]) -> Group:
    return Group(replace(take, project=reshoot_project(take.project, how)), numbers, region=how.region, passes=passes)


def overview_of(numbers: range) -> range:
    """The frames that are an overview of all."""
    return numbers[::OVERVIEW_EVERY]


def for_overview(shoot: ShootSettings) -> ShootSettings:
    """Shoot settings of the overview: a draft without neighbours, each frame alone."""
    if not shoot.denoise_neighbours:
        return shoot
    quality = "draft" if shoot.wanted_quality else shoot.quality
    passes = derive(shoot.passes, wanted=())
    return derive(shoot, quality=quality, denoise_neighbours=False, passes=passes)


def _overview_first(group: Group) -> list[Group]:
    take = group.take
    shoot = take.project.shot.shoot
    if not shoot.overview or take.source_id is not None:
        return [group]
    early = overview_of(take.numbers)
    if not shoot.denoise_neighbours:
        return [replace(group, numbers=[n for n in group.numbers if (n in early) == first]) for first in (True, False)]
    drafted = replace(take, project=put_all(take.project, {"shot/shoot": for_overview(shoot)}))
    new = [n for n in group.numbers if n in early and n not in take.frames]
    return [Group(drafted, new, only_overview=True), group]


def in_words(take: TakeRecord) -> str | None:
    """Which frames were shot otherwise than the take, for its slate."""
    each: dict[Again, list[int]] = {}
    for n, how in sorted(take.again.items()):
        each.setdefault(how, []).append(n)
    return "; ".join(f"{frames_in_words(some)} with {how.in_words}" for how, some in each.items()) or None
