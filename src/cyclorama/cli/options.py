"""Options that several commands share, and errors as sentences in the terminal."""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated

import typer

LOCAL = "127.0.0.1"
HOME = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "cyclorama"

Port = Annotated[int, typer.Option(min=0, max=65535, help="The next free port is taken if it is in use; 0 takes any.")]
Host = Annotated[
    str, typer.Option(help="Address to listen at. Beyond this machine, 0.0.0.0 say, the studio asks for a key.")
]
AllowHost = Annotated[list[str], typer.Option(help="Another name under which the studio may be opened.")]
Key = Annotated[
    str | None,
    typer.Option(envvar="CYC_KEY", help="Key that the studio asks for, at least 16 letters; else it makes its own."),
]
Cluster = Annotated[
    str | None, typer.Option(envvar="CYC_CLUSTER", help="Scheduler of a cluster that shoots, tcp://name:8786 say.")
]
NoOpen = Annotated[bool, typer.Option("--no-open", help="Do not open a browser window.")]
LensSamples = Annotated[
    int | None, typer.Option(min=2, max=256, help="Samples at which the lens is done; fewer spare a small machine.")
]
Data = Annotated[Path, typer.Option(help="Data folder.")]
Preset = Annotated[str, typer.Option(help="web, fine, small, gif-loop, clear-loop, master, png, spin, sheet …")]
Size = Annotated[str | None, typer.Option(help="Width and height, 1080x1920 say; else that of the cut.")]
Fits = Annotated[float | None, typer.Option(help="Million bytes it must fit in; the quality is found.")]
Rounds = Annotated[int, typer.Option(help="How often all of it is shown.")]


@contextmanager
def sentences() -> Iterator[None]:
    """Errors that can occur before the studio is open, as a sentence in the terminal."""
    from ..core.errors import CycloramaError

    try:
        yield
    except CycloramaError as error:
        typer.echo(error.sentence, err=True)
        raise typer.Exit(1) from error


def shoot_on_cluster(cluster: str | None) -> None:
    """Shoot on a cluster from now on. Raises ShootError for what is no address."""
    if cluster:
        from ..shoot.farm.machine import check_address

        os.environ["CYC_CLUSTER"] = check_address(cluster)
