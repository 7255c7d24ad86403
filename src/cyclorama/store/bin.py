"""The bin of a data folder: files that nothing needs lie here for 30 days before they are deleted.

    bin/<day>/<path of the file within the data folder>

A file that is needed again, because somebody went back to an earlier copy of the database, is put back where it was.
"""

import os
import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import date, timedelta
from pathlib import Path, PurePath

FOLDER = "bin"
KEPT_DAYS = 30


@dataclass(frozen=True, slots=True)
class BinDay:
    """The files that were discarded on one day."""

    day: date
    files: int
    bytes: int

    @property
    def deleted_on(self) -> date:
        return self.day + timedelta(days=KEPT_DAYS)


class Bin:
    """Discarded files of a data folder, by day."""

    def __init__(self, data_folder: Path):
        self._data_folder = data_folder
        self.folder = data_folder / FOLDER

    def discard(self, path: Path, day: date) -> int:
        """Move a file into the bin and return its size in bytes. A file of the same path and day is replaced."""
        size = path.stat().st_size
        target = self.folder / day.isoformat() / path.relative_to(self._data_folder)
        target.parent.mkdir(parents=True, exist_ok=True)
        os.replace(path, target)
        return size

    def days(self) -> list[BinDay]:
        """The days on which files were discarded, oldest first."""
        days = []
        for folder in self._day_folders():
            sizes = [p.stat().st_size for p in folder.rglob("*") if p.is_file()]
            days.append(BinDay(date.fromisoformat(folder.name), len(sizes), sum(sizes)))
        return days

    def put_back(self, is_needed: Callable[[PurePath], bool]) -> int:
        """Move files to where they were discarded from, the newest of each path; returns how many.

        is_needed: given the path of a file within the data folder. A file that is there again stays as it is.
        """
        count = 0
        for folder in reversed(self._day_folders()):
            for path in [p for p in folder.rglob("*") if p.is_file()]:
                relative = path.relative_to(folder)
                target = self._data_folder / relative
                if is_needed(relative) and not target.exists():
                    target.parent.mkdir(parents=True, exist_ok=True)
                    os.replace(path, target)
                    count += 1
        return count

    def empty(self, today: date) -> tuple[int, int]:
        """Delete what was discarded more than KEPT_DAYS ago; returns the number of files and of bytes."""
        old = [day for day in self.days() if day.deleted_on <= today]
        for day in old:
            shutil.rmtree(self.folder / day.day.isoformat())
        return sum(day.files for day in old), sum(day.bytes for day in old)

    def _day_folders(self) -> list[Path]:
        return sorted(path for path in _children(self.folder) if _is_day(path.name))


def _children(folder: Path) -> Iterator[Path]:
    return folder.iterdir() if folder.is_dir() else iter(())


def _is_day(name: str) -> bool:
    try:
        date.fromisoformat(name)
    except ValueError:
        return False
    return True
