"""What is kept: projects with their history, takes with their frames, files by content hash."""

from .assets import AssetStore
from .database import open_database
from .opening import open_studio
from .projects import ProjectStore, Saved
from .studio import Studio
from .takes import DamagedTake, FileSum, FrameRecord, TakeRecord, TakeStore

__all__ = [
    "AssetStore",
    "DamagedTake",
    "FileSum",
    "FrameRecord",
    "ProjectStore",
    "Saved",
    "Studio",
    "TakeRecord",
    "TakeStore",
    "open_database",
    "open_studio",
]
