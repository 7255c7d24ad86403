"""Frames of a shot that earlier takes have already, told before it is shot."""

from pydantic import BaseModel

from ..core.commands.shoot_plan import as_called
from ..core.scene import Project
from ..shoot.frames.reuse import frames_taken_over
from ..store import Studio


class ShootReuse(BaseModel):
    """Frames that are taken over from other takes, and a sentence; empty where there are none."""

    taken: int
    total: int
    sentence: str

    @property
    def share_to_shoot(self) -> float:
        return 1.0 - self.taken / max(self.total, 1)


def shoot_reuse(studio: Studio, project: Project) -> ShootReuse:
    """Reuse of frames if the open shot was shot now."""
    project = as_called(project)
    found, total = frames_taken_over(studio, project), len(project.shot.frame_numbers)
    if not found:
        return ShootReuse(taken=0, total=total, sentence="")
    names = list(dict.fromkeys(take.name for take in found.values()))
    source = f"‘{names[0]}’" if len(names) == 1 else f"{len(names)} takes"
    left = total - len(found)
    if left:
        sentence = f"{len(found)} of {total} frames are taken over from {source}, {left} to shoot."
    else:
        sentence = f"{'The frame is' if total == 1 else f'All {total} frames are'} taken over from {source}."
    return ShootReuse(taken=len(found), total=total, sentence=sentence)
