"""`./cyc run`."""

from pathlib import Path
from typing import Annotated

import typer

from .options import HOME, LOCAL, AllowHost, Cluster, Host, Key, LensSamples, NoOpen, Port, sentences, shoot_on_cluster
from .serving import serve


def run(
    port: Port = 8765,
    data: Annotated[Path, typer.Option(help="Folder for your projects.")] = HOME / "studio",
    no_open: NoOpen = False,
    host: Host = LOCAL,
    allow_host: AllowHost = [],  # noqa: B006
    cluster: Cluster = None,
    key: Key = None,
    lens_samples: LensSamples = None,
    gallery: Annotated[bool, typer.Option("--gallery", help="Show a made-up portfolio service to post to.")] = False,
) -> None:
    """Start with your own projects."""
    with sentences():
        shoot_on_cluster(cluster)
    serve(data, host, port, no_open, allow_host, key, gallery, lens_samples)
