"""Reading of models and bundles, in a process of its own."""

from pathlib import Path

from ..core.errors import telling_of_space
from ..core.geometry.cache_keys import Intake
from ..core.scene import Detail
from ..core.scene.writing import revise
from ..store import AssetStore
from ..store.bundle import Examined, examine_bundle
from .confined_results import Tell


def examine_in_child(tell: Tell, path: Path) -> Examined:
    return examine_bundle(path, path.parent, lambda share: tell("Comparing every file with its sum", share))


def read_and_keep(tell: Tell, paths: dict[str, str], kept: Path) -> Intake:
    # the readers and their libraries are loaded here only, they would double the time the studio takes to start
    from ..core.geometry.intake import take_in
    from ..core.geometry.read.files import pack_sources

    files = {name: Path(path) for name, path in paths.items()}
    intake = take_in({name: path.read_bytes() for name, path in files.items()}, tell)
    # written here, so that the studio never holds what may be gigabytes, and moved by it afterwards
    store = AssetStore(kept)
    archive = kept.with_name("source.zip")
    with telling_of_space():
        pack_sources(files, archive)
    source = store.take(archive)
    return keep_intake(store, intake, source)


def read_again(tell: Tell, source: str, detail: Detail, off: float, assets: Path, kept: Path) -> Intake:
    from ..core.geometry.detail import DetailRequest
    from ..core.geometry.intake import take_in

    files = {"source.zip": AssetStore(assets).get(source)}
    return keep_intake(AssetStore(kept), take_in(files, tell, DetailRequest(detail, off)), source)


def keep_intake(store: AssetStore, intake: Intake, source: str) -> Intake:
    store.put_all(intake.assets)
    intake.assets = {}
    intake.item = revise(intake.item, source=source)
    return intake
