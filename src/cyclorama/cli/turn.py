"""`./cyc turn`: from a model file to a clip, without a browser."""

import sys
from pathlib import Path
from typing import Annotated

import typer

from .options import HOME, Data, Fits, Preset

SetName = Annotated[
    str | None, typer.Option("--set", help="Ready set (bottle-on-dark-gloss, shoe-on-paper …), or one that is kept.")
]
LookName = Annotated[str | None, typer.Option("--look", help="A look that is kept in the stockroom.")]


def turn(
    models: Annotated[list[Path], typer.Argument(help="Model files, or folders of models: each is turned.")],
    output: Annotated[Path, typer.Option("-o", "--output", help="The file to write; of several models a folder.")],
    seconds: Annotated[float | None, typer.Option(help="Length of the turn; else that of new projects.")] = None,
    size: Annotated[str | None, typer.Option(help="Width and height, 1080x1080 say.")] = None,
    quality: Annotated[str, typer.Option(help="draft, fine or print.")] = "fine",
    set_name: SetName = None,
    look_name: LookName = None,
    preset: Preset = "web",
    fits: Fits = None,
    still: Annotated[bool, typer.Option("--still", help="One frame as a PNG.")] = False,
    sheet: Annotated[bool, typer.Option("--sheet", help="A contact sheet of the turn.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="A line of JSON for each model, for scripts.")] = False,
    data: Data = HOME / "studio",
) -> None:
    """From a model to a clip: put on the set, lit, turned, shot and delivered. The project stays in the studio.

    Ends with 0 when all is well, 1 when something failed, 2 when a file has something odd.
    """
    from .terminal_turn import turn_in_terminal

    if still and sheet:
        raise typer.BadParameter("Choose --still or --sheet.")
    wanted = "still" if still else "sheet" if sheet else preset
    sys.exit(turn_in_terminal(data, models, output, seconds, size, quality, set_name, look_name, wanted, fits, as_json))
