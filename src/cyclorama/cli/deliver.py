"""`./cyc cut` and `./cyc deliver`."""

import sys
from typing import Annotated

import typer

from .options import HOME, Data, Fits, Preset, Rounds, Size


def cut(
    project: Annotated[str, typer.Argument(help="Project name or id.")],
    preset: Preset = "web",
    size: Size = None,
    fits: Fits = None,
    rounds: Rounds = 1,
    data: Data = HOME / "studio",
) -> None:
    """Hand over the cut of a project without a browser; the file is opened again and what is found is told."""
    from .terminal_delivery import deliver_in_terminal

    sys.exit(deliver_in_terminal(data, project, None, preset, size, fits, rounds))


def deliver(
    take: Annotated[str, typer.Argument(help="Id of a take, as in its address.")],
    preset: Preset = "web",
    size: Size = None,
    fits: Fits = None,
    rounds: Rounds = 1,
    data: Data = HOME / "studio",
) -> None:
    """Hand over a take alone without a browser."""
    from .terminal_delivery import deliver_in_terminal

    sys.exit(deliver_in_terminal(data, None, take, preset, size, fits, rounds))
