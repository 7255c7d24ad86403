"""`./cyc demo`."""

from pathlib import Path
from typing import Annotated

import typer

from .options import HOME, LOCAL, AllowHost, Cluster, Host, NoOpen, Port, sentences, shoot_on_cluster
from .serving import serve


def demo(
    port: Port = 8765,
    data: Annotated[Path, typer.Option(help="Folder for the demo's data.")] = HOME / "demo",
    no_open: NoOpen = False,
    host: Host = LOCAL,
    allow_host: AllowHost = [],  # noqa: B006  (typer reads it, nobody changes it)
    cluster: Cluster = None,
) -> None:
    """Start with the made-up studio's two projects. The data is written on first use."""
    from ..demo.write import write_demo

    with sentences():
        shoot_on_cluster(cluster)
        write_demo(data, lambda what: typer.echo(f"{what} …"))
    serve(data, host, port, no_open, allow_host, gallery=True)
