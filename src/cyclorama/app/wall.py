"""The reel wall: a card for each project, worked out once for each of its states."""

import time
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from pathlib import Path

from pydantic import TypeAdapter, ValidationError
from typing_extensions import TypedDict

from ..core.errors import DamagedError, SpaceError
from ..core.memo import Memo
from ..core.review.phrases import data_size
from ..core.review.stations import move_sentence
from ..core.scene import Project
from ..shoot.frames.cache import program
from ..store import ListedTake, Studio
from ..store.assets import write_whole
from ..store.garbage import keys_in
from ..store.projects import Listed
from ..store.proofs import FOLDER as PROOFS
from ..store.proofs import Proof, proofs_of
from ..store.repeating import Repeating

MOST_THUMBS = 240
"""Pictures that a card plays at most, evenly spread over the take."""
MOST_KEPT = 5000
FILE = "wall.json"
BREATH_S, VERIFY_EVERY_S, VERIFIED_AT_ONCE = 0.02, 5.0, 50
"""Pauses between projects, and between so many of them, that are worked out while somebody may be at work."""


@dataclass(frozen=True, slots=True)
class ProjectSummary:
    """Facts of a project in one state that its card shows."""

    sentence: str
    """sentence on its move, or on its damage"""
    words: str
    """names of items and of their files, for the search"""
    source_name: str | None
    """file of its subject; None: there is no subject"""
    rate: float
    """frames a second"""
    proof: Proof
    """of the open shot, which may not be there"""
    bytes: int
    """of models and pictures"""


class _Kept(TypedDict):
    """Contents of the file of summaries."""

    program: str
    """digest of the program that worked them out"""
    cards: dict[str, ProjectSummary]


_KEPT = TypeAdapter(_Kept)


@dataclass(frozen=True, slots=True)
class WallReel:
    """The pictures that a card plays."""

    url: str
    """under which they are found by their numbers; empty: nothing plays"""
    frames: tuple[int, ...]
    step: int
    """frames of the shot from picture to picture"""


@dataclass(frozen=True, slots=True)
class WallCard:
    """A project on the wall; of a damaged one only its name and its fault."""

    id: str
    name: str
    updated: datetime
    damage: str | None = None
    summary: ProjectSummary | None = None
    take_id: str | None = None
    """the take whose pictures are shown"""
    reel: WallReel = WallReel("", (), 1)
    takes: int = 0
    bytes: int = 0
    disk: str = ""


class Wall:
    """Cards of all projects. Their summaries are kept in a file from start to start, and worked out anew behind that,
    so that damage shows."""

    def __init__(self, studio: Studio):
        self._studio = studio
        self._summaries: Memo[str, ProjectSummary] = Memo(MOST_KEPT)
        self._from_before = _read(studio.folder)
        self._written: set[str] = set()
        self._seen = False

    def cards(self) -> list[WallCard]:
        """The last edited first."""
        takes: dict[str, list[ListedTake]] = {}
        for take in self._studio.take_list.all():
            takes.setdefault(take.project_id, []).append(take)
        listed = self._studio.projects.listed()
        cards = [self._card(one, takes.get(one.id, [])) for one in listed]
        self._seen = True
        with suppress(SpaceError):  # worked out again at the next start
            self._write(listed)
        return cards

    def verification(self) -> Repeating:
        """Background task that works out kept summaries anew, some at a time, after the wall was first shown."""
        return Repeating("wall", self._verify_some, VERIFY_EVERY_S)

    def _verify_some(self) -> None:
        if not self._seen:
            return
        listed = [one for one in self._studio.projects.listed() if _state(one) in self._from_before]
        for one in listed[:VERIFIED_AT_ONCE]:
            with suppress(DamagedError):  # told when its card is made
                self._summaries.get(_state(one), partial(self._summary, one.id))
            del self._from_before[_state(one)]
            time.sleep(BREATH_S)

    def _write(self, listed: list[Listed]) -> None:
        kept = {state: found for one in listed if (found := self._summaries.find(state := _state(one))) is not None}
        if kept.keys() <= self._written:
            return
        self._written = {*kept}
        older = {state: self._from_before.get(state) for state in map(_state, listed)}  # some are worked out meanwhile
        cards = {state: found for state, found in (older | kept).items() if found is not None}
        write_whole(self._studio.folder / FILE, _KEPT.dump_json({"program": program().hex(), "cards": cards}))

    def _card(self, listed: Listed, all_takes: list[ListedTake]) -> WallCard:
        state = _state(listed)
        try:
            summary = self._from_before.get(state) or self._summaries.get(state, partial(self._summary, listed.id))
        except DamagedError as error:
            return WallCard(listed.id, listed.name, listed.updated, error.sentence)
        takes = [t for t in all_takes if t.finished]
        best = next((t for t in takes if t.state == "done"), takes[0] if takes else None)
        disk = summary.bytes + sum(t.bytes for t in all_takes)
        reel = self._proof_reel(listed.id, summary.proof) if best is None else self._take_reel(best)
        take_id = None if best is None else best.id
        return WallCard(
            listed.id, listed.name, listed.updated, None, summary, take_id, reel, len(takes), disk, data_size(disk)
        )

    def _summary(self, project_id: str) -> ProjectSummary:
        """Raises DamagedError."""
        project: Project = self._studio.projects.get(project_id).project
        try:
            self._studio.measures(project.subject)
            sentence = move_sentence(project)
        except DamagedError as error:
            sentence = error.sentence
        return ProjectSummary(
            sentence,
            " ".join([item.name for item in project.items] + [item.source_name for item in project.items]),
            project.subject.source_name if project.subject else None,
            project.rate_num / project.rate_den,
            proofs_of(self._studio.folder, project)[project.shot_id],
            self._studio.assets.disk_bytes(keys_in(project.model_dump_json())),
        )

    def _take_reel(self, take: ListedTake) -> WallReel:
        numbers = self._studio.take_list.finished_numbers(take.id)
        step = _step(numbers)
        return WallReel(f"/api/takes/{take.id}/thumbs", tuple(numbers[::step]), step)

    def _proof_reel(self, project_id: str, proof: Proof) -> WallReel:
        """Until there is a take, the proof plays; its frames may lie apart."""
        numbers = proof.numbers
        if len(numbers) < 2:
            return WallReel("", (), 1)
        step = _step(numbers)
        apart = max(1, (numbers[-1] - numbers[0]) // (len(numbers) - 1))
        return WallReel(f"/api/projects/{project_id}/proof/{proof.key}/frames", tuple(numbers[::step]), step * apart)


def _state(listed: Listed) -> str:
    """Stands for a project in one state."""
    return f"{listed.id} {listed.version} {listed.updated.isoformat()}"


def _read(folder: Path) -> dict[str, ProjectSummary]:
    """Summaries that this program kept, by state; none where they cannot be read."""
    try:
        kept = _KEPT.validate_json((folder / FILE).read_bytes())
    except (OSError, ValidationError):
        return {}
    if kept["program"] != program().hex():
        return {}
    proofs = folder / PROOFS  # the data folder may have moved
    return {
        state: replace(summary, proof=replace(summary.proof, folder=proofs / summary.proof.folder.name))
        for state, summary in kept["cards"].items()
    }


def _step(numbers: list[int]) -> int:
    """Every so many of them are played."""
    return max(1, -(-len(numbers) // MOST_THUMBS))
