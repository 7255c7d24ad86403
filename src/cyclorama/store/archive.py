"""Archive of stock: a plain zip of JSON, pictures and models, packed and unpacked.

cyclorama.json                                   of which version the zip is
materials/Brass.json, rigs/…, moves/…, stock/…   documents as they are kept
files/<hash>.png, .exr, .npz, …                  what they refer to, under the hash of its content
gltf/Brass.gltf                                  materials as glTF, as far as that goes, with its pictures
"""

import io
import json
import re
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ValidationError

from ..core.bounded_zip import BoundedZip
from ..core.delivery.destinations import Destination
from ..core.errors import IntakeError
from ..core.geometry.cache_keys import content_hash, measures_key, rig_key, standin_key, standin_source_key
from ..core.geometry.measure import Measures
from ..core.geometry.mesh import Mesh
from ..core.geometry.rig import Rig
from ..core.picture.linear import read_linear
from ..core.picture_files import decode_picture
from ..core.scene import Material, assets_of
from ..core.scene.saved_material import SavedMaterial
from ..core.scene.saved_move import SavedMove
from ..core.scene.saved_rig import SavedRig
from ..core.scene.stocked import Stocked, StockedModel
from ..core.scene.writing import revise
from ..core.stock.gltf import gltf_of
from .garbage import keys_in
from .library import Shelf
from .studio import Studio

MOST_BYTES, MOST_FILES, MOST_DOCUMENT_BYTES = 1 << 30, 20_000, 16 << 20
VERSIONED, VERSION = "cyclorama.json", 1
_FILE = re.compile(r"files/([0-9a-f]{32}(?:\.[a-z]+)*)\.[a-z0-9]+")
_MAGIC = (
    (b"\x89PNG", ".png"),
    (b"\xff\xd8", ".jpg"),
    (b"\x76\x2f\x31\x01", ".exr"),
    (b"#?", ".hdr"),
    (b"II*\0", ".tif"),
    (b"MM\0*", ".tif"),
    (b"RIFF", ".webp"),
)
KINDS: dict[str, type[BaseModel]] = {
    "materials": SavedMaterial,
    "rigs": SavedRig,
    "moves": SavedMove,
    "stock": Stocked,
    "destinations": Destination,
}
"""What lies on which shelf."""
_BESIDE = (measures_key, rig_key, standin_key, standin_source_key)


ShelfName = Literal["materials", "rigs", "moves", "stock", "destinations"]
"""Names of all shelves, for requests."""


def shelves_of(studio: Studio) -> dict[str, Shelf[Any]]:
    """All shelves by the names of their folders."""
    return {name: getattr(studio, name) for name in KINDS}


def pack_archive(studio: Studio, wanted: list[tuple[str, str]]) -> bytes:
    """A zip of things that are kept, each told by shelf and id. Raises NotFoundError."""
    buffer, files = io.BytesIO(), dict[str, bytes]()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as box:
        names = set[str]()
        box.writestr(VERSIONED, json.dumps({"kind": "cyclorama stock", "version": VERSION}))
        for shelf, identity in wanted:
            one = shelves_of(studio)[shelf].one(identity)
            text = one.model_dump_json(indent=1)
            box.writestr(f"{shelf}/{_free(one.name, names)}.json", text)
            for key in keys_in(text):
                if key not in files and studio.assets.has(key):
                    files[key] = studio.assets.get(key)
                    if isinstance(one, Stocked) and isinstance(one.content, StockedModel):
                        _put_beside(studio, key, files)
            for material in _materials(one):
                _write_gltf(box, material, files, names)
        for key, data in sorted(files.items()):
            box.writestr(f"files/{key}{_ending(data)}", data)
    return buffer.getvalue()


def _put_beside(studio: Studio, key: str, files: dict[str, bytes]) -> None:
    """Files kept under a model's key beside its mesh."""
    for beside in _BESIDE:
        if studio.assets.has(beside(key)):
            files[beside(key)] = studio.assets.get(beside(key))


def _materials(one: object) -> tuple[Material, ...]:
    if isinstance(one, SavedMaterial):
        return (revise(one.material, name=one.name),)
    return one.content.materials if isinstance(one, Stocked) and isinstance(one.content, StockedModel) else ()


def _write_gltf(box: zipfile.ZipFile, material: Material, files: dict[str, bytes], names: set[str]) -> None:
    document, lost = gltf_of(material, lambda key: f"../files/{key}{_ending(files.get(key, b''))}")
    if lost:
        document["materials"][0]["extras"] = {"notSaid": lost}
    box.writestr(f"gltf/{_free(f'{material.name} (glTF)', names)}.gltf", json.dumps(document, indent=1))


