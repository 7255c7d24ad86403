"""`./cyc worker` and `./cyc scheduler`: machines that shoot for every studio."""

import os
import socket
from typing import Annotated

import typer

from .options import LOCAL, sentences


def worker(
    cluster: Annotated[str, typer.Argument(help="Address that the scheduler told, tcp://name:8786 say.")],
    name: Annotated[str | None, typer.Option(help="What the shoot log calls this machine.")] = None,
    cores: Annotated[int | None, typer.Option(help="Work with so many cores and leave the others alone.")] = None,
) -> None:
    """Let this machine shoot for every studio on a cluster. Needs nothing but the program; files come by themselves."""
    from ..shoot.farm.machine import work_for

    with sentences():
        work_for(cluster, name or f"{socket.gethostname()} {os.getpid()}", typer.echo, cores)


def scheduler(
    host: Annotated[
        str, typer.Option(help="Address to listen at; 0.0.0.0 for the network. Mind who reaches it.")
    ] = LOCAL,
    port: Annotated[int, typer.Option(min=1, max=65535)] = 8786,
) -> None:
    """Bring studios and machines together: who reaches it can run programs on all of them, so keep it among friends."""
    from ..shoot.farm.machine import schedule

    with sentences():
        schedule(host, port, typer.echo)
