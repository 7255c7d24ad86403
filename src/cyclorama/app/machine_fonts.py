"""Fonts that are installed on the machine, offered for titles."""

import os
import shutil
import sys
from functools import lru_cache
from hashlib import sha256
from pathlib import Path

from fontTools.ttLib import TTFont, TTLibError
from pydantic import BaseModel

from ..core.errors import NotFoundError
from ..store import Studio
from .uploads import scratch_folder

MOST_FONTS = 4000
MOST_BYTES = 40 << 20
ENDINGS = (".ttf", ".otf")
FAMILY, STYLE, TYPOGRAPHIC_FAMILY, TYPOGRAPHIC_STYLE = 1, 2, 16, 17
"""Numbers of names in the `name` table (OpenType specification 1.9)."""


class MachineFont(BaseModel):
    """An installed font."""

    id: str
    name: str
    """family and style"""


def font_folders() -> list[Path]:
    """Folders in which the system keeps fonts."""
    home = Path.home()
    if sys.platform == "win32":
        local = Path(os.environ.get("LOCALAPPDATA", home / "AppData" / "Local"))
        return [Path(os.environ.get("WINDIR", "C:/Windows")) / "Fonts", local / "Microsoft" / "Windows" / "Fonts"]
    if sys.platform == "darwin":
        return [Path("/System/Library/Fonts"), Path("/Library/Fonts"), home / "Library" / "Fonts"]
    shared = os.environ.get("XDG_DATA_DIRS", "/usr/local/share:/usr/share").split(":")
    return [*(Path(folder) / "fonts" for folder in shared if folder), home / ".local/share/fonts", home / ".fonts"]


def machine_fonts() -> list[MachineFont]:
    """Installed fonts by name; files that cannot be read are left out."""
    named = {identity: name for identity, path in _paths().items() if (name := _name(path, path.stat().st_mtime_ns))}
    return [MachineFont(id=key, name=name) for key, name in sorted(named.items(), key=lambda x: x[1].lower())]


def keep_machine_font(studio: Studio, identity: str) -> tuple[str, str]:
    """Keep an installed font in the studio, so that the project takes it along: its key and name.

    Raises NotFoundError when it is not installed any more.
    """
    path = _paths().get(identity)
    name = _name(path, path.stat().st_mtime_ns) if path else None
    if path is None or name is None:
        raise NotFoundError("That font is not installed on this machine any more.")
    with scratch_folder(studio.folder) as folder:
        copy = Path(shutil.copyfile(path, folder / "font"))
        return studio.assets.take(copy), name


def _paths() -> dict[str, Path]:
    """Font files by an id that says nothing of where they lie."""
    found: dict[str, Path] = {}
    for folder in font_folders():
        for path in sorted(folder.rglob("*")) if folder.is_dir() else ():
            if path.suffix.lower() in ENDINGS and path.is_file() and path.stat().st_size <= MOST_BYTES:
                found[sha256(str(path).encode()).hexdigest()[:16]] = path
            if len(found) >= MOST_FONTS:
                return found
    return found


@lru_cache(maxsize=MOST_FONTS)
def _name(path: Path, _modified: int) -> str | None:
    try:
        with TTFont(path, lazy=True) as font:
            names = font["name"]
            family = names.getDebugName(TYPOGRAPHIC_FAMILY) or names.getDebugName(FAMILY)
            style = names.getDebugName(TYPOGRAPHIC_STYLE) or names.getDebugName(STYLE) or ""
    except (TTLibError, OSError, KeyError, ValueError, AttributeError):
        return None
    return f"{family} {style}".replace(" Regular", "").strip()[:80] if family else None
