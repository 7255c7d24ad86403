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

    def as_chosen(self, unit_m: float, up: str) -> "IntakeReport":
        """The report with the reasons of a unit and an axis in use, which may be others than those that were found."""
        reasons = {}
        if abs(unit_m / self.unit_m - 1) > 1e-6:
            reasons["unit_reason"] = f"unit chosen by you ({self.unit_reason})"
        if up != self.up:
            reasons["up_reason"] = f"up axis chosen by you ({self.up_reason})"
        return self.model_copy(update=reasons)
