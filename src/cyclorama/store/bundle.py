"""A project as one file, to be opened on another machine to the same bits: a zip of its documents, its files by hash,
and a list of all with their sums.

manifest.json          what is in it, with sums and sizes; what it knows to be missing
project.json           the document
cut.json               its cut
files/<key>            models, pictures, sounds and what was measured of them
takes/<id>/            takes, where they were wanted: slate, frames and their files

Of takes that are not in it the cut keeps the places, and says so where they are not there.
"""

import hashlib
import json
import tempfile
import zipfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

from pydantic import BaseModel, Field

from ..core.bounded_zip import BoundedZip
from ..core.cut.document import Cut
from ..core.errors import ChangeError, IntakeError, NotFoundError
from ..core.geometry.cache_keys import measures_key, rig_key, standin_key, standin_source_key
from ..core.scene import Project, load_project
from ..core.scene.base import new_id
from ..core.scene.writing import revise
from ..version import PROGRAM_VERSION
from .assets import put_in_place
from .bundled_takes import FOLDER as TAKES
from .bundled_takes import Show, TakesIn, is_take_file, keep_take, pack_take
from .garbage import keys_in
from .studio import Studio, report_key
from .takes import TakeRecord

KIND = "cyclorama project"
MOST_FILES, MOST_BYTES = 50_000, 40 << 30
MOST_DOCUMENT_BYTES = 64 << 20
VERSION = 2
"""Of bundles with takes; those without are of version 1, which earlier programs open."""
DAMAGED_ENTRY = "‘{}’ in the bundle is damaged. Make the bundle again."
_BESIDE = (measures_key, rig_key, standin_key, standin_source_key, report_key)
Sum = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
TakePath = Annotated[str, Field(pattern=r"^takes/[a-z0-9-]{1,120}/", max_length=400)]
Key = Annotated[str, Field(pattern=r"^[0-9a-f]{32}(\.[a-z]+)*$")]


class Entry(BaseModel):
    """A file of a bundle."""

    sha256: Sum
    bytes: Annotated[int, Field(ge=0)]


class Manifest(BaseModel):
    """Contents of a bundle."""

    kind: str
    version: Annotated[int, Field(ge=1, le=VERSION)]
    name: str
    documents: dict[str, Entry]
    files: Annotated[dict[Key, Entry], Field(max_length=MOST_FILES)]
    missing: list[str] = []
    """files that the documents refer to and that were not there when it was made"""
    takes: list[str] = []
    """takes that the cut refers to"""
    take_files: Annotated[dict[TakePath, Entry], Field(max_length=MOST_FILES)] = {}
    """files of takes"""
    made_by: Annotated[str, Field(max_length=40)] = ""
    """version of the program"""


@dataclass(frozen=True, slots=True)
class Unbundled:
    """A project that came out of a bundle."""

    id: str
    name: str
    says: tuple[str, ...]
    """what is not as it was"""


def pack_bundle(
    studio: Studio,
    project_id: str,
    target: Path,
    tell: Callable[[float], None] = lambda share: None,
    takes_in: TakesIn = "none",
    masters_only: bool = False,
) -> Manifest:
    """Write a project, its cut and all files they need. `tell` hears which share is done, and may raise to stop.

    masters_only: takes without pictures and passes. Raises NotFoundError, DamagedError.
    """
    project, cut = studio.projects.get(project_id).project, studio.cuts.get(project_id).cut
    documents = {"project.json": project.model_dump_json(), "cut.json": cut.model_dump_json()}
    takes = takes_for(studio, project_id, takes_in)
    slates = (take.project.model_dump_json() for take in takes)  # a take may show what the project has no more
    needed = sorted(set().union(*map(keys_in, (*documents.values(), *slates))))
    missing = [key for key in needed if not studio.assets.has(key)]
    keys = [k for key in needed for k in (key, *(of(key) for of in _BESIDE)) if studio.assets.has(k)]
    part = target.with_name(f".{target.name}.part")
    try:
        with (
            tempfile.TemporaryDirectory(dir=target.parent) as scratch,
            zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as box,
        ):
            told = {name: _put(box, name, text.encode()) for name, text in documents.items()}
            files = {}
            takes_share = 0.9 if takes else 0.0
            for i, key in enumerate(keys):
                tell((1 - takes_share) * i / len(keys))
                files[key] = _put(box, f"files/{key}", studio.assets.get(key))
            of_takes = {}
            for i, take in enumerate(takes):
                for name, path in pack_take(take, masters_only, Path(scratch)):
                    of_takes[name] = _put(box, name, path.read_bytes(), zipfile.ZIP_STORED)
                    tell(1 - takes_share + takes_share * i / len(takes))
            manifest = Manifest(
                kind=KIND,
                version=VERSION if takes else 1,
                name=project.name,
                documents=told,
                files=files,
                missing=missing,
                takes=sorted(cut.take_ids),
                take_files=of_takes,
                made_by=PROGRAM_VERSION,
            )
            box.writestr("manifest.json", manifest.model_dump_json(indent=1))
        put_in_place(part, target)
        return manifest
    finally:
        part.unlink(missing_ok=True)


def takes_for(studio: Studio, project_id: str, takes_in: TakesIn) -> list[TakeRecord]:
    """Takes with finished frames that go into a bundle."""
    if takes_in == "none":
        return []
    wanted = studio.takes.ids(project_id)
    if takes_in == "used":
        shown = studio.cuts.get(project_id).cut.take_ids
        wanted = [take_id for take_id in wanted if take_id in shown]
    return [take for take in map(studio.takes.get, wanted) if take.frames]


