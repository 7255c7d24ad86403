"""`./cyc bundle` and `./cyc open`: a project packed for another machine, and taken out there."""

from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from .options import HOME, Data, sentences


def bundle(
    project: Annotated[str, typer.Argument(help="Project name or id.")],
    target: Annotated[Path, typer.Argument(help="The file to write, ball.zip say.")],
    data: Data = HOME / "studio",
    takes: Annotated[str, typer.Option(help="Takes to take along: none, used (in the cut) or all.")] = "none",
    masters_only: Annotated[bool, typer.Option("--masters-only", help="Takes without pictures and passes.")] = False,
) -> None:
    """Pack a project with its cut, all files they need and its takes, if wanted, into one zip for another machine."""
    if takes not in ("none", "used", "all"):
        raise typer.BadParameter("Choose none, used or all.")
    from rich.console import Console

    from ..app.projects import find_project
    from ..core.review.phrases import data_size
    from ..store import open_studio
    from ..store.bundle import pack_bundle
    from .bar import bar

    with sentences(), bar(Console(stderr=True)) as tell:
        studio = open_studio(data)
        project_id = find_project(studio, project).project.id
        manifest = pack_bundle(studio, project_id, target, partial(tell, "Packing"), takes, masters_only)  # type: ignore[arg-type]
    typer.echo(f"{target}: {len(manifest.files)} files, {data_size(target.stat().st_size)}.")
    if manifest.missing:
        typer.echo(f"{len(manifest.missing)} files it refers to were not there.", err=True)


def open_(
    path: Annotated[Path, typer.Argument(help="A bundle.", exists=True, dir_okay=False)], data: Data = HOME / "studio"
) -> None:
    """Take a project out of a bundle. Every file is compared with its sum before anything is kept."""
    from rich.console import Console

    from ..app.bundles import shown_from_master
    from ..store import open_studio
    from ..store.bundle import open_bundle
    from .bar import bar

    with sentences(), bar(Console(stderr=True)) as tell:
        studio = open_studio(data)
        opened = open_bundle(studio, path, shown_from_master(studio), partial(tell, "Comparing sums"))
    typer.echo(f"‘{opened.name}’ is here, as {opened.id}.")
    for sentence in opened.says:
        typer.echo(f"  {sentence}")
