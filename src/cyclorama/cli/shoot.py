"""`./cyc shoot`."""

import sys
from typing import Annotated

import typer

from .options import HOME, Cluster, Data, sentences, shoot_on_cluster


def shoot(
    project: Annotated[str, typer.Argument(help="Project name or id.")],
    shot: Annotated[str | None, typer.Option(help="Name of the move; only to make sure it is the right one.")] = None,
    frames: Annotated[str | None, typer.Option(help="Frames to shoot, e.g. 1-48 or 7.")] = None,
    samples: Annotated[int | None, typer.Option(help="Samples per pixel instead of the project's.")] = None,
    data: Data = HOME / "studio",
    resume: Annotated[str | None, typer.Option(help="Id of a take to go on with.")] = None,
    cluster: Cluster = None,
) -> None:
    """Shoot without a browser. Ctrl+C stops; `--resume` goes on with what is missing."""
    from .terminal_shoot import shoot_in_terminal

    with sentences():
        shoot_on_cluster(cluster)
    sys.exit(shoot_in_terminal(data, project, shot, frames, samples, resume))
