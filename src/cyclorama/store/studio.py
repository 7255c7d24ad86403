"""One data folder: database, files, takes."""

import json
from pathlib import Path

from ..core.geometry.kept import Intake, measures_key
from ..core.geometry.measure import Measures
from ..core.geometry.report import IntakeReport
from ..core.scene import Project
from .assets import AssetStore
from .database import open_database
from .projects import ProjectStore
from .takes import TakeStore


class Studio:
    """Everything that is kept in one data folder."""

    def __init__(self, folder: Path):
        folder.mkdir(parents=True, exist_ok=True)
        self.folder = folder
        sessions = open_database(folder / "studio.sqlite")
        self.assets = AssetStore(folder / "assets")
        self.projects = ProjectStore(sessions)
        self.takes = TakeStore(sessions, folder / "takes")

    def keep_intake(self, intake: Intake) -> None:
        """Keep the files of a model that came in, and the report about it."""
        self.assets.put_all(intake.assets)
        self.assets.put(report_key(intake.subject.asset), intake.report.model_dump_json().encode())

    def measures(self, project: Project) -> Measures | None:
        """Measures of the project's subject with all the room that its animation takes, None when it has none."""
        if project.subject is None:
            return None
        measures = Measures.from_bytes(self.assets.get(measures_key(project.subject.asset)))
        return measures.playing(project.subject)

    def report(self, project: Project) -> IntakeReport | None:
        """The report of the subject's intake, None when there is none."""
        if project.subject is None or not self.assets.has(report_key(project.subject.asset)):
            return None
        return IntakeReport.model_validate(json.loads(self.assets.get(report_key(project.subject.asset))))


def report_key(asset: str) -> str:
    return f"{asset}.report"