def _put(box: zipfile.ZipFile, name: str, data: bytes, packing: int = zipfile.ZIP_DEFLATED) -> Entry:
    box.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), data, packing)
    return Entry(sha256=hashlib.sha256(data).hexdigest(), bytes=len(data))


def is_bundle(path: Path) -> bool:
    """True when a file may be a bundle: a zip with what every bundle has."""
    try:
        with zipfile.ZipFile(path) as box:
            return {"manifest.json", "project.json", "cut.json"} <= set(box.namelist())
    except (OSError, ValueError, EOFError, RuntimeError, zipfile.BadZipFile):
        return False


class Examined(BaseModel):
    """Contents of a bundle, every file compared with its sum; the files lie in a folder by their keys."""

    manifest: Manifest
    project: str
    cut: str


def examine_bundle(path: Path, folder: Path, tell: Callable[[float], None] = lambda share: None) -> Examined:
    """Unpack a bundle into a folder, and compare every file with its sum.

    `tell` hears which share of that is done, and may raise to stop. Raises IntakeError with a sentence when something
    is damaged, missing, too large, or made by a newer version.
    """
    with BoundedZip(path, "The bundle", MOST_FILES, MOST_BYTES) as box:
        manifest = _manifest(box)
        for i, (key, entry) in enumerate(manifest.files.items()):
            tell(i / len(manifest.files))
            if box.extract(f"files/{key}", folder / key) != (entry.sha256, entry.bytes):
                raise IntakeError(DAMAGED_ENTRY.format(key))
        for i, (name, entry) in enumerate(manifest.take_files.items()):
            tell(i / len(manifest.take_files))
            take_id, _, file = name.removeprefix("takes/").partition("/")
            if not is_take_file(file):
                raise IntakeError(DAMAGED_ENTRY.format(name))
            target = folder / TAKES / take_id / file
            target.parent.mkdir(parents=True, exist_ok=True)
            if box.extract(name, target) != (entry.sha256, entry.bytes):
                raise IntakeError(DAMAGED_ENTRY.format(name))
        documents = [_document(box, name, manifest) for name in ("project.json", "cut.json")]
    examined = Examined(manifest=manifest, project=documents[0], cut=documents[1])
    project, cut = _parsed(examined)
    lacking = [k for k in _needed(project, cut) if k not in manifest.files and k not in manifest.missing]
    if lacking:
        raise IntakeError(f"The bundle lacks {len(lacking)} files that its project needs. Make it again.")
    return examined


def keep_bundle(studio: Studio, examined: Examined, folder: Path, show: Show) -> Unbundled:
    """Keep the project of an examined bundle, under another id where its own is taken, with its takes. Raises
    IntakeError."""
    project, cut = _parsed(examined)
    for key in examined.manifest.files:
        studio.assets.keep_file(key, folder / key)
    return _kept(studio, project, cut, examined.manifest, folder / TAKES, show)


def open_bundle(
    studio: Studio, path: Path, show: Show, tell: Callable[[float], None] = lambda share: None
) -> Unbundled:
    """Take a project out of a bundle in this process; see `examine_bundle` and `keep_bundle`."""
    place = studio.folder / "incoming"
    place.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory(dir=place) as folder:
        return keep_bundle(studio, examine_bundle(path, Path(folder), tell), Path(folder), show)


def _parsed(examined: Examined) -> tuple[Project, Cut]:
    try:
        return load_project(examined.project), Cut.model_validate_json(examined.cut)
    except ChangeError as error:
        raise IntakeError(f"The project in the bundle cannot be used: {error.sentence}") from error
    except ValueError as error:
        raise IntakeError("The cut in the bundle is damaged. Make the bundle again.") from error


def _needed(project: Project, cut: Cut) -> set[str]:
    return keys_in(project.model_dump_json()) | keys_in(cut.model_dump_json())


def _manifest(box: BoundedZip) -> Manifest:
    try:
        told = json.loads(box.read("manifest.json", MOST_DOCUMENT_BYTES))
        if told.get("kind") != KIND:
            raise IntakeError("That zip is no bundle of a project.")
        if isinstance(told.get("version"), int) and told["version"] > VERSION:
            raise IntakeError("This bundle was made by a newer version of Cyclorama. Update the program to open it.")
        return Manifest.model_validate(told)
    except (ValueError, AttributeError) as error:
        raise IntakeError("The list of what is in the bundle is damaged. Make the bundle again.") from error


def _document(box: BoundedZip, name: str, manifest: Manifest) -> str:
    data, entry = box.read(name, MOST_DOCUMENT_BYTES), manifest.documents.get(name)
    if entry is None or (hashlib.sha256(data).hexdigest(), len(data)) != (entry.sha256, entry.bytes):
        raise IntakeError(DAMAGED_ENTRY.format(name))
    return data.decode("utf-8", "replace")


def _kept(studio: Studio, project: Project, cut: Cut, manifest: Manifest, takes_folder: Path, show: Show) -> Unbundled:
    says = []
    if project.id in studio.projects.ids(binned=True):
        project = revise(project, id=new_id("project"), name=f"{project.name} (opened)"[:80])
        says.append("A project of that id is here already: it was opened beside it.")
    try:
        studio.projects.create(project, "Opened from a bundle")
    except ChangeError as error:
        raise IntakeError(f"The project in the bundle cannot be used: {error.sentence}") from error
    if cut != Cut():
        studio.cuts.edit(project.id, 0, lambda before: (cut, "Opened from a bundle"))
    came = 0
    for folder in sorted(takes_folder.glob("*")):
        try:
            came += keep_take(studio, folder, project, show) is not None
        except IntakeError as error:  # the project and its other takes are whole
            says.append(error.sentence)
    if came:
        says.append("One take came along." if came == 1 else f"{came} takes came along.")
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
