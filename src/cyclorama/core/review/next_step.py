"""The next step: what the call sheet says to do, until the first delivery."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

from ..scene import Doc
from .stations import Station

Action = Literal["bring", "change", "open", "proof", "test", "shoot", "log", "screen", "cut"]
"""What the button does: chooses a model, performs changes, opens a station, makes a proof, shoots a frame or the take,
shows the shoot log, a take, or the cut."""


@dataclass(frozen=True, slots=True)
class Progress:
    """Progress of a project beside its document."""

    proofed: bool
    tested: bool
    """a single frame of it was shot"""
    shooting: bool
    take_id: str | None
    """the last take that is finished, of more than one frame or of all that the shot has"""
    delivered: bool


class NextStep(Doc):
    """Step that the call sheet proposes."""

    sentence: str
    title: str
    """what its button says"""
    action: Action
    target: str = ""
    """key of a station, or id of a take"""
    changes: tuple[dict[str, Any], ...] = ()


def next_step(stations: Sequence[Station], done: Progress) -> NextStep | None:
    """Next step in the order of work; None once something was delivered."""
    if done.delivered:
        return None
    by_key = {station.key: station for station in stations}
    if by_key["subject"].mark == "missing":
        return NextStep(sentence="Bring in the model that is to be shown.", title="Choose a model …", action="bring")
    for station in stations:
        for hint in (station.sentence, *station.hints):
            if (fix := station.fixes.get(hint)) is not None and station.key != "shoot":
                return NextStep(sentence=hint, title=fix.title, action="change", changes=fix.changes)
        if station.mark == "missing":
            return NextStep(sentence=station.sentence, title=f"Open {station.title}", action="open", target=station.key)
    if done.take_id is not None:
        return NextStep(
            sentence="The take is there. Screen it, then deliver it.", title="Screen it", action="screen",
            target=done.take_id,
        )  # fmt: skip
    if done.shooting:
        return NextStep(sentence="It is being shot.", title="Show the shoot log", action="log")
    if not done.proofed:
        return NextStep(sentence="See the whole move in small quick frames.", title="Make a proof", action="proof")
    if not done.tested:
        return NextStep(sentence="Shoot one frame as it will be.", title="Shoot a test frame", action="test")
    return NextStep(sentence="Everything is ready: shoot the take.", title="Shoot", action="shoot")
