"""What is kept, packed to be taken elsewhere: a plain zip of JSON, pictures and models, and how one is unpacked.

materials/Brass.json, rigs/…, moves/…, stock/…   documents as they are kept
files/<hash>.png, .exr, .npz, …                  what they refer to, under the hash of its content
gltf/Brass.gltf                                  materials as glTF, as far as that goes, with its pictures
"""

import io
import json
import re
import zipfile
from collections.abc import Iterator
from typing import Any

from pydantic import ValidationError

from ..core.errors import IntakeError
from ..core.geometry.kept import content_hash, measures_key, rig_key, standin_key, standin_source_key
from ..core.geometry.measure import Measures
from ..core.geometry.mesh import Mesh
from ..core.geometry.rig import Rig
from ..core.picture.decode import decode_picture
from ..core.picture.linear import read_linear
from ..core.scene import Material
from ..core.scene.saved_material import SavedMaterial
from ..core.scene.stocked import Stocked, StockedModel
from ..core.stock.gltf import gltf_of
from .shelf import Shelf
from .studio import Studio
from .tidy import keys_in

MOST_BYTES, MOST_FILES = 1 << 30, 20_000
_MAGIC = ((b"\x89PNG", ".png"), (b"\xff\xd8", ".jpg"), (b"\x76\x2f\x31\x01", ".exr"), (b"#?", ".hdr"),
          (b"II*\0", ".tif"), (b"MM\0*", ".tif"), (b"RIFF", ".webp"))  # fmt: skip
_BESIDE = (measures_key, rig_key, standin_key, standin_source_key)


def shelves_of(studio: Studio) -> dict[str, Shelf[Any]]:
    """All shelves by the names of their folders."""
    return {"materials": studio.materials, "rigs": studio.rigs, "moves": studio.moves, "stock": studio.stock}


def packed(studio: Studio, wanted: list[tuple[str, str]]) -> bytes:
    """A zip of things that are kept, each told by shelf and id. Raises NotFoundError."""
    buffer, files = io.BytesIO(), dict[str, bytes]()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as box:
        names = set[str]()
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
    """What is kept under a model's key beside its mesh."""
    for beside in _BESIDE:
        if studio.assets.has(beside(key)):
            files[beside(key)] = studio.assets.get(beside(key))


def _materials(one: object) -> tuple[Material, ...]:
    if isinstance(one, SavedMaterial):
        return (one.material.model_copy(update={"name": one.name}),)
    return one.content.materials if isinstance(one, Stocked) and isinstance(one.content, StockedModel) else ()


def _write_gltf(box: zipfile.ZipFile, material: Material, files: dict[str, bytes], names: set[str]) -> None:
    document, lost = gltf_of(material, lambda key: f"../files/{key}{_ending(files.get(key, b''))}")
    if lost:
        document["materials"][0]["extras"] = {"notSaid": lost}
    box.writestr(f"gltf/{_free(f'{material.name} (glTF)', names)}.gltf", json.dumps(document, indent=1))


def unpacked(studio: Studio, data: bytes) -> list[str]:
    """Put what a zip holds into the stockroom; the names of what came in.

    Everything is read and checked before anything is kept. Raises IntakeError with a sentence.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as box:
            entries = [e for e in box.infolist() if not e.is_dir()]
            if len(entries) > MOST_FILES or sum(e.file_size for e in entries) > MOST_BYTES:
                raise IntakeError("That box is larger than 1 GB. Take things over in smaller ones.")
            contents = {e.filename: box.read(e) for e in entries}
    except (zipfile.BadZipFile, RuntimeError, NotImplementedError, EOFError, OSError) as error:
        raise IntakeError("That is no zip that can be opened. Export it from the stockroom again.") from error
    coming = list(_documents(studio, contents))
    if not coming:
        raise IntakeError("Nothing in that zip belongs into the stockroom.")
    files = _files(contents)
    for _, one in coming:
        missing = [k for k in keys_in(one.model_dump_json()) if k not in files and not studio.assets.has(k)]
        if missing and not isinstance(one, Stocked):
            raise IntakeError(f"‘{one.name}’ refers to a picture that is not in the zip.")
    studio.assets.put_all({key: data for key, data in files.items() if not studio.assets.has(key)})
    return [shelf.keep(one).name for shelf, one in coming]


def _documents(studio: Studio, contents: dict[str, bytes]) -> Iterator[tuple[Shelf[Any], Any]]:
    for name, data in sorted(contents.items()):
        folder, _, rest = name.partition("/")
        shelf = shelves_of(studio).get(folder)
        if shelf is None or not rest.endswith(".json"):
            continue
        try:
            yield shelf, shelf.read(data)
        except ValidationError as error:
            raise IntakeError(f"‘{rest}’ in that zip is damaged, or of a newer version.") from error


def _files(contents: dict[str, bytes]) -> dict[str, bytes]:
    """Files by their keys; what can be looked at was, and is what its name says."""
    files = {}
    for name, data in contents.items():
        found = re.fullmatch(r"files/([0-9a-f]{32})(\.[a-z]+)*(\.[a-z0-9]+)", name)
        if found is None:
            continue
        key = name.removeprefix("files/")
        key = key.removesuffix(_ending(data))
        files[key] = data
        _check(key, data)
    return files


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
        elif data[:2] == b"PK":  # what a model was made from: it is read, with limits, when it is made again
            return
        elif data[:4] == b"\x76\x2f\x31\x01" or data[:2] == b"#?":
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
