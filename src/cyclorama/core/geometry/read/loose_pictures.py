"""Pictures that lie beside a model and that it does not mention: laid on by what their names end with."""

import re
from pathlib import PurePosixPath
from typing import Any

from ...scene import Material, TextureRef
from .files import TILE_NUMBER, FileBundle
from .model import FileModel
from .names import label
from .values import DEFAULT_EMISSION_NIT

_ENDINGS = {
    "base_color": ("basecolor", "basecolour", "albedo", "diffuse", "diff", "color", "colour", "col"),
    "normal": ("normal", "normalgl", "nrm", "nor"),
    "specular_roughness": ("roughness", "rough"),
    "base_metalness": ("metalness", "metallic", "metal"),
    "opacity": ("opacity", "alpha"),
    "height": ("height", "displacement", "disp", "bump"),
    "emission_color": ("emissive", "emission", "emit"),
    "": ("ao", "occlusion", "ambientocclusion"),
}
"""Maps and the endings that name them; the last ones are only told of."""
_SLOT = {ending: slot for slot, endings in _ENDINGS.items() for ending in endings}
_WORDS = {
    "base_color": "base colour",
    "specular_roughness": "roughness",
    "base_metalness": "metalness",
    "emission_color": "emission",
}
PICTURE_ENDINGS = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".tga", ".bmp")


def lay_on_loose_pictures(model: FileModel, bundle: FileBundle) -> None:
    """Give materials the maps that they lack, from pictures beside the model, and say so.

    A picture belongs to the materials whose name is in its own; when it is in none, to all that have no map at all.
    Parts without texture coordinates take none.
    """
    known = {p.name for p in model.pictures}
    for path, data in bundle.all().items():
        name = PurePosixPath(path).name
        stem, slot = _told_by(name)
        tiles = bundle.tiles(name)
        if len(tiles) > 1 and path != tiles[min(tiles)]:
            continue  # the first stands for all (see `map_tiles`)
        if slot is None or not name.lower().endswith(PICTURE_ENDINGS) or label(name) in known or not data:
            continue
        wanted = [i for i in _belonging(model, stem) if slot == "" or getattr(model.materials[i].maps, slot) is None]
        if not wanted:
            continue
        if slot == "":
            model.notes.append(f"‘{name}’ is painted occlusion and left out; real light makes its own.")
            continue
        reference = model.keep_picture(label(name), data)
        for i in wanted:
            model.materials[i] = _with_map(model.materials[i], slot, TextureRef(asset=reference, name=label(name)))
        names = ", ".join(f"‘{model.materials[i].name}’" for i in wanted[:3]) + (" …" if len(wanted) > 3 else "")
        model.notes.append(f"‘{name}’ is laid on {names} as {_WORDS.get(slot, slot)}, by its name.")


def _told_by(name: str) -> tuple[str, str | None]:
    """Subject and map of a loose picture, by its name; None where that does not say."""
    words = re.split(r"[_\-. ]+", PurePosixPath(TILE_NUMBER.sub("", name)).stem.rstrip("._-"))
    for count in (2, 1):  # base_color and ambient_occlusion are two words
        ending = "".join(words[-count:]).lower()
        if len(words) > count and ending in _SLOT:
            return _plain("".join(words[:-count])), _SLOT[ending]
    return "", None


def _belonging(model: FileModel, stem: str) -> list[int]:
    mapped = {p.material for p in model.parts if p.uvs is not None and 0 <= p.material < len(model.materials)}
    plain = [_plain(m.name) for m in model.materials]
    named = [i for i, name in enumerate(plain) if name and name in stem]
    # those that others have been laid on by name before are no longer without a map, but still nameless
    bare = [
        i
        for i in sorted(mapped)
        if all(ref is None or (ref.name and _told_by(ref.name)[1]) for _, ref in model.materials[i].maps)
    ]
    return [i for i in named if i in mapped] if named else bare


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]", "", name.lower())


def _with_map(material: Material, slot: str, ref: TextureRef) -> Material:
    """The material with a map, what it multiplies brought to 1."""
    update: dict[str, Any] = {"maps": material.maps.model_copy(update={slot: ref})}
    if slot in ("base_color", "emission_color"):
        update[slot] = (1.0, 1.0, 1.0)
    elif slot in ("specular_roughness", "base_metalness"):
        update[slot] = 1.0
    if slot == "emission_color" and material.emission_luminance == 0:
        update["emission_luminance"] = DEFAULT_EMISSION_NIT
    return material.model_copy(update=update)
