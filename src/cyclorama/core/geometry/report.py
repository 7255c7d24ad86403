"""The report after intake: what came in, what was odd about it, what was done."""

from typing import Literal

from ..scene import Doc


class Growing(Doc):
    """Mend of a body that stops short of the one around it."""

    part: str
    by: float
    """units of the file"""


class Finding(Doc):
    """One thing worth knowing, with what was done about it."""

    mark: Literal["ready", "look"]
    what: str
    done: str = ""
    mend: Growing | None = None
    """offered beside it"""


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

    def grown(self, part: str) -> "IntakeReport":
        """The report of the model after a part was grown."""
        findings = (
            f.model_copy(update={"mend": None, "done": "grown"}) if f.mend is not None and f.mend.part == part else f
            for f in self.findings
        )
        return self.model_copy(update={"findings": tuple(findings)})

    def as_chosen(self, unit_m: float, up: str) -> "IntakeReport":
        """The report with the reasons of a unit and an axis in use, which may be others than those that were found."""
        reasons = {}
        if abs(unit_m / self.unit_m - 1) > 1e-6:
            reasons["unit_reason"] = f"unit chosen by you ({self.unit_reason})"
        if up != self.up:
            reasons["up_reason"] = f"up axis chosen by you ({self.up_reason})"
        return self.model_copy(update=reasons)
