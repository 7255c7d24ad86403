"""`./cyc restore`."""

from datetime import datetime
from typing import Annotated

import typer

from .options import HOME, Data, sentences


def restore(
    day: Annotated[datetime | None, typer.Option(formats=["%Y-%m-%d"], help="The copy of this day.")] = None,
    data: Data = HOME / "studio",
) -> None:
    """Go back to the newest sound daily copy of the database; the present one is kept beside it."""
    from ..store.backup import day_of
    from ..store.backup import restore as restore_copy

    with sentences():
        restored = restore_copy(data, day.date() if day else None)
    aside = f"; the one before is kept as {restored.replaced}" if restored.replaced else ""
    typer.echo(f"The database is that of {day_of(restored.copy)} again{aside}.")
    for note in restored.notes:
        typer.echo(f"  {note}")
