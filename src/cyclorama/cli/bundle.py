"""`./cyc bundle` and `./cyc open`: a project packed for another machine, and taken out there."""

from pathlib import Path
from typing import Annotated

import typer

from .options import HOME, Data, sentences


def bundle(
    project: Annotated[str, typer.Argument(help="Project name or id.")],
    target: Annotated[Path, typer.Argument(help="The file to write, ball.zip say.")],
    data: Data = HOME / "studio",
) -> None:
    """Pack a project with its cut and all files they need into one zip, for another machine. Takes are not in it."""
    from rich.console import Console

    from ..app.projects import find_project
    from ..core.review.phrases import data_size
    from ..store import open_studio
    from ..store.bundle import pack_bundle
    from .bar import bar

    with sentences(), bar(Console(stderr=True)) as tell:
        studio = open_studio(data)
        project_id = find_project(studio, project).project.id
        manifest = pack_bundle(studio, project_id, target, lambda share: tell("Packing", share))
    typer.echo(f"{target}: {len(manifest.files)} files, {data_size(target.stat().st_size)}.")
    if manifest.missing:
        typer.echo(f"{len(manifest.missing)} files it refers to were not there.", err=True)


def open_(
    path: Annotated[Path, typer.Argument(help="A bundle.", exists=True, dir_okay=False)], data: Data = HOME / "studio"
) -> None:
    """Take a project out of a bundle. Every file is compared with its sum before anything is kept."""
    from rich.console import Console

    from ..store import open_studio
    from ..store.bundle import open_bundle
    from .bar import bar

    with sentences(), bar(Console(stderr=True)) as tell:
        opened = open_bundle(open_studio(data), path, lambda share: tell("Comparing sums", share))
    typer.echo(f"‘{opened.name}’ is here, as {opened.id}.")
    for sentence in opened.says:
        typer.echo(f"  {sentence}")
