"""The layers of a USD model: which of several is the root, and that none is opened from outside of what came in.

USD resolves sublayers, references, payloads and value clips by path, wherever on the machine they lie. Every layer is
opened by itself first, and what leads out of the folder is taken out of it, in memory, before a stage is composed.
"""

from collections import deque
from collections.abc import Callable
from pathlib import Path

from pxr import Sdf, Tf, UsdUtils

from ...errors import IntakeError
from .files import USD_ENDINGS, unpack

Layers = list[Sdf.Layer]


def write_files(files: dict[str, bytes], folder: Path) -> None:
    """Write sent files below a folder, which is resolved. Raises IntakeError for a path that leads out of it."""
    for name, content in files.items():
        target = (folder / name).resolve()
        if not target.is_relative_to(folder):  # names were checked when they arrived
            raise IntakeError(f"‘{name[:80]}’ leads outside of the files that were sent.")
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(content)


def root_of(names: list[str], folder: Path) -> str:
    """Of several layers in a folder, the one that no other refers to. Raises IntakeError where that is not one."""
    left = dict.fromkeys(names)
    for name in names:
        layer = _opened(folder / name)
        for path in [] if layer is None else layer.GetCompositionAssetDependencies():
            target = _inside(path, folder / name, folder)
            if target is not None and target != (folder / name).resolve():
                left.pop(target.relative_to(folder).as_posix(), None)
    if len(left) == 1:
        return next(iter(left))
    several = list(left) or names
    raise IntakeError(
        f"There are {len(several)} USD files that no other refers to (‘{several[0]}’, ‘{several[1]}’ …). "
        "Bring in one at a time, with the files it refers to."
    )


def bound_to_folder(root: Path, folder: Path) -> tuple[Sdf.Layer, Layers, list[str]]:
    """The root layer, all layers that it leads to (to be held as long as its stage), and names of those that are
    missing or lie outside. Raises IntakeError when the root is no layer."""
    opened = _opened(root)
    if opened is None:
        raise IntakeError(f"‘{root.name}’ is damaged or not really a USD file. Export it again.")
    held, missing = {root: opened}, list[str]()
    waiting = deque([root])
    while waiting:
        path = waiting.popleft()

        def bound(reference: str, here: Path = path) -> str:
            if not reference or not _is_layer(reference, held[here]):
                return reference
            target = _inside(reference, here, folder)
            if target is None:
                missing.append(f"Layer ‘{_last(reference)}’")
                return ""
            if target.suffix.lower() == ".usdz":
                target, reference = _unpacked(target), ""
            if target not in held and target.suffix.lower() in USD_ENDINGS:
                layer = _opened(target)
                if layer is None:
                    missing.append(f"Layer ‘{_last(str(target))}’, which is damaged,")
                    return ""
                held[target] = layer
                waiting.append(target)
            return reference or str(target)

        _rewrite(held[path], bound)
    return opened, list(held.values()), missing


def _rewrite(layer: Sdf.Layer, change: Callable[[str], str]) -> None:
    layer.SetPermissionToEdit(True)
    UsdUtils.ModifyAssetPaths(layer, change)


def _opened(path: Path) -> Sdf.Layer | None:
    try:
        return Sdf.Layer.FindOrOpen(str(path))
    except Tf.ErrorException:
        return None


def _is_layer(reference: str, layer: Sdf.Layer) -> bool:
    """True when a path is that of a layer of the stage, not of a picture."""
    ending = _plain(reference).rsplit(".", 1)[-1].lower()
    return Sdf.FileFormat.FindByExtension(ending) is not None or reference in layer.GetCompositionAssetDependencies()


def _inside(reference: str, layer: Path, folder: Path) -> Path | None:
    """The file that a layer refers to, if it is among those that came in."""
    plain = _plain(reference).replace("\\", "/")
    for base in (layer.parent, folder):
        target = (base / plain).resolve()
        if target.is_relative_to(folder) and target.is_file():
            return target
    return None


def _plain(reference: str) -> str:
    """A path without arguments of its format, and without what lies inside of a package."""
    return reference.split(":SDF_FORMAT_ARGS:")[0].split("[")[0]


def _unpacked(package: Path) -> Path:
    """The first layer of a usdz, unpacked beside it. Raises IntakeError."""
    place = package.with_name(f"{package.name}.unpacked")
    files = unpack(package.name, package.read_bytes())
    root = next((name for name in files if name.lower().endswith(USD_ENDINGS[:3])), None)
    if root is None:
        raise IntakeError(f"‘{package.name}’ holds no USD layer. Export it again.")
    write_files(files, place.resolve())
    return (place / root).resolve()


def _last(reference: str) -> str:
    return _plain(reference).replace("\\", "/").rsplit("/", 1)[-1][:80]
