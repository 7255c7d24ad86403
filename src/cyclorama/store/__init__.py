"""Store: projects with their history, takes with their frames, files by content hash."""

from .assets import AssetStore
from .database import open_database
from .frame_record import FileSum, FrameRecord
from .opening import open_studio
from .projects import ProjectStore, Saved
from .studio import Studio
from .take_index import ListedTake
from .takes import TakeRecord, TakeStore

__all__ = [
    "AssetStore",
    "FileSum",
    "FrameRecord",
    "ListedTake",
    "ProjectStore",
    "Saved",
    "Studio",
    "TakeRecord",
    "TakeStore",
    "open_database",
    "open_studio",
]
