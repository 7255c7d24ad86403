"""One data folder: database, files, takes."""

import zipfile
import zlib
from pathlib import Path

from pydantic import ValidationError

from ..core.commands.made_items import measure_made_item
from ..core.delivery.destinations import Destination
from ..core.errors import CycloramaError, DamagedError, IntakeError, NotFoundError
from ..core.geometry.cache_keys import Intake, measures_key
from ..core.geometry.measure import Measures
from ..core.geometry.report import IntakeReport
from ..core.scene import Item
from ..core.scene.saved_material import SavedMaterial
from ..core.scene.saved_move import SavedMove
from ..core.scene.saved_rig import SavedRig
from ..core.scene.stocked import Stocked
from .assets import AssetStore
from .binned import BinnedRecords
from .change_log import ChangeLog
from .cuts import CutStore
from .database import DATABASE, checkpoint, open_database
from .file_lock import FolderLock
from .jobs import JobStore
from .library import Shelf
from .posts import PostStore
from .projects import ProjectStore
from .screening import Screening
from .take_index import TakeList
from .takes import TakeStore
from .tokens import TokenStore

UNREADABLE = (ValueError, KeyError, OSError, EOFError, TypeError, zipfile.BadZipFile, zlib.error)
"""What reading a damaged file of arrays can raise."""


class Studio:
    """Everything that is kept in one data folder."""

    def __init__(self, folder: Path):
        """Open the studio in a folder, which is made if it is not there. Raises CycloramaError while an earlier copy of
        its database is being put in place."""
        folder.mkdir(parents=True, exist_ok=True)
        folder = folder.absolute()  # readers of foreign files are at work elsewhere
        self.folder = folder
        self.findings: list[str] = []
        """sentences on what was found and mended when the folder was opened"""
        self._lock = FolderLock.shared(folder)
        if self._lock is None:
            raise CycloramaError(
                f"The database in {folder} is being replaced by an earlier copy. Try again in a moment."
            )
        sessions = open_database(folder / DATABASE)
        self._sessions = sessions
        self.changes = ChangeLog()
        self.assets = AssetStore(folder / "assets")
        self.projects = ProjectStore(sessions, self.changes)
        self.takes = TakeStore(sessions, folder / "takes")
        self.take_list = TakeList(sessions)
        self.screening = Screening(sessions, self.changes)
        self.jobs = JobStore(sessions)
        self.cuts = CutStore(sessions, self.changes)
        self.posts = PostStore(sessions)
        self.tokens = TokenStore(sessions)
        self.binned = BinnedRecords(sessions)
        self.moves = Shelf(folder / "moves", SavedMove, "move")
        self.materials = Shelf(folder / "materials", SavedMaterial, "material")
        self.stock = Shelf(folder / "stock", Stocked, "thing")
        self.rigs = Shelf(folder / "rigs", SavedRig, "rig")
        self.destinations = Shelf(folder / "destinations", Destination, "destination")

    def close(self) -> None:
        """Let go of the database and of the folder."""
        self._sessions.kw["bind"].dispose()
        if self._lock is not None:
            self._lock.close()

    def checkpoint(self) -> None:
        """Write the database's log into the database, so that a log that is lost or damaged later costs nothing."""
        checkpoint(self._sessions)

    def keep_intake(self, intake: Intake) -> None:
        """Keep the files of a model that came in, and the report about it."""
        self.assets.put_all(intake.assets)
        self.assets.put(report_key(intake.item.asset), intake.report.model_dump_json().encode())

    def measures(self, item: Item | None) -> Measures | None:
        """Measures of an item with all the room that its animation takes, None of none.

        Raises DamagedError when they are gone or cannot be read.
        """
        if item is None:
            return None
        if item.made is not None:
            try:
                return measure_made_item(item.made, self.assets.get)
            except (NotFoundError, IntakeError) as error:
                what = "drawing" if item.made.mark else "font"
                raise DamagedError(f"The {what} of ‘{item.name}’ is gone or damaged. Bring it in again.") from error
        try:
            measures = Measures.from_bytes(self.assets.get(measures_key(item.asset)))
        except (NotFoundError, *UNREADABLE) as error:
            raise DamagedError(
                f"What was measured of ‘{item.source_name}’ is gone or damaged. Bring the model in again."
            ) from error
        return measures.playing(item)

    def measures_if_whole(self, item: Item | None) -> Measures | None:
        """The same, None also when they are gone or damaged: a project can still be edited then."""
        try:
            return self.measures(item)
        except DamagedError:
            return None

    def report(self, item: Item | None) -> IntakeReport | None:
        """The report of an item's intake, with the reasons of its unit and axis as they are now; None when none can be
        read."""
        if item is None or not self.assets.has(report_key(item.asset)):
            return None
        try:
            report = IntakeReport.model_validate_json(self.assets.get(report_key(item.asset)))
            return report.as_chosen(item.placement.unit_m, item.placement.up)
        except ValidationError:
            return None


def report_key(asset: str) -> str:
    return f"{asset}.report"
