"""Map tiles (UDIM): maps in several pictures, each for one square of texture coordinates."""

from ...scene import MaterialMaps
from ...textures import FIRST_TILE
from ...words import count
from .files import FileBundle
from .model import FileModel


def take_tiles(model: FileModel, bundle: FileBundle) -> None:
    """Give maps all tiles that lie beside the one they refer to, and say so.

    Maps of one tile stay as they are: where it has the number of the first, they would look the same.
    """
    tiles: dict[str, tuple[str, ...]] = {}
    for number, picture in enumerate(list(model.pictures)):
        found = bundle.tiles(picture.name)
        if len(found) < 2:
            continue
        first, files = min(found), bundle.all()
        own = next((k for k, path in found.items() if files[path] == picture.data), first)
        references = {k: model.keep_picture(picture.name, files[path]) for k, path in found.items() if k != own}
        references[own] = f"picture:{number}"
        places = range(FIRST_TILE, max(found) + 1)
        tiles[f"picture:{number}"] = tuple(references.get(k, "") for k in places)
        model.notes.append(f"‘{picture.name}’ comes in {count(len(found), 'map tile')}, {first} to {max(found)}.")
    for i, material in enumerate(model.materials if tiles else ()):
        changed = {
            slot: ref.model_copy(update={"asset": next(filter(None, tiles[ref.asset])), "tiles": tiles[ref.asset]})
            for slot, ref in material.maps
            if ref is not None and ref.asset in tiles
        }
        if changed:
            maps = MaterialMaps(**{**dict(material.maps), **changed})
            model.materials[i] = material.model_copy(update={"maps": maps})
