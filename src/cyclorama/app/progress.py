"""Progress of a project: its proofs, test frames, takes and deliveries."""

from ..core.review.next_step import Progress
from ..core.scene import Project
from ..store import Studio
from ..store.proofs import Proof


def progress_of(studio: Studio, project: Project, proof: Proof) -> Progress:
    """Progress of a project whose open shot has a proof."""
    if studio.cuts.any_handed(project.id):
        return Progress(proofed=proof.whole, tested=True, shooting=False, take_id=None, delivered=True)
    takes = studio.take_list.all(project.id)
    whole = [t for t in takes if t.state == "done" and (len(t.numbers) > 1 or project.shot.frames == 1)]
    return Progress(
        proofed=proof.whole,
        tested=any(t.finished for t in takes),
        shooting=any(t.state in ("queued", "running") and len(t.numbers) > 1 for t in takes),
        take_id=whole[0].id if whole else None,
        delivered=False,
    )
