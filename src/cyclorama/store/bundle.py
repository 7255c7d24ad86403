"""A project as one file, to be opened on another machine to the same bits: a zip of its documents, its files by hash,
and a list of all with their sums.

manifest.json          what is in it, with sums and sizes; what it knows to be missing
project.json           the document
cut.json               its cut
files/<key>            models, pictures, sounds and what was measured of them

Takes are not in it: the cut keeps its places for them, and says so where they are not there.
"""

import hashlib
import json
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

from pydantic import BaseModel, Field

from ..core.clip.cut import Cut
from ..core.errors import ChangeError, DamagedError, IntakeError, NotFoundError
from ..core.geometry.kept import measures_key, rig_key, standin_key, standin_source_key
from ..core.scene import Project, load_project
from ..core.scene.base import new_id
from .assets import put_in_place
from .garbage import keys_in
from .studio import Studio, report_key

KIND = "cyclorama project"
MOST_FILES, MOST_BYTES = 50_000, 40 << 30
_UNREADABLE = (zipfile.BadZipFile, zlib.error, KeyError, ValueError, ChangeError, DamagedError, EOFError, RuntimeError)
_BESIDE = (measures_key, rig_key, standin_key, standin_source_key, report_key)
Sum = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
Key = Annotated[str, Field(pattern=r"^[0-9a-f]{32}(\.[a-z]+)*$")]


class Entry(BaseModel):
    """A file of a bundle."""

    sha256: Sum
    bytes: Annotated[int, Field(ge=0)]


class Manifest(BaseModel):
    """What a bundle holds."""

    kind: str
    version: Annotated[int, Field(ge=1, le=1)]
    name: str
    documents: dict[str, Entry]
    files: Annotated[dict[Key, Entry], Field(max_length=MOST_FILES)]
    missing: list[str] = []
    """files that the documents refer to and that were not there when it was made"""
    takes: list[str] = []
    """takes that the cut refers to"""


@dataclass(frozen=True, slots=True)
class Unbundled:
    """A project that came out of a bundle."""

    id: str
    name: str
    says: tuple[str, ...]
    """what is not as it was"""


def pack_bundle(
    studio: Studio, project_id: str, target: Path, tell: Callable[[float], None] = lambda share: None
) -> Manifest:
    """Write a project, its cut and all files they need. `tell` hears which share is done, and may raise to stop.

    Raises NotFoundError, DamagedError.
    """
    project, cut = studio.projects.get(project_id).project, studio.cuts.get(project_id).cut
    documents = {"project.json": project.model_dump_json(), "cut.json": cut.model_dump_json()}
    needed = sorted(set().union(*map(keys_in, documents.values())))
    missing = [key for key in needed if not studio.assets.has(key)]
    keys = [k for key in needed for k in (key, *(of(key) for of in _BESIDE)) if studio.assets.has(k)]
    part = target.with_name(f".{target.name}.part")
    try:
        with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as box:
            told = {name: _put(box, name, text.encode()) for name, text in documents.items()}
            files = {}
            for i, key in enumerate(keys):
                tell(i / len(keys))
                files[key] = _put(box, f"files/{key}", studio.assets.get(key))
            manifest = Manifest(kind=KIND, version=1, name=project.name, documents=told, files=files, missing=missing,
                                takes=sorted({c.take_id for c in cut.clips if c.take_id}))  # fmt: skip
            box.writestr("manifest.json", manifest.model_dump_json(indent=1))
        put_in_place(part, target)
        return manifest
    finally:
        part.unlink(missing_ok=True)


def _put(box: zipfile.ZipFile, name: str, data: bytes) -> Entry:
    box.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), data, zipfile.ZIP_DEFLATED)
    return Entry(sha256=hashlib.sha256(data).hexdigest(), bytes=len(data))


def is_bundle(path: Path) -> bool:
    """Whether a file may be a bundle: a zip with what every bundle has."""
    try:
        with zipfile.ZipFile(path) as box:
            return {"manifest.json", "project.json", "cut.json"} <= set(box.namelist())
    except (OSError, *_UNREADABLE):
        return False


def open_bundle(studio: Studio, path: Path, tell: Callable[[float], None] = lambda share: None) -> Unbundled:
    """Take a project out of a bundle, under another id where its own is taken.

    Every file is compared with its sum before anything is kept; `tell` hears which share of that is done, and may raise
    to stop. Raises IntakeError with a sentence when something is
    damaged, missing or not what it should be.
    """
    try:
        with zipfile.ZipFile(path) as box:
            manifest = _manifest(box)
            for i, (key, entry) in enumerate(manifest.files.items()):
                tell(i / len(manifest.files))
                _read(box, f"files/{key}", entry)
            project = load_project(_read(box, "project.json", manifest.documents["project.json"]).decode())
            cut = Cut.model_validate_json(_read(box, "cut.json", manifest.documents["cut.json"]))
            lacking = [k for k in _needed(project, cut) if k not in manifest.files and k not in manifest.missing]
            if lacking:
                raise IntakeError(f"The bundle lacks {len(lacking)} files that its project needs. Make it again.")
            for key, entry in manifest.files.items():
                if not studio.assets.has(key):
                    studio.assets.put(key, _read(box, f"files/{key}", entry))
    except _UNREADABLE as error:
        raise IntakeError("That is no bundle of a project, or it is damaged. Make it again.") from error
    return _kept(studio, project, cut, manifest)


def _needed(project: Project, cut: Cut) -> set[str]:
    return keys_in(project.model_dump_json()) | keys_in(cut.model_dump_json())


def _manifest(box: zipfile.ZipFile) -> Manifest:
    manifest = Manifest.model_validate(json.loads(box.read("manifest.json").decode()))
    if manifest.kind != KIND:
        raise IntakeError("That zip is no bundle of a project.")
    if sum(e.bytes for e in manifest.files.values()) > MOST_BYTES:
        raise IntakeError("That bundle holds more than 40 GB.")
    return manifest


def _read(box: zipfile.ZipFile, name: str, entry: Entry) -> bytes:
    if box.getinfo(name).file_size != entry.bytes:
        raise IntakeError(f"‘{name}’ in the bundle is damaged. Make the bundle again.")
    data = box.read(name)
    if hashlib.sha256(data).hexdigest() != entry.sha256:
        raise IntakeError(f"‘{name}’ in the bundle is damaged. Make the bundle again.")
    return data


def _kept(studio: Studio, project: Project, cut: Cut, manifest: Manifest) -> Unbundled:
    says = []
    if project.id in studio.projects.ids():
        project = project.model_copy(update={"id": new_id("project"), "name": f"{project.name} (opened)"[:80]})
        says.append("A project of that id is here already: it was opened beside it.")
    try:
        studio.projects.create(project, "Opened from a bundle")
    except ChangeError as error:
        raise IntakeError(f"The project in the bundle cannot be used: {error.sentence}") from error
    if cut != Cut():
        studio.cuts.edit(project.id, 0, lambda before: (cut, "Opened from a bundle"))
    if manifest.missing:
        says.append(f"{len(manifest.missing)} files were not there when the bundle was made.")
    takes = [t for t in manifest.takes if not _has_take(studio, t)]
    if takes:
        says.append(f"The cut shows {len(takes)} takes that are not here: shoot them, or put others in their place.")
    return Unbundled(project.id, project.name, tuple(says))


def _has_take(studio: Studio, take_id: str) -> bool:
    try:
        studio.takes.get(take_id)
    except NotFoundError:
        return False
    return True
