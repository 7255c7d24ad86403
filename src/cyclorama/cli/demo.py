"""`./cyc demo`."""

import subprocess
import sys
from pathlib import Path
from typing import Annotated

import typer

from .options import HOME, LOCAL, AllowHost, Cluster, Host, Key, NoOpen, Port, sentences, shoot_on_cluster
from .serving import serve


def demo(
    port: Port = 8765,
    data: Annotated[Path, typer.Option(help="Folder for the demo's data.")] = HOME / "demo",
    no_open: NoOpen = False,
    host: Host = LOCAL,
    allow_host: AllowHost = [],  # noqa: B006  (typer reads it, nobody changes it)
    cluster: Cluster = None,
    key: Key = None,
) -> None:
    """Start with the made-up studio's projects. They are built on first use, while the studio is open."""
    from ..demo.write import NAMES, POSTERS, missing_projects
    from ..store import open_studio

    with sentences():
        shoot_on_cluster(cluster)
        studio = open_studio(data)
        builder = _builder(data) if missing_projects(studio) else None

        def building() -> dict[str, Path]:
            """Posters of projects that are still being built, by their names."""
            if builder is None or builder.poll() is not None:
                return {}
            return {NAMES[key]: POSTERS / f"{key}.jpg" for key in missing_projects(studio)}

    try:
        serve(data, host, port, no_open, allow_host, key, gallery=True, building=building)
    finally:
        if builder is not None:
            builder.terminate()
        studio.close()


def _builder(data: Path) -> "subprocess.Popen[bytes]":
    """A process that builds the demo projects: it takes all of a core, and the studio is to answer meanwhile."""
    return subprocess.Popen([sys.executable, "-m", "cyclorama.demo", str(data), "--patient"])
