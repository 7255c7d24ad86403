"""The pictures that a model's materials use: looked at, mended where that is possible, and kept."""

from ..errors import IntakeError
from ..picture_files import usable_picture
from ..scene import Material, MaterialMaps, TextureRef
from ..scene.writing import revise
from .cache_keys import content_hash
from .read import FileModel
from .read.values import plain_material


def keep_pictures(model: FileModel, assets: dict[str, bytes]) -> list[Material]:
    """Materials whose references point to kept pictures; references to missing or broken ones are dropped and noted.

    Parts without a material get a plain one.
    """
    for part in model.parts:
        if not 0 <= part.material < len(model.materials):
            part.material = len(model.materials)
    if any(p.material == len(model.materials) for p in model.parts):
        model.materials.append(plain_material(len(model.materials)))
    shown = {p.material for p in model.parts}
    shown |= {m for p in model.parts for m in p.variants.values() if 0 <= m < len(model.materials)}
    used = {asset for i in shown for _, ref in model.materials[i].maps if ref is not None for asset in ref.assets}
    keys: dict[str, str] = {}
    for i, picture in enumerate(model.pictures):
        reference = f"picture:{i}"
        if reference not in used or not picture.data:
            continue
        try:
            data, note = usable_picture(picture.data, picture.name)
        except IntakeError as error:
            model.notes.append(f"{error.sentence} It is shown without it.")
            continue
        if note:
            model.notes.append(note)
        picture.data = b""
        keys[reference] = content_hash(data)
        assets[keys[reference]] = data

    def kept(ref: TextureRef | None) -> TextureRef | None:
        left = [] if ref is None else [keys[asset] for asset in ref.assets if asset in keys]
        if ref is None or not left:
            return None
        return revise(ref, asset=left[0], tiles=tuple(keys.get(asset, "") for asset in ref.tiles))

    painted = {p.material for p in model.parts if p.colours is not None}
    return [
        revise(m, maps=MaterialMaps(**{name: kept(ref) for name, ref in m.maps if ref}), vertex_colours=i in painted)
        for i, m in enumerate(model.materials)
    ]
