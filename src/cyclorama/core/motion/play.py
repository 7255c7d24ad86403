"""How the subject's own animation runs during a shot."""

import numpy as np
from numpy.typing import NDArray

from ..scene import Move, Project
from .frames import FrameRate


def rounds(project: Project) -> float:
    """How often the animation is played from the first frame to the frame after the last; 0 without one."""
    subject = project.subject
    if subject is None or subject.playing is None:
        return 0.0
    length = subject.playing[1].seconds
    if length <= 0:
        return 0.0
    exact = _shot_s(project.move) * subject.play.speed / length
    return float(max(1, round(exact))) if subject.play.repeat == "whole" else exact


def animation_s(project: Project, frames: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where the animation stands (n,) at frames (n,) counted from the first, also between frames."""
    turns = rounds(project)
    if not turns or project.subject is None or project.subject.playing is None:
        return np.zeros(len(frames))
    play, length = project.subject.play, project.subject.playing[1].seconds
    # the product is formed before the division, so that whole rounds are exact
    passed = frames * turns / project.move.frames + play.start_s / length
    return np.asarray(length * (np.clip(passed, 0.0, 1.0) if play.repeat == "once" else passed % 1.0))


def closes(project: Project) -> bool:
    """Whether the animation stands at the end of the shot where it began."""
    turns = rounds(project)
    if project.subject is None or project.subject.play.repeat == "once":
        return turns == 0
    return abs(turns - round(turns)) < 1e-9


def _shot_s(move: Move) -> float:
    return float(FrameRate(move.rate_num, move.rate_den).seconds(move.frames))
