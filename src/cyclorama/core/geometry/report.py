"""The report after intake: what came in, what was odd about it, what was done."""

from typing import Literal

from ..scene import Doc


class Finding(Doc):
    """One thing worth knowing, with what was done about it."""

    mark: Literal["ready", "look"]
    what: str
    done: str = ""


class IntakeReport(Doc):
    """Shown after a model came in, kept with it."""

    source_name: str
    triangles: int
    parts: int
    pictures: int
    size_file_units: tuple[float, float, float]
    unit_m: float
    unit_reason: str
    up: Literal["y", "z"]
    up_reason: str
    findings: tuple[Finding, ...]