class ExaminedBox(BaseModel):
    """Contents of an archive, read and checked; the files lie in a folder by their keys."""

    documents: list[tuple[str, str]]
    """shelf, and the document as JSON"""
    files: list[str]


def examine_box(path: Path, folder: Path) -> ExaminedBox:
    """Unpack a box into a folder, and check all that it holds. Raises IntakeError with a sentence."""
    with BoundedZip(path, "The zip", MOST_FILES, MOST_BYTES) as box:
        if VERSIONED in box.names:
            _check_version(box.read(VERSIONED, MOST_DOCUMENT_BYTES))
        documents = list(_documents(box))
        if not documents:
            raise IntakeError("Nothing in that zip belongs into the stockroom.")
        files = []
        for name in sorted(box.names):
            found = _FILE.fullmatch(name)
            if found is None:
                continue
            key = found[1]
            box.extract(name, folder / key)
            data = (folder / key).read_bytes()
            if name != f"files/{key}{_ending(data)}":
                raise IntakeError(f"The file {key} in that zip is not what its name says.")
            _check(key, data)
            files.append(key)
    return ExaminedBox(documents=documents, files=files)


def keep_box(studio: Studio, examined: ExaminedBox, folder: Path) -> list[str]:
    """Put what an examined box holds into the stockroom; the names of what came in.

    Nothing is kept when something in it refers to what is neither there nor here: raises IntakeError then.
    """
    coming = [(shelf, KINDS[shelf].model_validate_json(document)) for shelf, document in examined.documents]
    for _, one in coming:
        if any(key not in examined.files and not studio.assets.has(key) for key in _needed(one)):
            raise IntakeError(f"‘{one.name}’ refers to a file that is not in the zip.")  # type: ignore[attr-defined]
    for key in examined.files:
        studio.assets.keep_file(key, folder / key)
    return [shelves_of(studio)[shelf].keep(one).name for shelf, one in coming]


def _needed(one: BaseModel) -> set[str]:
    """Files without which it is nothing. A model is there without what it was made from, but not without measures."""
    if isinstance(one, Stocked) and isinstance(one.content, StockedModel):
        item = one.content.item
        return (assets_of(one) | {measures_key(item.asset), standin_key(item.asset)}) - {item.source}
    return assets_of(one)


def _documents(box: BoundedZip) -> Iterator[tuple[str, str]]:
    """Documents of an archive, as JSON, and their shelf."""
    for name in sorted(box.names):
        folder, _, rest = name.partition("/")
        if folder not in KINDS or not rest.endswith(".json"):
            continue
        try:
            yield folder, KINDS[folder].model_validate_json(box.read(name, MOST_DOCUMENT_BYTES)).model_dump_json()
        except ValidationError as error:
            raise IntakeError(f"‘{rest}’ in that zip is damaged.") from error


def _check_version(data: bytes) -> None:
    try:
        version = int(json.loads(data)["version"])
    except (ValueError, KeyError, TypeError) as error:
        raise IntakeError("That zip does not say of which version it is. Export it again.") from error
    if version > VERSION:
        raise IntakeError("This zip was made by a newer version of Cyclorama. Update the program to open it.")


def _check(key: str, data: bytes) -> None:
    """Raises IntakeError when a file cannot be used."""
    try:
        if key.endswith(".measures"):
            Measures.from_bytes(data)
        elif key.endswith(".rig"):
            Rig.from_bytes(data)
        elif "." in key:  # the stand-in, which the browser reads
            return
        elif content_hash(data) != key:  # only a mesh is kept under another name than its content's
            Mesh.from_bytes(data)
        elif _ending(data) == ".zip":  # sources of a model are read, with limits, when it is made again
            return
        elif _ending(data) in (".exr", ".hdr"):
            read_linear(data, "environment")
        else:
            decode_picture(data, "picture")
    except (ValueError, KeyError, OSError, zipfile.BadZipFile, TypeError) as error:
        raise IntakeError(f"The file {key} in that zip is damaged.") from error


def _ending(data: bytes) -> str:
    if data.startswith(b"PK"):
        return ".npz" if b"vertices.npy" in data[:64] else ".zip"
    return next((ending for magic, ending in _MAGIC if data.startswith(magic)), ".bin")


def _free(name: str, names: set[str]) -> str:
    """The name as a file's, which no other in the zip has."""
    base = re.sub(r"[^\w .,()-]", "_", name).strip(". ") or "thing"
    found, number = base, 2
    while found in names:
        found, number = f"{base} {number}", number + 1
    names.add(found)
    return found
