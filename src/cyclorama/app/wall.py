"""The reel wall: a card for each project, worked out once for each of its states."""

from dataclasses import dataclass
from datetime import datetime

from ..core.errors import DamagedError
from ..core.memo import Memo
from ..core.review.phrases import data_size
from ..core.review.stations import move_sentence
from ..core.scene import Project
from ..store import ListedTake, Studio
from ..store.garbage import keys_in
from ..store.projects import Listed
from ..store.proofs import Proof, proofs_of

MOST_THUMBS = 240
"""Pictures that a card plays at most, evenly spread over the take."""
MOST_KEPT = 5000


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
    """Cards of all projects."""

    def __init__(self, studio: Studio):
        self._studio = studio
        self._summaries: Memo[tuple[str, int, datetime], ProjectSummary] = Memo(MOST_KEPT)

    def cards(self) -> list[WallCard]:
        """The last edited first."""
        takes: dict[str, list[ListedTake]] = {}
        for take in self._studio.take_list.all():
            takes.setdefault(take.project_id, []).append(take)
        return [self._card(listed, takes.get(listed.id, [])) for listed in self._studio.projects.listed()]

    def _card(self, listed: Listed, all_takes: list[ListedTake]) -> WallCard:
        state = listed.id, listed.version, listed.updated
        try:
            summary = self._summaries.get(state, lambda: self._summary(listed.id))
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


def _step(numbers: list[int]) -> int:
    """Every so many of them are played."""
    return max(1, -(-len(numbers) // MOST_THUMBS))
